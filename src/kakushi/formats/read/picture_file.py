"""Pictures somebody brings, opened with care: bombs, endless files and torn ones are refused in a sentence."""

from __future__ import annotations

import io
import warnings
from collections.abc import Callable

from PIL import Image, UnidentifiedImageError

from kakushi.formats.store.limits import PICTURE_MARKERS, PICTURE_PIXELS, PICTURE_SCANNED
from kakushi.model.errors import BadInput

_JPEG, _SCAN = b"\xff\xd8", b"\xff\xda"


def opened(
    data: bytes,
    name: str,
    formats: tuple[str, ...],
    kinds: str,
    field: str,
    before: Callable[[Image.Image], None] = lambda _: None,
) -> Image.Image:
    """The picture in a file's content, read whole; `kinds` names the formats in messages, `field` where it belongs.

    `before`: what is done with it before its pixels are read. Raises BadInput.
    """
    _check_markers(data, name, field)
    try:
        with warnings.catch_warnings():
            warnings.simplefilter("error", Image.DecompressionBombWarning)
            image = Image.open(io.BytesIO(data), formats=formats)
            # A JPEG is read whole once for each of its scans.
            scanned = image.width * image.height * max(data.count(_SCAN) if image.format == "JPEG" else 1, 1)
            if image.width * image.height > PICTURE_PIXELS or scanned > PICTURE_SCANNED:
                raise BadInput(f"“{name}” is too large a picture ({image.width} × {image.height}).", field)
            if getattr(image, "n_frames", 1) > 1:
                raise BadInput(f"“{name}” is an animation; save one picture of it.", field)
            before(image)
            image.load()
    except UnidentifiedImageError as error:
        raise BadInput(f"“{name}” is not a {kinds} picture.", field) from error
    except (OSError, ValueError, SyntaxError, EOFError, MemoryError, Image.DecompressionBombError) as error:
        raise BadInput(f"“{name}” is damaged or cut short.", field) from error
    except Image.DecompressionBombWarning as error:
        raise BadInput(f"“{name}” is too large a picture.", field) from error
    return image


def _check_markers(data: bytes, name: str, field: str) -> None:
    """Raise BadInput for a JPEG with so many markers that reading them would take minutes."""
    if data.startswith(_JPEG):
        within = data.count(b"\xff\x00") + sum(data.count(bytes((0xFF, 0xD0 + k))) for k in range(8))
        if data.count(b"\xff") - within > PICTURE_MARKERS:
            raise BadInput(f"“{name}” is damaged: it has too many parts to be a picture.", field)
