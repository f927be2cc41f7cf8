"""The whole job on one floor: all pieces with all their copies, side by side to one scale, as a client sees them."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from PIL import Image

from kakushi.formats.export.png import PAPER, pictured
from kakushi.model.job import Job
from kakushi.picture.scene import draw_piece, extent_of, in_perspective, with_shadow
from kakushi.plan.values import PiecePlan, Plan
from kakushi.sight.view import View

_GAP_MM = 160.0
"""Between pieces: an arm's width."""
_BELOW_MM = 60.0
"""Room below the floor line for the shadows."""
_AWAY_MM, _AWAY = 3000.0, 1.1
"""How far away the client stands: as far as one steps back to see one piece, and farther than a row of them is wide."""
_EYE_MM = 1600.0
"""Height of a client's eye."""
_SKY, _FLOOR, _FINEST = 1.08, 0.94, 0.1
"""Height of the room over that of the tallest piece; the floor line, as a share of a picture's height from its top; and
the largest scale, mm per px."""
_MOST_COPIES = 24
"""Drawn: more nobody tells apart on one line."""


@dataclass(frozen=True, slots=True, eq=False)
class Standing:
    """One copy: where it stands and how wide it is drawn, its piece's name, its picture; px of the picture.

    `below`: so many lines of the picture lie below the floor line.
    """

    left: float
    wide: float
    name: str
    pixels: NDArray[np.uint8]
    below: int


def scale_of(plan: Plan, width: int, height: int) -> float:
    """The scale, mm per px, at which all copies of a job just fit into a room of pixels."""
    _, _, extents, whole = _in_line(plan)
    return _fitting(extents, whole, width, height)


def _fitting(extents: Sequence[tuple[float, float]], whole: float, width: int, height: int) -> float:
    tallest = max((tall for _, tall in extents), default=0.0)
    return max(whole / width, tallest * _SKY / height, _FINEST)


def _in_line(
    plan: Plan,
) -> tuple[list[tuple[PiecePlan, int]], list[PiecePlan], list[tuple[float, float]], float]:
    """Return the copies to draw, their designs, width and height of each (mm), and the total width with gaps."""
    copies = [(p, number) for p in plan.pieces for number in range(len(p.piece.copies)) if p.balloon_count]
    copies = copies[:_MOST_COPIES]
    designs = [piece.of_copy(number) for piece, number in copies]
    extents = [extent_of(design.drawn) for design in designs]
    return copies, designs, extents, sum(wide for wide, _ in extents) + _GAP_MM * len(copies)


def standing(plan: Plan, width: int, height: int, mm_per_px: float | None = None) -> list[Standing]:
    """The copies of a job in a room of pixels, on a floor line at its foot, as they are listed.

    `mm_per_px`: the scale, else the largest at which they fit.
    """
    copies, designs, extents, whole = _in_line(plan)
    if not copies or min(width, height) < 8:
        return []
    mm_per_px = mm_per_px or _fitting(extents, whole, width, height)
    x = (width - whole / mm_per_px) / 2 + _GAP_MM / 2 / mm_per_px
    things: list[Standing] = []
    away = max(_AWAY_MM, _AWAY * whole)
    for (piece, _), design, (wide, tall) in zip(copies, designs, extents, strict=True):
        # Each is turned as it shows to somebody before the middle of the floor.
        aside = (x + wide / 2 / mm_per_px - width / 2) * mm_per_px
        pixels, below = _portrait(design, plan.job, (wide, tall), mm_per_px, math.atan2(-aside, away), away)
        things.append(Standing(x, wide / mm_per_px, piece.piece.name, pixels, below))
        x += (wide + _GAP_MM) / mm_per_px
    return things


def _portrait(
    design: PiecePlan, job: Job, size: tuple[float, float], mm_per_px: float, azimuth: float, away: float
) -> tuple[NDArray[np.uint8], int]:
    """Wider than the piece by the gap, so that its shadow has room; and how many lines of it are below the floor."""
    wide, tall = size
    drawn, paints = pictured(design, job)
    seen = in_perspective(drawn, azimuth, away, _EYE_MM)
    tops, feet = seen.centres[:, 2] + seen.shape_radii, seen.centres[:, 2] - seen.shape_radii
    below = round(max(_BELOW_MM, -float(feet.min()) + _BELOW_MM / 2) / mm_per_px)
    width = max(round((wide + _GAP_MM) / mm_per_px), 1)
    top = max(tall, float(tops.max()))
    height = max(round(top / mm_per_px), 1) + below
    view = View(width, height, mm_per_px, -width / 2 * mm_per_px, top, azimuth)
    pixels = draw_piece(seen, design.piece.frame, paints, view)[1]
    return with_shadow(pixels, seen, view), below


def scenes_to_one_scale(plans: Sequence[Plan], width: int, height: int) -> list[Image.Image]:
    """Draw jobs at one scale on one floor line, so that they can be compared; at most `width` × `height` px each."""
    mm_per_px = max(scale_of(plan, width, round(height * _FLOOR)) for plan in plans)
    images = [scene_image(plan, width, height, paper=None, mm_per_px=mm_per_px) for plan in plans]
    # What is sky over all of them says nothing.
    top = min((box[1] for image in images if (box := image.getbbox())), default=0)
    return [_on_paper(image.crop((0, top, width, height))) for image in images]


def scene_image(
    plan: Plan,
    width: int,
    height: int,
    paper: tuple[int, int, int] | None = PAPER,
    mm_per_px: float | None = None,
) -> Image.Image:
    """The job as one picture; `paper` None leaves the ground transparent. `mm_per_px` as in `standing`."""
    fine = 2
    room = Image.new("RGBA", (width * fine, height * fine), (*paper, 255) if paper is not None else (0, 0, 0, 0))
    floor = round(height * fine * _FLOOR)
    for copy in standing(plan, width * fine, floor, mm_per_px and mm_per_px / fine):
        picture = Image.fromarray(copy.pixels)
        left = round(copy.left + copy.wide / 2 - picture.width / 2)
        layer = Image.new("RGBA", room.size, (0, 0, 0, 0))
        layer.paste(picture, (left, floor - (picture.height - copy.below)))
        room = Image.alpha_composite(room, layer)
    small = room.resize((width, height), Image.Resampling.LANCZOS)
    return small.convert("RGB") if paper is not None else small


def scene_on_paper(plan: Plan, width: int, height: int, above: int) -> Image.Image:
    """The job as one picture, with lines of sky above the tallest piece, at most `height` in all."""
    image = scene_image(plan, width, height, paper=None)
    box = image.getbbox() or (0, 0, width, height)
    return _on_paper(image.crop((0, max(box[1] - above, 0), width, height)))


def _on_paper(image: Image.Image) -> Image.Image:
    paper = Image.new("RGB", image.size, PAPER)
    paper.paste(image, mask=image.getchannel("A"))
    return paper
