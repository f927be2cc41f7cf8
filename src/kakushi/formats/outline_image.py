"""Outlines from pictures: masks, silhouettes, drawings on a plain ground."""

from __future__ import annotations

import io
import warnings
from pathlib import Path

import numpy as np
from numpy.typing import NDArray
from PIL import Image, UnidentifiedImageError

from kakushi.formats.atomic import read_limited
from kakushi.model.errors import BadInput
from kakushi.model.job import PointsOutline
from kakushi.shape.silhouette import outline_of_mask

MOST_BYTES = 64 * 2**20
MOST_PIXELS = 50_000_000
WORKING_SIDE = 1600
_FORMATS = ("PNG", "JPEG")
_OPAQUE_FROM = 128
_LEAST_CONTRAST = 24.0


def load_outline_image(path: Path, height_mm: float) -> PointsOutline:
    """The outline of the largest shape in a PNG or JPEG. Raises JobFileError or BadInput, each one sentence."""
    return outline_of_mask(subject_mask(_open(path), path.name), path.stem, height_mm)


def _open(path: Path) -> Image.Image:
    data = read_limited(path, MOST_BYTES, "a picture")
    try:
        with warnings.catch_warnings():
            warnings.simplefilter("error", Image.DecompressionBombWarning)
            image = Image.open(io.BytesIO(data), formats=_FORMATS)
            if image.width * image.height > MOST_PIXELS:
                raise BadInput(f"“{path.name}” is too large a picture ({image.width} × {image.height}).", "outline")
            if getattr(image, "n_frames", 1) > 1:
                raise BadInput(f"“{path.name}” is an animation; save one picture of it.", "outline")
            image.load()
    except UnidentifiedImageError as error:
        raise BadInput(f"“{path.name}” is not a PNG or JPEG picture.", "outline") from error
    except (OSError, ValueError, SyntaxError, EOFError, MemoryError, Image.DecompressionBombError) as error:
        raise BadInput(f"“{path.name}” is damaged or cut short.", "outline") from error
    except Image.DecompressionBombWarning as error:
        raise BadInput(f"“{path.name}” is too large a picture.", "outline") from error
    if max(image.size) > WORKING_SIDE:
        image.thumbnail((WORKING_SIDE, WORKING_SIDE))
    return image


def subject_mask(image: Image.Image, name: str) -> NDArray[np.bool_]:
    """What is not ground in an image, (h, w): by transparency where there is any, else by colour.

    The ground is the median colour of the picture's border; the subject is what differs from it by
    more than half of the largest difference. Raises BadInput for an empty or even picture.
    """
    rgba = np.asarray(image.convert("RGBA"), dtype=np.float32)
    if min(rgba.shape[:2]) < 2:
        raise BadInput(f"There is no shape to follow in “{name}”.", "outline")
    solid = rgba[:, :, 3] >= _OPAQUE_FROM
    if not solid.all():
        return np.asarray(solid)
    rgb = rgba[:, :, :3]
    border = np.concatenate([rgb[0], rgb[-1], rgb[:, 0], rgb[:, -1]])
    away = np.sqrt(((rgb - np.median(border, axis=0)) ** 2).sum(axis=2))
    if away.max() < _LEAST_CONTRAST:
        raise BadInput(f"There is no shape to follow in “{name}”: it is all one colour.", "outline")
    return np.asarray(away > away.max() / 2)
