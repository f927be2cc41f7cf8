"""A small picture as a motif: PNG, JPEG or SVG brought down to a grid of palette colours."""

from __future__ import annotations

from collections.abc import Sequence
from pathlib import Path

import numpy as np
from PIL import Image, ImageDraw

from kakushi.colour.lab import lab_of, main_colours, nearest
from kakushi.formats.read.outline_image import open_picture
from kakushi.formats.read.outline_svg import drawn_polygons
from kakushi.formats.store.atomic import read_limited
from kakushi.formats.store.limits import SVG_BYTES
from kakushi.model.catalogue import BalloonColour
from kakushi.model.errors import BadInput
from kakushi.model.layers import MAX_MOTIF_SIDE

_SVG_SIDE = 512
"""Longer side, px, that drawings are rastered at before they are sampled."""
_SEEN_ALPHA = 0.5
"""Opacity from which a pixel is part of the motif."""
_SAMPLED_SIDE = 160
"""Longer side, px, at which colours are chosen: several pixels for every slot."""

Cells = tuple[tuple[str, ...], ...]


def read_picture(path: Path) -> Image.Image:
    """A picture as RGBA. Raises JobFileError or BadInput, each one sentence, for anything else."""
    if path.suffix.lower() == ".svg":
        return _drawn(path)
    return open_picture(path).convert("RGBA")


def _drawn(path: Path) -> Image.Image:
    """The filled shapes of an SVG, flat, on a clear ground."""
    filled = drawn_polygons(read_limited(path, SVG_BYTES, "a picture"), path.name)
    points = [polygon for _, polygons in filled for polygon in polygons]
    if not points:
        raise BadInput(f"There is nothing drawn in “{path.name}”.", "picture")
    every = np.concatenate(points)
    low, size = every.min(axis=0), np.ptp(every, axis=0)
    if size.min() <= 0 or not np.isfinite(size).all():
        raise BadInput(f"There is nothing drawn in “{path.name}”.", "picture")
    scale = _SVG_SIDE / float(size.max())
    wide, high = (max(int(s * scale) + 1, 1) for s in size)
    image = Image.new("RGBA", (wide, high))
    pen = ImageDraw.Draw(image)
    for shape, polygons in filled:
        fill = shape.fill
        if fill is not None and fill.value is None:
            continue
        rgba = (0, 0, 0, 255) if fill is None else (fill.red, fill.green, fill.blue, fill.alpha)
        for polygon in polygons:
            pen.polygon([tuple(p) for p in ((polygon - low) * scale).tolist()], fill=rgba)
    return image


def motif_of(image: Image.Image, palette: Sequence[BalloonColour], columns: int, name: str = "the picture") -> Cells:
    """Reduce a picture to cells in a number of columns: the nearest palette colour, or "" where transparent.

    Nearness is CIEDE2000. Raises BadInput where nothing would be left.
    """
    if min(image.size) < 1:
        raise BadInput(f"“{name}” is empty.", "picture")
    rows = round(columns * image.height / image.width)
    if not 1 <= rows <= MAX_MOTIF_SIDE:
        raise BadInput(f"“{name}” is too long and narrow for a motif.", "picture")
    # Premultiplied, so that clear pixels lend their colour to nobody.
    pixels = np.asarray(image.convert("RGBA"), dtype=np.float32) / 255
    pixels[:, :, :3] *= pixels[:, :, 3:]
    planes = [
        np.asarray(Image.fromarray(pixels[:, :, k]).resize((columns, rows), Image.Resampling.BOX)) for k in range(4)
    ]
    alpha = planes[3].ravel()
    seen = alpha >= _SEEN_ALPHA
    if not seen.any():
        raise BadInput(f"“{name}” is see-through everywhere.", "picture")
    rgb = np.stack([plane.ravel()[seen] for plane in planes[:3]], axis=1) / alpha[seen, None]
    keys = np.full(rows * columns, "", dtype=object)
    keys[seen] = [palette[i].key for i in nearest(lab_of(rgb), palette)]
    return tuple(tuple(str(key) for key in line) for line in keys.reshape(rows, columns))


def palette_of(image: Image.Image, count: int, name: str = "the picture") -> list[str]:
    """The main colours of a picture as ``#rrggbb``, most frequent first. Raises BadInput for a clear one."""
    small = image.convert("RGBA")
    small.thumbnail((_SAMPLED_SIDE, _SAMPLED_SIDE))
    pixels = np.asarray(small, dtype=np.float64).reshape(-1, 4) / 255
    solid = pixels[pixels[:, 3] >= _SEEN_ALPHA, :3]
    if not len(solid):
        raise BadInput(f"“{name}” is see-through everywhere.", "picture")
    return main_colours(solid, count)
