"""Any name in print: each sign in a face that has it, words that run from right to left in the order they are seen."""

from __future__ import annotations

import unicodedata
from collections.abc import Iterable, Iterator
from functools import lru_cache
from itertools import groupby
from typing import Any
from xml.sax.saxutils import escape

from pydantic import BaseModel
from reportlab.lib.styles import ParagraphStyle
from reportlab.pdfbase import pdfmetrics
from reportlab.pdfbase.ttfonts import TTFont
from reportlab.pdfgen.canvas import Canvas
from reportlab.platypus import Paragraph

from kakushi.formats.store.paths import data_path

PLAIN, BOLD = "Lato", "Lato-Bold"
_FACES = ("DejaVuSans", "DroidSansFallback", "KakushiHangul", "NotoSansThai", "NotoEmoji")
"""Looked through where the usual face lacks a sign: most alphabets, Chinese and Japanese, Korean, Thai, emoji."""
_STAND_IN = "□"
_SHAPING_ONLY = {"Cf", "Mn", "Me"}
"""Categories of signs that change others; where no face has one, the others are printed without it."""
_TOLD = 8
"""Signs that are named; more nobody looks for."""


_FILES = {PLAIN: "Lato-Regular"}


@lru_cache(maxsize=16)
def _face(name: str) -> TTFont:
    """A typeface, made known to reportlab when it is first needed: the large ones take a moment to read."""
    font = TTFont(name, str(data_path("fonts", f"{_FILES.get(name, name)}.ttf")))
    pdfmetrics.registerFont(font)
    return font


def fonts() -> tuple[str, str]:
    """The names of the plain and the bold typeface, made known to reportlab."""
    for name in (PLAIN, BOLD):
        _face(name)
    pdfmetrics.registerFontFamily(PLAIN, normal=PLAIN, bold=BOLD, italic=PLAIN, boldItalic=BOLD)
    return PLAIN, BOLD


@lru_cache(maxsize=4096)
def _face_of(sign: str, usual: str) -> str | None:
    """The name of a face that has a sign, the `usual` one first; None where none has it."""
    return next((name for name in (usual, *_FACES) if ord(sign) in _face(name).face.charToGlyph), None)


def runs(text: str, usual: str = PLAIN) -> list[tuple[str, str]]:
    """Split text into runs of one typeface, (name, text), left to right."""
    signs = []
    for sign in _as_seen(text):
        if face := _face_of(sign, usual):
            signs.append((face, sign))
        elif sign.isspace():
            signs.append((usual, " "))
        elif unicodedata.category(sign) not in _SHAPING_ONLY:
            signs.append((_face_of(_STAND_IN, usual) or usual, _STAND_IN))
    return [(face, "".join(sign for _, sign in run)) for face, run in groupby(signs, key=lambda each: each[0])]


def _as_seen(text: str) -> str:
    """Signs from left to right as they are seen: letters joined, words that run from right to left turned round."""
    if not any(unicodedata.bidirectional(sign) in {"R", "AL", "AN"} for sign in text):
        return text
    from arabic_reshaper import reshape  # noqa: PLC0415 - few jobs need it
    from bidi import get_display  # noqa: PLC0415 - as above

    return str(get_display(reshape(text)))


def paragraph(text: str, style: ParagraphStyle) -> Paragraph:
    """A paragraph of plain text."""
    return Paragraph(markup(text, style.fontName), style)


def markup(text: str, usual: str = PLAIN) -> str:
    """Plain text as a paragraph's markup."""
    lines = (runs(line, usual) for line in text.splitlines() or [""])
    return "<br/>".join(
        "".join(escape(part) if face == usual else f'<font name="{face}">{escape(part)}</font>' for face, part in line)
        for line in lines
    )


def in_one_face(text: str, usual: str = PLAIN) -> tuple[str, str]:
    """A face, and a short text as it is set in it where all of it must be in one: that of its first sign."""
    return (runs(text, usual) or [(usual, "")])[0]


def width_of(text: str, size: float, usual: str = PLAIN) -> float:
    """Width of a line in points."""
    return float(sum(pdfmetrics.stringWidth(part, face, size) for face, part in runs(text, usual)))


def draw_line(canvas: Canvas, x: float, y: float, text: str, size: float, usual: str = PLAIN) -> None:
    """A line of text from `x` on."""
    for face, part in runs(text, usual):
        canvas.setFont(face, size)
        canvas.drawString(x, y, part)
        x += pdfmetrics.stringWidth(part, face, size)


def not_printed(told: BaseModel) -> str:
    """A sentence on signs in the texts of a value that no face has; "" where there are none."""
    missing = dict.fromkeys(
        sign
        for text in _texts(told.model_dump())
        for sign in text
        if not sign.isspace() and unicodedata.category(sign) not in {*_SHAPING_ONLY, "Cc"} and not _face_of(sign, PLAIN)
    )
    if not missing:
        return ""
    named = ", ".join(_named(sign) for sign in list(missing)[:_TOLD]) + ("…" if len(missing) > _TOLD else "")
    return f"Printed as {_STAND_IN}, since no typeface here has them: {named}."


def _named(sign: str) -> str:
    return f"U+{ord(sign):04X} {unicodedata.name(sign, '').lower()}".strip()


def _texts(value: Any) -> Iterator[str]:
    match value:
        case str():
            yield value
        case dict():
            yield from _texts(value.values())
        case list() | tuple() | Iterable():
            for inner in value:
                yield from _texts(inner)
