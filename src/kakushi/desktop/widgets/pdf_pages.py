"""Pages of a PDF as pictures."""

from __future__ import annotations

from collections.abc import Iterator

from PyQt6.QtCore import QBuffer, QByteArray, QIODevice, QSize
from PyQt6.QtGui import QColor, QImage, QPainter
from PyQt6.QtPdf import QPdfDocument

_POINTS_PER_INCH = 72


def page_image(pdf: QPdfDocument, number: int, size: QSize) -> QImage:
    """A page (from 0) on white paper, of a size in px."""
    drawn = pdf.render(number, size)
    page = QImage(drawn.size(), QImage.Format.Format_RGB32)
    page.fill(QColor("white"))
    painter = QPainter(page)
    painter.drawImage(0, 0, drawn)
    painter.end()
    return page


def png_pages(data: bytes, dots_per_inch: int) -> Iterator[bytes]:
    """Each page of a PDF as PNG."""
    pdf, source = QPdfDocument(None), QBuffer()
    source.setData(QByteArray(data))
    source.open(QIODevice.OpenModeFlag.ReadOnly)
    pdf.load(source)
    for number in range(pdf.pageCount()):
        size = (pdf.pagePointSize(number) * (dots_per_inch / _POINTS_PER_INCH)).toSize()
        target = QBuffer()
        target.open(QIODevice.OpenModeFlag.WriteOnly)
        page_image(pdf, number, size).save(target, "PNG")
        yield bytes(target.data().data())
    pdf.close()
