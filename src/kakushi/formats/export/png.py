"""Pictures of pieces as PNG."""

from __future__ import annotations

import io
import math
from dataclasses import replace

from PIL import Image

from kakushi.dress.kind import BallMaterial
from kakushi.dress.lettering import mask_of
from kakushi.model.catalogue import BalloonColour, Finish
from kakushi.model.frame import Frame
from kakushi.model.job import Job
from kakushi.packing.stack import Geometry
from kakushi.picture.paint import Letters, Paint, paint_of
from kakushi.picture.scene import draw_piece, extent_of, portrait_view, with_shadow
from kakushi.picture.shading import SOLID_EVENED_MM, TUBE_EVENED_MM
from kakushi.plan.values import PiecePlan
from kakushi.plan.words_on_balloons import words_on_balloons
from kakushi.sight.view import View

PAPER = (255, 255, 255)
"""White, RGB."""
_SUPERSAMPLE = 2
"""Pixels drawn for each pixel kept, along each side: smooth edges."""
_TILE_PX = 1_000_000
"""Pixels of a picture that are drawn at once: some 150 MB."""
_MARGIN_MM = 60.0
"""Drawn around a tile and cut off: shading looks no farther than that."""
_SHADOW_WIDE = 2.6
"""Width, relative to that of the piece, beyond which its shadow cannot be seen."""


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
            paint = paint_of(colour.hex, colour.finish, outer=outer, inner_share=colour.inner_share)
            return replace(paint, holds_thing=True) if colour.insert else paint
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
    view = portrait_view(drawn, piece.piece.frame, width * _SUPERSAMPLE, height * _SUPERSAMPLE, azimuth)
    per_px = view.mm_per_px * _SUPERSAMPLE
    # Even, as the coarse pixels of shading are: no seam is seen.
    margin = math.ceil(_MARGIN_MM / per_px / 2) * 2 + 4
    half = math.ceil(_SHADOW_WIDE * extent_of(drawn)[0] / 2 / per_px)
    side = max((math.isqrt(_TILE_PX) - 2 * margin) // 2 * 2, 2 * margin)
    image = Image.new("RGBA" if paper is None else "RGB", (width, height), paper or (0, 0, 0, 0))
    for x in range(max(width // 2 - half, 0) // 2 * 2, min(width // 2 + half, width), side):
        for y in range(0, height, side):
            left, top = max(x - margin, 0), max(y - margin, 0)
            right, bottom = min(x + side + margin, width), min(y + side + margin, height)
            part = view.part(*(_SUPERSAMPLE * at for at in (left, top, right, bottom)))
            tile = _drawn(drawn, piece.piece.frame, paints, part)
            if paper is not None:
                tile = Image.alpha_composite(Image.new("RGBA", tile.size, (*paper, 255)), tile).convert("RGB")
            tile = tile.resize((right - left, bottom - top), Image.Resampling.LANCZOS)
            wide, tall = min(side, right - x), min(side, bottom - y)
            image.paste(tile.crop((x - left, y - top, x - left + wide, y - top + tall)), (x, y))
    return image


def _drawn(geometry: Geometry, frame: Frame, paints: list[Paint], view: View) -> Image.Image:
    return Image.fromarray(with_shadow(draw_piece(geometry, frame, paints, view)[1], geometry, view))


def png_bytes(image: Image.Image) -> bytes:
    """An image as PNG."""
    buffer = io.BytesIO()
    image.save(buffer, "PNG")
    return buffer.getvalue()
