"""Photographs: read with care, turned as their camera said, and made small enough to work with and to keep."""

from __future__ import annotations

import io
import math
from pathlib import Path
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray
from PIL import Image, ImageOps

from kakushi.formats.read.picture_file import opened
from kakushi.formats.store.atomic import read_limited
from kakushi.formats.store.limits import PHOTO_ADDED_BYTES, PICTURE_BYTES
from kakushi.model.errors import BadInput

_FORMATS = ("JPEG", "PNG", "WEBP")
SUFFIXES = (".jpg", ".jpeg", ".png", ".webp")
WORKING_PIXELS = 12_500_000
"""Larger photographs are halved: a balloon of 40 pixels is judged as well as one of 80."""
KEPT_SIDE = 1600
"""Longer side of a photograph kept in a job, px: the check judges a piece 800 px tall, so filling half is enough."""
_QUALITIES = (88, 75, 55, 35)
"""JPEG qualities tried until a photograph is small enough to keep; the first nearly always is."""
_FOCAL_35MM, _EXIF_IFD = 0xA405, 0x8769
"""Tags of the EXIF standard: focal length for 35 mm film, and where they are kept."""
_FILM_MM = 36.0
"""Width of 35 mm film, mm."""
_LEAST_SIDE = 64
"""Shorter side of a photograph, px, below which nothing can be checked."""
_SMALL_SIDE = 800
"""Longer side of the photographs of a recipe, px: enough to know the piece by."""


class PhotoFile(NamedTuple):
    """A photograph, (h, w, 3) sRGB bytes; its focal length over the longer side where it says so."""

    pixels: NDArray[np.uint8]
    focal: float | None
    name: str


def load_photo(path: Path) -> PhotoFile:
    """A JPEG, PNG or WebP, turned upright as its camera said. Raises JobFileError or BadInput, each one sentence."""
    return photo_from_bytes(read_limited(path, PICTURE_BYTES, "a photograph"), path.name)


def photo_from_bytes(data: bytes, name: str) -> PhotoFile:
    """The photograph in a file's content. Raises BadInput."""
    image = opened(data, name, _FORMATS, "JPEG, PNG or WebP", "photo", _smaller_draft)
    if min(image.size) < _LEAST_SIDE:
        raise BadInput(f"“{name}” is too small to see anything in: {image.width} × {image.height} pixels.", "photo")
    try:
        focal = _focal(image)
        turned = ImageOps.exif_transpose(image)
    except Exception:  # what cameras write beside the picture may be anything; the picture is there
        focal, turned = None, image
    shrink = math.ceil(math.sqrt(turned.width * turned.height / WORKING_PIXELS) - 1e-9)
    if shrink > 1:
        turned = turned.reduce(shrink)
    if turned.mode in {"RGBA", "LA", "P", "PA"}:
        # What shows through is white, as on paper.
        solid = turned.convert("RGBA")
        turned = Image.alpha_composite(Image.new("RGBA", solid.size, (255, 255, 255, 255)), solid)
    if turned.mode.startswith("I") or turned.mode == "F":
        raise BadInput(f"“{name}” has no usual colours; save it as JPEG.", "photo")
    return PhotoFile(np.asarray(turned.convert("RGB")), focal, name)


def kept_bytes(photo: PhotoFile) -> bytes:
    """Shrink a photograph to what a job keeps: a JPEG of at most PHOTO_ADDED_BYTES, without place or time."""
    image = Image.fromarray(photo.pixels)
    image.thumbnail((KEPT_SIDE, KEPT_SIDE))
    for quality in _QUALITIES:
        buffer = io.BytesIO()
        image.save(buffer, "JPEG", quality=quality)
        if buffer.tell() <= PHOTO_ADDED_BYTES:
            break
    return buffer.getvalue()


def small_photo(picture: bytes) -> bytes:
    """A photograph (JPEG) as small as a recipe keeps it. Raises BadInput."""
    image = Image.fromarray(photo_from_bytes(picture, "photograph").pixels)
    image.thumbnail((_SMALL_SIDE, _SMALL_SIDE))
    buffer = io.BytesIO()
    image.save(buffer, "JPEG", quality=_QUALITIES[0])
    return buffer.getvalue()


def _smaller_draft(image: Image.Image) -> None:
    """Have a large JPEG read at half or a quarter of its size."""
    if image.width * image.height > 2 * WORKING_PIXELS:
        image.draft("RGB", (image.width // 2, image.height // 2))


def _focal(image: Image.Image) -> float | None:
    """Focal length as a share of the longer side, from the 35 mm equivalent; None where it makes no sense."""
    told = image.getexif().get_ifd(_EXIF_IFD).get(_FOCAL_35MM)
    value = float(told) / _FILM_MM if told else 0.0
    return value if 0.3 <= value <= 6 else None
