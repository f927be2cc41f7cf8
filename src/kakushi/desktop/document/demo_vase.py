"""The demo's vase, as the start page shows it: outline, plain rows, colours. No Qt."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from kakushi.formats.export.png import paints_for
from kakushi.formats.store.job_file import load_job
from kakushi.formats.store.paths import demo_job_path
from kakushi.model.catalogue import Studio
from kakushi.model.job import Job
from kakushi.picture.scene import portrait
from kakushi.plan.pipeline import plan

_UNCOLOURED = (0.82, 0.79, 0.74)
"""Linear red, green and blue of a balloon without a colour yet."""
_SAMPLE = "Glass-float vase"
"""The piece of the demo job that is shown."""


@dataclass(frozen=True, slots=True)
class DemoVase:
    """The demo's vase: its outline from the foot up, mm, and its pictures, plain and coloured."""

    heights: list[float]
    half_widths: list[float]
    tallest: float
    plain: NDArray[np.uint8]
    coloured: NDArray[np.uint8]


def demo_vase(width: int, height: int) -> DemoVase:
    """Plan and draw the vase, in pictures of that many pixels."""
    demo = load_job(demo_job_path())
    job = Job(palette=demo.palette, pieces=tuple(p for p in demo.pieces if p.name == _SAMPLE))
    piece_plan = plan(job, Studio()).pieces[0]
    paints = paints_for(piece_plan, job)
    pictures = [
        portrait(piece_plan.drawn, piece_plan.piece.frame, chosen, width, height)
        for chosen in ([type(p)(_UNCOLOURED, p.finish) for p in paints], paints)
    ]
    profile = piece_plan.profile
    tallest = max(profile.height, piece_plan.geometry.top)
    return DemoVase(profile.heights.tolist(), profile.right.tolist(), tallest, *pictures)
