"""Outlines from pictures: masks, silhouettes, drawings on a plain ground."""

from __future__ import annotations

from dataclasses import dataclass
from pathlib import Path

import numpy as np
from numpy.typing import NDArray
from PIL import Image
from scipy.ndimage import binary_closing, binary_opening

from kakushi.formats.read.picture_file import opened
from kakushi.formats.store.atomic import read_limited
from kakushi.formats.store.limits import PICTURE_BYTES
from kakushi.model.arrays import Floats
from kakushi.model.errors import BadInput
from kakushi.model.outline import PointsOutline
from kakushi.shape.silhouette import lean_deg, outline_of_mask

WORKING_SIDE = 1600
"""Longer side, px, at which an outline is traced: 1 mm of a usual piece."""
_FORMATS = ("PNG", "JPEG")
_OPAQUE_FROM = 128
"""Opacity, 0 to 255, from which a pixel belongs to the shape."""
_MIN_CONTRAST = 24.0
"""Difference of colour from the background, 0 to 441, under which no shape is traced."""
_WIDEST_COLOUR = 441.7
"""Largest difference of two RGB colours: 255·√3."""


@dataclass(frozen=True, slots=True)
class Trace:
    """How the subject of a picture is found.

    `threshold` 0 to 1: how far from the ground (or from the colour picked) a pixel may be, as a share of the
    largest difference; `colour` the subject's own colour, None: whatever differs from the ground; `turn_deg`
    anticlockwise to bring it upright; `axis_share` where the axis lies across the shape; specks and holes
    up to `specks_px` are cleaned away.
    """

    threshold: float = 0.5
    colour: tuple[int, int, int] | None = None
    turn_deg: float = 0.0
    axis_share: float | None = None
    specks_px: int = 2


USUAL = Trace()


def load_outline_image(path: Path, height_mm: float, straightened: bool = True) -> PointsOutline:
    """The outline of the largest shape in a PNG or JPEG, stood upright unless it is to stay as it was taken.

    Raises JobFileError or BadInput, each one sentence.
    """
    image = open_picture(path)
    turn = turn_upright_deg(image, path.name) if straightened else 0.0
    return traced(image, Trace(turn_deg=turn), path.name, height_mm)[1]


def turn_upright_deg(image: Image.Image, name: str, how: Trace = USUAL) -> float:
    """Degrees anticlockwise that bring a leaning subject upright; 0 where it stands. Raises BadInput with no shape."""
    return round(lean_deg(subject_mask(image, name, how)), 1)


def traced(image: Image.Image, how: Trace, name: str, height_mm: float) -> tuple[NDArray[np.bool_], PointsOutline]:
    """The mask (h, w) a tracing gives and the outline of its largest shape. Raises BadInput without one."""
    turned = image.convert("RGBA")
    if how.turn_deg:
        turned = turned.rotate(how.turn_deg, expand=True, resample=Image.Resampling.BILINEAR)
    mask = subject_mask(turned, name, how)
    return mask, outline_of_mask(mask, Path(name).stem, height_mm, how.axis_share)


def open_picture(path: Path) -> Image.Image:
    """A PNG or JPEG, scaled down to WORKING_SIDE, turned as its camera said. Raises JobFileError or BadInput."""
    data = read_limited(path, PICTURE_BYTES, "a picture")
    image = opened(data, path.name, _FORMATS, "PNG or JPEG", "outline")
    if max(image.size) > WORKING_SIDE:
        image.thumbnail((WORKING_SIDE, WORKING_SIDE))
    return image


def subject_mask(image: Image.Image, name: str, how: Trace = USUAL) -> NDArray[np.bool_]:
    """Mask of the subject of an image, (h, w) bool: by transparency where there is any, else by colour.

    The ground is the median colour of the picture's border; the subject is what differs from it by
    more than half of the largest difference. Raises BadInput for an empty or even picture.
    """
    rgba = np.asarray(image.convert("RGBA"), dtype=np.float32)
    if min(rgba.shape[:2]) < 2:
        raise BadInput(f"There is no shape to follow in “{name}”.", "outline")
    solid = rgba[:, :, 3] >= _OPAQUE_FROM
    rgb = rgba[:, :, :3]
    if how.colour is not None:
        away = _apart(rgb, np.array(how.colour, dtype=np.float32))
        return _cleaned(solid & (away <= how.threshold * _WIDEST_COLOUR), how.specks_px)
    if not solid.all() and how.turn_deg == 0:
        return _cleaned(solid, how.specks_px)
    seen = rgb[solid]
    border = np.concatenate([rgb[0], rgb[-1], rgb[:, 0], rgb[:, -1]]) if solid.all() else seen
    away = np.where(solid, _apart(rgb, np.median(border, axis=0)), 0.0)
    if away.max() < _MIN_CONTRAST:
        raise BadInput(f"There is no shape to follow in “{name}”: it is all one colour.", "outline")
    return _cleaned(away > away.max() * how.threshold, how.specks_px)


def _apart(rgb: Floats, colour: Floats) -> Floats:
    return np.asarray(np.sqrt(((rgb - colour) ** 2).sum(axis=2)))


def _cleaned(mask: NDArray[np.bool_], specks_px: int) -> NDArray[np.bool_]:
    """Without specks and holes thinner than `specks_px`; the mask itself where nothing would be left."""
    if specks_px < 1 or min(mask.shape) <= 8 * specks_px:
        return mask
    disc = np.hypot(*np.mgrid[-specks_px : specks_px + 1, -specks_px : specks_px + 1]) <= specks_px
    padded = np.pad(mask, specks_px + 1)
    inner = (slice(specks_px + 1, -specks_px - 1),) * 2
    cleaned = binary_closing(binary_opening(padded, disc), disc)[inner]
    return np.asarray(cleaned) if cleaned.any() else mask
