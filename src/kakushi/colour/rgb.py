"""Red, green and blue: reading and writing them, and which ink reads on a colour. Without arrays."""

from __future__ import annotations

from collections.abc import Iterable

_DARK = 0.55
"""Luma (Rec. 601) up to which white ink reads better than black; where both give about 4.5 : 1."""


def rgb_of(hex_colour: str) -> tuple[float, float, float]:
    """Red, green, blue from 0 to 1 of ``#rrggbb``."""
    r, g, b = (int(hex_colour[i : i + 2], 16) / 255 for i in (1, 3, 5))
    return r, g, b


def luma(hex_colour: str) -> float:
    """How light a colour looks, 0 to 1 (luma, Rec. 601)."""
    r, g, b = rgb_of(hex_colour)
    return 0.299 * r + 0.587 * g + 0.114 * b


def is_dark(hex_colour: str) -> bool:
    """Whether light ink reads better on a colour: luma under 0.55."""
    return luma(hex_colour) <= _DARK


def hex_of(rgb: Iterable[float]) -> str:
    """``#rrggbb`` of red, green, blue from 0 to 1, clipped."""
    r, g, b = (round(min(max(float(v), 0.0), 1.0) * 255) for v in rgb)
    return f"#{r:02x}{g:02x}{b:02x}"
