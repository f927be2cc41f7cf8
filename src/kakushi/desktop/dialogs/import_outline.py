"""Outline from a file: which shape, how the subject is found, upright, axis and side; seen as it will be."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray
from PIL import Image
from PyQt6.QtCore import QPointF, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QColor, QImage, QMouseEvent, QPainter, QPaintEvent, QPen, QPolygonF
from PyQt6.QtWidgets import QCheckBox, QFormLayout, QHBoxLayout, QPushButton, QSizePolicy, QSlider, QWidget

from kakushi.desktop.dialogs.dialog import Dialog
from kakushi.desktop.document.document import Document
from kakushi.desktop.forms.choices import Combo
from kakushi.desktop.views.outline_handles import reference_image
from kakushi.desktop.widgets.fields import form, quiet
from kakushi.desktop.widgets.theme import Theme
from kakushi.formats.read.outline_image import Trace, traced, turn_upright_deg
from kakushi.model.errors import BadInput
from kakushi.model.outline import PointsOutline
from kakushi.shape.sculpt import OutlineSide, asymmetry, with_side

_NOTABLE = 0.02
"""Difference of the sides, as a share of the width, from which an outline is called uneven."""
_PREVIEW_SIDE = 700
_MASK_ALPHA = 110


class ImportOutlineDialog(Dialog):
    """Choose and clean an outline; `outline` holds it once accepted, `picture` the picture for reference."""

    def __init__(
        self,
        document: Document,
        theme: Theme,
        name: str,
        outlines: Sequence[PointsOutline],
        image: Image.Image | None = None,
        parent: QWidget | None = None,
    ) -> None:
        super().__init__(f"Outline from “{name}”", parent)
        self._document, self._name, self._image, self._found = document, name, image, list(outlines)
        self.outline: PointsOutline | None = None
        self.picture: QImage | None = None
        self._height = document.piece.target_height_mm if document.piece else 2000.0
        self.subject: tuple[int, int, int] | None = None
        self._preview = _Preview(theme)
        self._shape, self._side = Combo(), Combo()
        self._threshold, self._turn, self._axis = (QSlider(Qt.Orientation.Horizontal) for _ in range(3))
        self._own_axis, self._keep_picture = QCheckBox("place it"), QCheckBox("Show the picture behind the piece")
        self._ground = QPushButton("Whatever differs from the ground")
        self._straighten = QCheckBox("Straighten")
        self._lean = 0.0
        self._said = quiet()
        self._build()
        self._connect()
        self.open_at(820, 640)
        self._trace()

    def _build(self) -> None:
        fields = form()
        self._shape.addItems([_shape_words(i, o) for i, o in enumerate(self._found)])
        self._shape.setAccessibleName("Which shape")
        fields.addRow("Shape", self._shape)
        fields.setRowVisible(self._shape, len(self._found) > 1)
        if self._image is not None:
            self._build_picture(fields)
        self._side.addItems([side.value for side in OutlineSide])
        self._side.setCurrentText(OutlineSide.BOTH.value)
        self._side.setAccessibleName("Which side counts")
        fields.addRow("Sides", self._side)
        fields.addRow("", self._said)
        row = QHBoxLayout()
        row.addWidget(self._preview, 1)
        row.addLayout(fields, 0)
        self.column.addLayout(row, 1)
        self._use = self.add_main("Use this outline", "The piece takes it", keeps=False)
        self.add_close("Cancel")

    def _build_picture(self, fields: QFormLayout) -> None:
        self._threshold.setRange(3, 97)
        self._threshold.setValue(50)
        self._threshold.setAccessibleName("Threshold")
        self._turn.setRange(-450, 450)
        self._turn.setAccessibleName("Turn upright")
        self._find_lean()
        self._axis.setRange(0, 1000)
        self._axis.setValue(500)
        self._axis.setEnabled(False)
        self._axis.setAccessibleName("Place of the axis")
        fields.addRow("Subject", self._ground)
        fields.addRow("", quiet("Click the subject in the picture to go by its colour."))
        fields.addRow("Threshold", self._threshold)
        fields.addRow("Upright", self._turn)
        fields.addRow("", self._straighten)
        axis = QHBoxLayout()
        axis.addWidget(self._own_axis)
        axis.addWidget(self._axis, 1)
        fields.addRow("Axis", axis)
        fields.addRow("", self._keep_picture)

    def _connect(self) -> None:
        self._shape.currentIndexChanged.connect(self._trace)
        self._side.currentIndexChanged.connect(self._trace)
        for slider in (self._threshold, self._turn, self._axis):
            slider.valueChanged.connect(self._trace)
        self._straighten.toggled.connect(lambda on: self._turn.setValue(round(10 * self._lean) if on else 0))
        self._own_axis.toggled.connect(self._axis.setEnabled)
        self._own_axis.toggled.connect(self._trace)
        self._ground.clicked.connect(self._go_by_ground)
        self._preview.picked.connect(self._pick)
        self._use.clicked.connect(self._on_use)

    def _find_lean(self) -> None:
        """Turn a leaning picture upright at first; the check box says by how much, and undoes it."""
        assert self._image is not None
        try:
            self._lean = turn_upright_deg(self._image, self._name)
        except BadInput:
            self._lean = 0.0
        self._straighten.setVisible(bool(self._lean))
        self._straighten.setText(f"It leans by {abs(self._lean):.1f}°: straighten it")
        self._straighten.setChecked(bool(self._lean))
        self._turn.setValue(round(10 * self._lean))

    # --- tracing -----------------------------------------------------------------------------

    def _go_by_ground(self) -> None:
        self.subject = None
        self._trace()

    def _pick(self, x: float, y: float) -> None:
        """Go by the colour at a place of the turned picture, shares of its width and height."""
        if self._image is None:
            return
        turned = self._turned()
        at = (min(int(x * turned.width), turned.width - 1), min(int(y * turned.height), turned.height - 1))
        pixel = turned.getpixel(at)
        if isinstance(pixel, tuple):
            self.subject = (int(pixel[0]), int(pixel[1]), int(pixel[2]))
        self._threshold.setValue(min(self._threshold.value(), 25))
        self._trace()

    def _turned(self) -> Image.Image:
        assert self._image is not None
        small = self._image.convert("RGBA")
        small.thumbnail((_PREVIEW_SIDE, _PREVIEW_SIDE))
        return small.rotate(self._turn.value() / 10, expand=True, resample=Image.Resampling.BILINEAR)

    def _how(self) -> Trace:
        return Trace(
            threshold=self._threshold.value() / 100,
            colour=self.subject,
            turn_deg=self._turn.value() / 10,
            axis_share=self._axis.value() / 1000 if self._own_axis.isChecked() else None,
        )

    def _trace(self) -> None:
        mask = None
        try:
            if self._image is None:
                outline = self._found[max(self._shape.currentIndex(), 0)]
            else:
                small = self._image.convert("RGBA")
                small.thumbnail((_PREVIEW_SIDE, _PREVIEW_SIDE))
                mask, outline = traced(small, self._how(), self._name, self._height)
        except BadInput as error:
            self.outline = None
            self._use.setEnabled(False)
            self.say(self._document.said(error))
            self._preview.show_outline(None, None, self._turned() if self._image else None)
            return
        self.say("")
        difference = asymmetry(outline)
        even = (
            "The two sides agree."
            if difference < _NOTABLE
            else f"The two sides differ by up to {difference:.0%} of the width."
        )
        self._said.setText(f"{even} {len(outline.points)} points.")
        self._side.setEnabled(difference >= _NOTABLE)
        self.outline = with_side(outline, OutlineSide(self._side.currentText()))
        self._use.setEnabled(True)
        self._preview.show_outline(self.outline, mask, self._turned() if self._image else None)

    def _on_use(self) -> None:
        if self._image is not None and self.outline is not None:
            # The preview works on a small picture; the outline comes from the whole one.
            try:
                _, outline = traced(self._image, self._how(), self._name, self._height)
            except BadInput as error:
                self.say(self._document.said(error))
                return
            self.outline = with_side(outline, OutlineSide(self._side.currentText()))
            if self._keep_picture.isChecked():
                turned = self._turned()
                self.picture = reference_image(turned.width, turned.height, turned.tobytes())
        self.accept()


def _shape_words(index: int, outline: PointsOutline) -> str:
    return "all together" if index == 0 else outline.name.rsplit(", ", 1)[-1]


class _Preview(QWidget):
    """The picture with the outline found in it, beside the outline it becomes."""

    picked = pyqtSignal(float, float)

    def __init__(self, theme: Theme) -> None:
        super().__init__()
        self._theme = theme
        self._outline: PointsOutline | None = None
        self._image: QImage | None = None
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        self.setAccessibleName("Preview")

    def sizeHint(self) -> QSize:
        return QSize(480, 480)

    def show_outline(
        self, outline: PointsOutline | None, mask: NDArray[np.bool_] | None, image: Image.Image | None
    ) -> None:
        """Show an outline, and the picture with the subject tinted."""
        self._outline = outline
        self._image = None
        if image is not None:
            pixels = np.array(image.convert("RGBA"))
            if mask is not None and mask.shape == pixels.shape[:2]:
                tint = QColor(self._theme.accent)
                share = _MASK_ALPHA / 255
                colour = np.array([tint.red(), tint.green(), tint.blue()])
                pixels[mask, :3] = (pixels[mask, :3] * (1 - share) + colour * share).astype(np.uint8)
                pixels[mask, 3] = 255
            self._image = reference_image(pixels.shape[1], pixels.shape[0], pixels.tobytes())
        self.update()

    @property
    def picture_box(self) -> QRectF:
        """Where the picture is drawn, in pixels; empty without one."""
        if self._image is None:
            return QRectF()
        room = QRectF(0, 0, self.width() * 0.6, self.height())
        share = min(room.width() / self._image.width(), room.height() / self._image.height())
        return QRectF(0, 0, self._image.width() * share, self._image.height() * share)

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        box = self.picture_box
        if self._image is not None:
            painter.drawImage(box, self._image)
        if self._outline is not None:
            room = QRectF(box.right() + 12, 8, self.width() - box.right() - 20, self.height() - 16)
            self._paint_outline(painter, self._outline, room)
        painter.end()

    def _paint_outline(self, painter: QPainter, outline: PointsOutline, room: QRectF) -> None:
        points = outline.points
        half = max(max(p.left_mm, p.right_mm) for p in points)
        tall = points[-1].height_mm - points[0].height_mm
        per_mm = min(room.width() / max(2 * half, 1), room.height() / max(tall, 1))
        middle, floor = room.center().x(), room.center().y() + tall * per_mm / 2
        right = [QPointF(middle + p.right_mm * per_mm, floor - p.height_mm * per_mm) for p in points]
        left = [QPointF(middle - p.left_mm * per_mm, floor - p.height_mm * per_mm) for p in reversed(points)]
        painter.setPen(QPen(self._theme.colour("ink"), 1.6))
        painter.setBrush(self._theme.colour("accent_soft"))
        painter.drawPolygon(QPolygonF([*right, *left]))
        painter.setPen(QPen(self._theme.colour("accent"), 1, Qt.PenStyle.DashLine))
        painter.drawLine(QPointF(middle, floor), QPointF(middle, floor - tall * per_mm))

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        box = self.picture_box
        if event and self._image is not None and box.contains(event.position()):
            self.picked.emit(event.position().x() / box.width(), event.position().y() / box.height())
