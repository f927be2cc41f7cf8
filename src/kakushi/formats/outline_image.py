"""Outlines from pictures: masks, silhouettes, drawings on a plain ground."""

from __future__ import annotations

import io
import warnings
from dataclasses import dataclass
from pathlib import Path

import numpy as np
from numpy.typing import NDArray
from PIL import Image, UnidentifiedImageError
from scipy.ndimage import binary_closing, binary_opening

from kakushi.formats.atomic import read_limited
from kakushi.formats.limits import PICTURE_BYTES, PICTURE_MARKERS, PICTURE_PIXELS, PICTURE_SCANNED
from kakushi.model.arrays import Floats
from kakushi.model.errors import BadInput
from kakushi.model.outline import PointsOutline
from kakushi.shape.silhouette import lean_deg, outline_of_mask

WORKING_SIDE = 1600
_FORMATS = ("PNG", "JPEG")
_JPEG, _SCAN = b"\xff\xd8", b"\xff\xda"
_OPAQUE_FROM = 128
_MIN_CONTRAST = 24.0
_WIDEST_COLOUR = 441.7


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
    _check_markers(data, path.name)
    try:
        with warnings.catch_warnings():
            warnings.simplefilter("error", Image.DecompressionBombWarning)
            image = Image.open(io.BytesIO(data), formats=_FORMATS)
            # A JPEG is read whole once for each of its scans.
            scanned = image.width * image.height * max(data.count(_SCAN) if image.format == "JPEG" else 1, 1)
            if image.width * image.height > PICTURE_PIXELS or scanned > PICTURE_SCANNED:
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


def _check_markers(data: bytes, name: str) -> None:
    """Raise BadInput for a JPEG of so many markers that walking through them would take minutes."""
    if data.startswith(_JPEG):
        within = data.count(b"\xff\x00") + sum(data.count(bytes((0xFF, 0xD0 + k))) for k in range(8))
        if data.count(b"\xff") - within > PICTURE_MARKERS:
            raise BadInput(f"“{name}” is damaged: it has too many parts to be a picture.", "outline")


def subject_mask(image: Image.Image, name: str, how: Trace = USUAL) -> NDArray[np.bool_]:
    """What is not ground in an image, (h, w): by transparency where there is any, else by colour.

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
