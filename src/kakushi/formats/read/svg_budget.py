"""A drawing brought within a budget before it is interpreted: elements, expansions of `use`, numbers, style.

What has no shape (pictures, text, metadata, scripts, filters) is taken out, and style sheets are cut down to whole
rules: what is left is interpreted in seconds, whatever the file holds.
"""

from __future__ import annotations

import re
from collections.abc import Iterator
from xml.etree.ElementTree import Element, tostring

from defusedxml import ElementTree

from kakushi.formats.store.limits import (
    SVG_DEPTH,
    SVG_ELEMENTS,
    SVG_NUMBERS,
    SVG_STYLE_BYTES,
    SVG_WORDS,
)
from kakushi.model.errors import BadInput

_SHAPELESS = frozenset(
    {
        "image", "text", "metadata", "script", "foreignObject", "filter", "title", "desc", "font", "linearGradient",
        "radialGradient", "animate", "set", "animateTransform", "animateMotion", "mask", "marker", "pattern",
    }
)  # fmt: skip
_HREFS = ("href", "{http://www.w3.org/1999/xlink}href")
_NUMBER = re.compile(r"[0-9]+")
_GEOMETRY = ("d", "points")


def bounded_svg(data: bytes, name: str) -> bytes:
    """The drawing with its shapes alone. Raises BadInput, one sentence, beyond a limit; ParseError for no XML."""
    if data.count(b"<") > 3 * SVG_ELEMENTS:
        raise BadInput(f"“{name}” has too many elements; keep only what matters.", "outline")
    root: Element = ElementTree.fromstring(data, forbid_dtd=False)
    styles = _reduced(root, name)
    _check_expansion(root, styles, name)
    return bytes(tostring(root))


def _name(element: Element) -> str:
    """An element's name without its namespace; comments and instructions have none."""
    return element.tag.rpartition("}")[2] if isinstance(element.tag, str) else ""


def _reduced(root: Element, name: str) -> dict[str, int]:
    """Remove elements without shape and incomplete style rules; returns the length of style by selector."""
    lengths: dict[str, int] = {}
    taken = 0
    for parent, _ in _levels(root, name):
        for child in list(parent):
            kind = _name(child)
            if kind in _SHAPELESS or not kind:
                parent.remove(child)
            elif kind == "style":
                taken += len(child.text or "")
                if taken > SVG_STYLE_BYTES:
                    raise BadInput(f"“{name}” has too large a style sheet.", "outline")
                rules = _rules(child.text or "")
                child.text = "\n".join(f"{selectors}{{{body}}}" for selectors, body in rules)
                for selectors, body in rules:
                    for selector in selectors.split(","):
                        lengths[selector.strip()] = lengths.get(selector.strip(), 0) + len(body)
    return lengths


def _rules(sheet: str) -> list[tuple[str, str]]:
    """Selectors and declarations of the whole rules of a style sheet, in one pass."""
    uncommented = "".join(part.rpartition("*/")[2] for part in sheet.split("/*"))
    rules = (rule.split("{") for rule in uncommented.split("}"))
    return [(rule[0], rule[1]) for rule in rules if len(rule) == 2]


def _levels(root: Element, name: str) -> Iterator[tuple[Element, int]]:
    """Every element with its depth, parents first. Raises BadInput for one nested too deeply."""
    waiting = [(root, 1)]
    while waiting:
        element, depth = waiting.pop()
        if depth > SVG_DEPTH:
            raise BadInput(f"“{name}” is nested too deeply.", "outline")
        yield element, depth
        waiting += [(child, depth + 1) for child in element]


def _check_expansion(root: Element, styles: dict[str, int], name: str) -> None:
    """Walk over all that would be drawn, each `use` followed, and stop beyond a limit. Raises BadInput."""
    by_id = {element.get("id"): element for element in root.iter() if element.get("id")}
    elements = numbers = words = 0
    waiting = [(root, 1, 0)]
    while waiting:
        element, depth, inherited = waiting.pop()
        elements += 1
        numbers += sum(len(_NUMBER.findall(element.get(key, ""))) for key in _GEOMETRY)
        # Attributes and style reach the elements within, and transforms are strung together on the way.
        inherited += _words(element, styles)
        words += inherited
        if elements > SVG_ELEMENTS or depth > SVG_DEPTH:
            raise BadInput(f"“{name}” has too many elements, or elements that use each other without end.", "outline")
        if numbers > SVG_NUMBERS:
            raise BadInput(f"“{name}” has too many points; simplify its paths.", "outline")
        if words > SVG_WORDS:
            raise BadInput(f"“{name}” has too much style for its shapes.", "outline")
        waiting += [(child, depth + 1, inherited) for child in element]
        if _name(element) == "use":
            used = by_id.get(next((element.get(key, "") for key in _HREFS if element.get(key)), "").removeprefix("#"))
            if used is not None:
                waiting.append((used, depth + 1, inherited))


def _words(element: Element, styles: dict[str, int]) -> int:
    """Characters of attributes and style that are looked at for an element."""
    own = sum(len(value) for key, value in element.attrib.items() if key not in _GEOMETRY)
    kind, classes = _name(element), element.get("class", "").split(" ")
    selectors = ["*", kind, f"#{element.get('id')}"]
    matched = sum(styles.get(selector, 0) for selector in selectors)
    return own + matched + sum(styles.get(f".{one}", 0) + styles.get(f"{kind}.{one}", 0) for one in classes)
