"""Lines about the frame that more than one stage shows."""

from __future__ import annotations

from kakushi.desktop.forms.form import quantity
from kakushi.model.limits import LARGEST_HEIGHT_MM
from kakushi.model.quantities import LENGTH

POLE_LENGTH = quantity(
    "pole_length_mm",
    "Length",
    LENGTH,
    "pole length",
    none=("not chosen yet", None),
    low=100.0,
    high=LARGEST_HEIGHT_MM,
)
"""Shorter than ten centimetres no pole holds a row."""
