"""The picture of a whole job on paper."""

from __future__ import annotations

import io

from reportlab.platypus import Flowable, Image, Spacer

from kakushi.formats.export.png import png_bytes
from kakushi.formats.print.scene import scene_on_paper
from kakushi.plan.values import Plan


def job_picture(plan: Plan, wide: float, tall: float) -> Flowable:
    """All pieces of a job on one floor to one scale, within a room in points."""
    if not any(piece_plan.balloon_count for piece_plan in plan.pieces):
        return Spacer(1, 1)
    image = scene_on_paper(plan, round(wide * _DOTS), round(tall * _DOTS), round(_SKY_PT * _DOTS))
    return Image(io.BytesIO(png_bytes(image)), wide, image.height / _DOTS)


_SKY_PT = 12
"""Over the tallest piece."""
_DOTS = 200 / 72
"""Pixels over a point: 200 dpi."""
