"""The check of a photograph on one page: the picture with its faults numbered, and what to do about each."""

from __future__ import annotations

import datetime as dt
import io
from collections.abc import Iterator

import numpy as np
from numpy.typing import NDArray
from PIL import Image, ImageDraw
from reportlab.lib.units import mm
from reportlab.platypus import Flowable, Spacer, Table
from reportlab.platypus import Image as PrintedImage

from kakushi.formats.print.style import QUIET, chapters_pdf, style
from kakushi.formats.print.text import fonts, paragraph
from kakushi.model.record import Photo
from kakushi.words.wording import taken

_WIDE_MM, _TALL_MM = 96.0, 200.0
"""Room for the photograph, mm."""
_DPI = 200
"""Resolution of printed photographs: sharp at reading distance."""
_BOX = "☐"
_MOST_LINES = 34
"""Of faults that one page holds beside the picture."""


def check_pdf(photo: Photo, pixels: NDArray[np.uint8], piece: str, title: str) -> bytes:
    """PDF of a checked photograph (h, w, 3) of a piece; faults that were dismissed are left out."""
    fonts()
    return chapters_pdf(title, [(f"Check of {piece}", list(_page(photo, pixels, piece)))])


def _page(photo: Photo, pixels: NDArray[np.uint8], piece: str) -> Iterator[Flowable]:
    yield paragraph(f"Check of {piece}", style(20, bold=True, after=2))
    at = taken(dt.datetime.fromtimestamp(photo.at))
    yield paragraph(f"Photograph “{photo.title}”, {at}", style(10, colour=QUIET, after=6))
    faults = [(number, fault) for number, fault in enumerate(photo.faults, 1) if not fault.dismissed]
    lines: list[Flowable] = [
        paragraph(f"{_BOX} <b>{number}</b>  {_plain(fault.words)}", style(10, after=3))
        for number, fault in faults[:_MOST_LINES]
    ]
    if len(faults) > _MOST_LINES:
        lines.append(paragraph(f"And {len(faults) - _MOST_LINES} more.", style(10)))
    if not faults:
        lines.append(paragraph("Nothing wrong was found.", style(11, bold=True)))
    lines.append(Spacer(1, 8))
    lines += [paragraph(_plain(words), style(9, colour=QUIET, after=2)) for words in photo.words]
    table = Table([[_picture(photo, pixels), lines]], colWidths=[(_WIDE_MM + 4) * mm, None])
    table.setStyle([("VALIGN", (0, 0), (-1, -1), "TOP"), ("LEFTPADDING", (0, 0), (0, 0), 0)])
    yield table


def _plain(words: str) -> str:
    return words.replace("&", "&amp;").replace("<", "&lt;").replace(">", "&gt;")


def _picture(photo: Photo, pixels: NDArray[np.uint8]) -> Flowable:
    """The photograph with its faults circled and numbered; black and white tell them too."""
    image = Image.fromarray(pixels).convert("RGB")
    by = min(_WIDE_MM / image.width, _TALL_MM / image.height)
    px = by / 25.4 * _DPI
    if px < 1:
        image = image.resize(
            (max(round(image.width * px), 1), max(round(image.height * px), 1)), Image.Resampling.LANCZOS
        )
    scale = image.width / pixels.shape[1]
    drawing = ImageDraw.Draw(image)
    for number, fault in enumerate(photo.faults, 1):
        if fault.dismissed:
            continue
        x, y, radius = fault.x * scale, fault.y * scale, max(fault.radius * scale, 6.0)
        for ink, wide in (("black", 7), ("white", 3)):
            drawing.ellipse((x - radius, y - radius, x + radius, y + radius), outline=ink, width=wide)
        box = (
            x + 0.7 * radius,
            y - 0.7 * radius - 26,
            x + 0.7 * radius + 15 * len(str(number)) + 12,
            y - 0.7 * radius + 2,
        )
        drawing.rectangle(box, fill="white", outline="black", width=2)
        drawing.text(
            ((box[0] + box[2]) / 2, (box[1] + box[3]) / 2), str(number), fill="black", anchor="mm", font_size=22
        )
    buffer = io.BytesIO()
    image.save(buffer, "JPEG", quality=88)
    buffer.seek(0)
    return PrintedImage(buffer, width=pixels.shape[1] * by * mm, height=pixels.shape[0] * by * mm)
