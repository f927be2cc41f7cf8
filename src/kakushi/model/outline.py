"""Outlines a piece should follow: presets with handles, and points."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import Field

from kakushi.model.limits import LARGEST_WIDTH_MM, Length, Name
from kakushi.model.values import Value


class Handle(Value):
    """One adjustable measure of a preset outline: a width in mm or a fraction of the height."""

    name: Name
    value: float = Field(gt=0, le=LARGEST_WIDTH_MM)


class PresetOutline(Value):
    """One of `shape.presets` with its handles; stretched to the piece's target height."""

    kind: Literal["preset"] = "preset"
    preset: Name
    handles: Annotated[tuple[Handle, ...], Field(max_length=8)] = ()


class OutlinePoint(Value):
    """Half-widths of an outline at one height, left and right of the axis."""

    height_mm: Length
    left_mm: Length
    right_mm: Length


class PointsOutline(Value):
    """An outline as points from the foot up, stretched to the target height; `smooth`: a curve through them."""

    kind: Literal["points"] = "points"
    name: Name = ""
    points: Annotated[tuple[OutlinePoint, ...], Field(min_length=2, max_length=5000)]
    smooth: bool = False


Outline = Annotated[PresetOutline | PointsOutline, Field(discriminator="kind")]
