"""GIMP palettes: a text file with a name and lines of red, green, blue and a colour's name."""

from __future__ import annotations

import re
from collections.abc import Sequence
from pathlib import Path

from kakushi.colour.codes import free_code
from kakushi.formats.store.atomic import read_limited
from kakushi.formats.store.limits import PALETTE_BYTES, PALETTE_COLOURS
from kakushi.model.catalogue import BalloonColour
from kakushi.model.errors import BadInput

_HEAD = "GIMP Palette"
_LINE = re.compile(r"^\s*(\d{1,3})\s+(\d{1,3})\s+(\d{1,3})(?:\s+(.*))?$")


def palette_gpl(palette: Sequence[BalloonColour], name: str) -> str:
    """A palette as text."""
    lines = [_HEAD, f"Name: {' '.join(name.split()) or 'Kakushi'}", "Columns: 4", "#"]
    for colour in palette:
        r, g, b = (int(colour.hex[i : i + 2], 16) for i in (1, 3, 5))
        lines.append(f"{r:3d} {g:3d} {b:3d}\t{' '.join(colour.name.split())}")
    return "\n".join(lines) + "\n"


def read_gpl(path: Path) -> tuple[BalloonColour, ...]:
    """The colours of a palette file, with keys and codes made from their names.

    Raises JobFileError or BadInput, each one sentence.
    """
    data = read_limited(path, PALETTE_BYTES, "a palette")
    text = data.decode("utf-8", errors="replace").removeprefix("\ufeff")
    lines = text.splitlines()
    if not lines or lines[0].strip() != _HEAD:
        raise BadInput(f"“{path.name}” is not a GIMP palette.", "palette")
    named: list[tuple[str, str]] = []
    for number, line in enumerate(lines[1:], 2):
        if not line.strip() or line.lstrip().startswith("#") or re.match(r"^(Name|Columns)\s*:", line):
            continue
        match = _LINE.match(line)
        if match is None or any(int(match[i]) > 255 for i in (1, 2, 3)):
            raise BadInput(f"Line {number} of “{path.name}” is no colour: {line.strip()[:40]}", "palette")
        r, g, b = (int(match[i]) for i in (1, 2, 3))
        name = "".join(c for c in (match[4] or "") if c.isprintable()).strip()
        named.append((name[:60], f"#{r:02x}{g:02x}{b:02x}"))
    if not named:
        raise BadInput(f"There is no colour in “{path.name}”.", "palette")
    if len(named) > PALETTE_COLOURS:
        raise BadInput(f"“{path.name}” has more than {PALETTE_COLOURS} colours.", "palette")
    return named_colours(named)


def named_colours(named: Sequence[tuple[str, str]], taken: Sequence[BalloonColour] = ()) -> tuple[BalloonColour, ...]:
    """Colours from (name, hex) pairs, with keys and codes that differ from each other and from those `taken`."""
    keys, codes, made = {c.key for c in taken}, [c.code for c in taken], []
    for index, (name, colour) in enumerate(named, 1):
        shown = name or f"colour {index}"
        slug = re.sub(r"[^a-z0-9]+", "-", shown.lower()).strip("-")[:50] or "colour"
        key = next(k for k in (slug, *(f"{slug}-{n}" for n in range(2, 500))) if k not in keys)
        code = free_code(shown, codes)
        keys.add(key)
        codes.append(code)
        made.append(BalloonColour(key=key, name=shown, code=code, hex=colour))
    return tuple(made)
