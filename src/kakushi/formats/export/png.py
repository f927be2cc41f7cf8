"""Pictures of pieces as PNG."""

from __future__ import annotations

import io
from dataclasses import replace

import numpy as np
from numpy.typing import NDArray
from PIL import Image

from kakushi.dress.kind import BallMaterial
from kakushi.dress.lettering import mask_of
from kakushi.model.catalogue import BalloonColour, Finish
from kakushi.model.job import Job
from kakushi.packing.stack import Geometry
from kakushi.picture.paint import Letters, Paint, paint_of
from kakushi.picture.scene import portrait
from kakushi.picture.shading import SOLID_EVENED_MM, TUBE_EVENED_MM
from kakushi.plan.values import PiecePlan
from kakushi.plan.words_on_balloons import words_on_balloons

PAPER = (255, 255, 255)
"""White, RGB."""
_SUPERSAMPLE = 2
"""Pixels drawn for each pixel kept, along each side: smooth edges."""


def paints_for(piece: PiecePlan, job: Job) -> list[Paint]:
    """Paint per drawn balloon of a piece."""
    keys = piece.drawn_colours()
    colours = {key: job.colour(key) for key in set(keys)}
    outer = {key: job.colour(colour.outer).hex if colour.outer else None for key, colour in colours.items()}
    paints = [_paint(colours[key], skin, outer[key]) for key, skin in zip(keys, piece.drawn_skins(), strict=True)]
    for first, count, film in piece.drawn_films():
        paints[first] = replace(paints[first], film=(count, film))
    for words in words_on_balloons(piece):
        letters = Letters(mask_of(words.layout), paint_of(job.colour(words.part.colour).hex).rgb)
        paints[words.balloon] = replace(paints[words.balloon], letters=letters)
    return paints


def pictured(piece: PiecePlan, job: Job) -> tuple[Geometry, list[Paint]]:
    """Everything a picture of a piece shows, with its paint: balloons, parts and trimmings."""
    trimmings = piece.trimmings
    painted = {key: job.colour(key) for key in set(trimmings.colours)}
    paints = {key: paint_of(colour.hex, colour.finish, TUBE_EVENED_MM) for key, colour in painted.items()}
    return (
        piece.drawn.with_more(trimmings.centres, trimmings.radii),
        [*paints_for(piece, job), *(paints[key] for key in trimmings.colours)],
    )


def _paint(colour: BalloonColour, skin: BallMaterial, outer: str | None) -> Paint:
    """A colour as balloon, as foil, which mirrors, or as something dull."""
    match skin:
        case BallMaterial.BALLOON:
            return paint_of(colour.hex, colour.finish, outer=outer)
        case BallMaterial.FOIL:
            return paint_of(colour.hex, Finish.MIRROR, SOLID_EVENED_MM)
        case BallMaterial.RIBBON:
            return paint_of(colour.hex, Finish.PEARL, TUBE_EVENED_MM)
        case BallMaterial.SOLID:
            return paint_of(colour.hex, Finish.MATTE, SOLID_EVENED_MM)


def piece_image(
    piece: PiecePlan,
    job: Job,
    width: int,
    height: int,
    azimuth: float = 0.0,
    paper: tuple[int, int, int] | None = PAPER,
) -> Image.Image:
    """Picture of a piece; `paper` None leaves the ground transparent. Azimuth in radians."""
    drawn, paints = pictured(piece, job)
    pixels: NDArray[np.uint8] = portrait(
        drawn, piece.piece.frame, paints, width * _SUPERSAMPLE, height * _SUPERSAMPLE, azimuth
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
