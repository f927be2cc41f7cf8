"""Pictures of pieces as PNG."""

from __future__ import annotations

import io

import numpy as np
from numpy.typing import NDArray
from PIL import Image

from kakushi.model.job import Job
from kakushi.picture.scene import portrait
from kakushi.picture.shading import Paint, paint_of
from kakushi.plan.values import PiecePlan

PAPER = (255, 255, 255)
_SUPERSAMPLE = 2


def paints_for(piece: PiecePlan, job: Job) -> list[Paint]:
    """Paint per drawn balloon of a piece."""
    keys = piece.drawn_colours()
    colours = {key: job.colour(key) for key in set(keys)}
    return [paint_of(colours[key].hex, colours[key].finish) for key in keys]


def piece_image(
    piece: PiecePlan,
    job: Job,
    width: int,
    height: int,
    azimuth: float = 0.0,
    paper: tuple[int, int, int] | None = PAPER,
) -> Image.Image:
    """Picture of a piece; `paper` None leaves the ground transparent. Azimuth in radians."""
    pixels: NDArray[np.uint8] = portrait(
        piece.drawn, piece.piece.frame, paints_for(piece, job), width * _SUPERSAMPLE, height * _SUPERSAMPLE, azimuth
    )
    image = Image.fromarray(pixels)
    if paper is not None:
        ground = Image.new("RGBA", image.size, (*paper, 255))
        image = Image.alpha_composite(ground, image).convert("RGB")
    return image.resize((width, height), Image.Resampling.LANCZOS)


def png_bytes(image: Image.Image) -> bytes:
    """An image as PNG."""
    buffer = io.BytesIO()
    image.save(buffer, "PNG")
    return buffer.getvalue()
