"""Outlines a piece should follow: presets with handles, and points."""

from __future__ import annotations

from collections.abc import Sequence
from itertools import pairwise
from typing import Annotated, Literal

from pydantic import Field, ValidationError, model_validator

from kakushi.model.errors import BadInput
from kakushi.model.limits import LARGEST_WIDTH_MM, Length, Name
from kakushi.model.values import Value, first_fault

MAX_CONTOURS, MAX_CORNERS = 60, 1000
"""Most contours of a drawn shape, and corners of one of them: a foil is true to a millimetre."""


class Handle(Value):
    """One adjustable measure of a preset outline: a width in mm or a fraction of the height."""

    name: Name
    value: float = Field(gt=0, le=LARGEST_WIDTH_MM)


class PresetOutline(Value):
    """One of `shape.presets` with its handles; stretched to the piece's target height."""

    kind: Literal["preset"] = "preset"
    preset: Name
    handles: Annotated[tuple[Handle, ...], Field(max_length=8, fail_fast=True)] = ()


class OutlinePoint(Value):
    """Half-widths of an outline at one height, left and right of the axis."""

    height_mm: Length
    left_mm: Length
    right_mm: Length


class Corner(Value):
    """A corner of a drawn shape: to the right of the axis (left is negative), and above the foot, mm."""

    x_mm: float = Field(ge=-LARGEST_WIDTH_MM, le=LARGEST_WIDTH_MM)
    height_mm: Length


Contour = Annotated[tuple[Corner, ...], Field(min_length=3, max_length=MAX_CORNERS, fail_fast=True)]


class PointsOutline(Value):
    """An outline as points from the foot up, stretched to the target height; `smooth`: a curve through them.

    `contours`: the shape as it was drawn, inside by the even-odd rule, where it has holes or arms that a left and a
    right side cannot say. Rows follow the sides; foils are shaped like the contours.
    """

    kind: Literal["points"] = "points"
    name: Name = ""
    points: Annotated[tuple[OutlinePoint, ...], Field(min_length=2, max_length=5000, fail_fast=True)]
    smooth: bool = False
    contours: Annotated[tuple[Contour, ...], Field(max_length=MAX_CONTOURS, fail_fast=True)] = ()

    @model_validator(mode="after")
    def _is_a_shape(self) -> PointsOutline:
        heights = [point.height_mm for point in self.points]
        if any(above < below for below, above in pairwise(heights)):
            raise ValueError("the heights of an outline must rise from the foot up")
        if heights[-1] <= heights[0]:
            raise ValueError("the outline has no height")
        if max(point.left_mm + point.right_mm for point in self.points) <= 0:
            raise ValueError("the outline has no width")
        return self


Outline = Annotated[PresetOutline | PointsOutline, Field(discriminator="kind")]


def outline_through(
    name: str, points: Sequence[OutlinePoint], contours: Sequence[Sequence[Corner]] = ()
) -> PointsOutline:
    """An outline through points, the foot first. Raises BadInput for points that are no shape."""
    try:
        return PointsOutline(name=name[:120], points=tuple(points), contours=tuple(map(tuple, contours)))
    except ValidationError as error:
        fault = first_fault(error)[1]
        raise BadInput(f"{fault[:1].upper()}{fault[1:]}.", "outline") from error
