"""Preset outlines: families with handles, as control points; `shape.profile` draws curves through them."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

from kakushi.model.errors import BadInput
from kakushi.model.limits import LARGEST_WIDTH_MM, SMALLEST_WIDTH_MM
from kakushi.model.outline import Handle, PresetOutline


@dataclass(frozen=True, slots=True)
class HandleSpec:
    """A handle of a preset.

    A width has its `default` as a share of the height. Other handles are shares within
    [low, high] `of` something.
    """

    name: str
    default: float
    is_width: bool = True
    of: str = ""
    low: float = 0.0
    high: float = 1.0


@dataclass(frozen=True, slots=True)
class Preset:
    """A family of outlines: its handles and (share of height, width) control points."""

    name: str
    words: str
    handles: tuple[HandleSpec, ...]
    points: Callable[[dict[str, float]], list[tuple[float, float]]]
    smooth: bool = True


_SHOULDER = HandleSpec("shoulder", 0.5, is_width=False, of="height", low=0.15, high=0.9)

PRESETS: tuple[Preset, ...] = (
    Preset(
        "straight", "the same width all the way",
        (HandleSpec("width", 0.22), HandleSpec("top", 1.0, is_width=False, of="width", low=0.5, high=1.5)),
        lambda h: [(0, h["width"]), (1, h["width"] * h["top"])], smooth=False,
    ),
    Preset(
        "cone", "tapers evenly from foot to top",
        (HandleSpec("foot", 0.30), HandleSpec("top", 0.13)),
        lambda h: [(0, h["foot"]), (1, h["top"])], smooth=False,
    ),
    Preset(
        "vase", "swells once, then a narrow neck",
        (HandleSpec("foot", 0.20), HandleSpec("belly", 0.32), HandleSpec("neck", 0.15)),
        lambda h: [(0, h["foot"]), (0.36, h["belly"]), (0.82, h["neck"]), (1, (h["neck"] * 3 + h["belly"]) / 4)],
    ),
    Preset(
        "hourglass", "drawn in at the waist",
        (HandleSpec("foot", 0.28), HandleSpec("waist", 0.14), HandleSpec("top", 0.25)),
        lambda h: [(0, h["foot"]), (0.5, h["waist"]), (1, h["top"])],
    ),
    Preset(
        "bottle", "a straight body, shoulders, a slim neck",
        (HandleSpec("body", 0.26), HandleSpec("neck", 0.13), _SHOULDER),
        lambda h: [
            (0, h["body"]), (h["shoulder"], h["body"]),
            (h["shoulder"] + 0.25 * (1 - h["shoulder"]) + 0.1, h["neck"]), (1, h["neck"]),
        ],
    ),
    Preset(
        "bell", "a wide mouth that closes to a crown",
        (HandleSpec("mouth", 0.36), HandleSpec("waist", 0.20), HandleSpec("crown", 0.14)),
        lambda h: [(0, h["mouth"]), (0.35, h["waist"]), (0.75, h["waist"] * 0.95), (1, h["crown"])],
    ),
    Preset(
        "tower", "a foot, a shaft and a wider head",
        (HandleSpec("foot", 0.28), HandleSpec("shaft", 0.17), HandleSpec("head", 0.24)),
        lambda h: [
            (0, h["foot"]), (0.14, h["foot"]), (0.22, h["shaft"]), (0.78, h["shaft"] * 0.95),
            (0.84, h["head"]), (1, h["head"]),
        ], smooth=False,
    ),
)  # fmt: skip


def preset(name: str) -> Preset:
    """The preset of that name. Raises BadInput with the known names."""
    for known in PRESETS:
        if known.name == name:
            return known
    names = ", ".join(p.name for p in PRESETS)
    raise BadInput(f"There is no outline called “{name[:40]}”; there are {names}.", "outline")


def default_outline(name: str, height_mm: float) -> PresetOutline:
    """A preset with handles in fair proportion to the height. Raises BadInput."""
    handles = [
        Handle(name=h.name, value=_width(h.default * height_mm) if h.is_width else h.default)
        for h in preset(name).handles
    ]
    return PresetOutline(preset=name, handles=tuple(handles))


def _width(wish_mm: float) -> float:
    """A width as it can be, mm, in whole centimetres, however long what is stretched along a path may be."""
    return min(max(round(wish_mm, -1), SMALLEST_WIDTH_MM), LARGEST_WIDTH_MM)


def handle_values(outline: PresetOutline, height_mm: float) -> dict[str, float]:
    """Handle values by name, missing ones at their defaults. Raises BadInput for an unknown preset."""
    values = {h.name: h.value for h in default_outline(outline.preset, height_mm).handles}
    values.update({h.name: h.value for h in outline.handles if h.name in values})
    return values
