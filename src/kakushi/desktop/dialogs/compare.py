"""Fits side by side: the closest shape at one end, the fewest sizes at the other."""

from __future__ import annotations

import pyqtgraph
from PyQt6.QtCore import QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QImage, QMouseEvent, QPainter, QPaintEvent, QPen, QResizeEvent
from PyQt6.QtWidgets import QHBoxLayout, QSizePolicy, QSlider, QWidget

from kakushi.desktop.dialogs.dialog import Dialog
from kakushi.desktop.document.document import Document
from kakushi.desktop.views.drawing import Drawing
from kakushi.desktop.widgets.fields import quiet
from kakushi.desktop.widgets.label import Label
from kakushi.desktop.widgets.painting import image_of
from kakushi.desktop.widgets.theme import Theme
from kakushi.model.frame import Frame
from kakushi.picture.paint import Paint
from kakushi.picture.scene import portrait
from kakushi.plan.fitting import Alternative
from kakushi.session import row_edits
from kakushi.shape.fit_result import FitResult
from kakushi.words.fit import fit_words, sizes_words
from kakushi.words.plan import core_words
from kakushi.words.wording import capital

_CARD_W, _CARD_H = 118, 250
_PLAIN = Paint((0.79, 0.66, 0.47))
_MARGIN = 0.5
"""Margin around a drawn alternative, in row diameters."""


class CompareDialog(Dialog):
    """Alternatives for the selected piece. Nothing changes until one is used."""

    def __init__(self, document: Document, theme: Theme, parent: QWidget | None = None) -> None:
        super().__init__("Compare fits", parent)
        self._document, self._theme = document, theme
        self._piece = document.piece
        self._found: tuple[Alternative, ...] = ()
        self._words = Label("Looking for fits with fewer and fewer sizes…")
        self._words.setWordWrap(True)
        self._cards = _Cards(document, theme)
        self._slider = QSlider(Qt.Orientation.Horizontal)
        self._slider.setAccessibleName("From the closest shape to the fewest sizes")
        self._chart = pyqtgraph.PlotWidget(background=theme.field)
        self._points = pyqtgraph.ScatterPlotItem(size=11, pxMode=True)
        self._line = pyqtgraph.PlotDataItem()
        self._build_chart()
        if (canvas := self._chart.viewport()) is not None:
            canvas.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        ends = QHBoxLayout()
        ends.addWidget(quiet("closest shape"))
        ends.addWidget(self._slider, 1)
        ends.addWidget(quiet("fewest sizes"))
        self.column.addWidget(self._cards, 1)
        self.column.addLayout(ends)
        self.column.addWidget(self._chart)
        self.column.addWidget(self._words)
        self._use = self.add_main("Use this fit", "The piece takes these rows", keeps=False)
        self.add_close("Keep the rows as they are")
        self._use.setEnabled(False)
        self._slider.setEnabled(False)
        self._slider.valueChanged.connect(self._show)
        self._cards.chosen.connect(self._slider.setValue)
        self._points.sigClicked.connect(lambda _plot, spots, _event: self._slider.setValue(int(spots[0].data())))
        self._use.clicked.connect(self._apply)
        document.chooser.alternatives_found.connect(self._on_found)
        document.refused.connect(self.say)
        self.finished.connect(lambda _code: document.chooser.stop_comparing())
        self.open_at(880, 640)
        document.chooser.compare()

    def _build_chart(self) -> None:
        plot = self._chart.getPlotItem()
        plot.setLabel("bottom", "different sizes")
        plot.setLabel("left", "match, %")
        plot.setMouseEnabled(False, False)
        plot.setMenuEnabled(False)
        plot.hideButtons()
        for name in ("bottom", "left"):
            axis = plot.getAxis(name)
            axis.setPen(self._theme.line)
            axis.setTextPen(self._theme.ink)
        plot.addItem(self._line)
        plot.addItem(self._points)
        self._line.setPen(self._theme.line, width=1.5)
        self._chart.setFixedHeight(170)
        self._chart.setAccessibleName("Match against the number of different sizes")

    @property
    def current(self) -> FitResult | None:
        """The alternative that is looked at."""
        return self._found[self._slider.value()].fit if self._found else None

    def _on_found(self, alternatives: tuple[Alternative, ...]) -> None:
        self._found = alternatives
        self._slider.setRange(0, len(alternatives) - 1)
        self._use.setEnabled(True)
        # With one size there is nothing to trade.
        self._slider.setEnabled(len(alternatives) > 1)
        self._chart.setVisible(len(alternatives) > 1)
        self._cards.show_fits(tuple(each.fit for each in alternatives))
        self._show(self._slider.value())

    def _show(self, index: int) -> None:
        if not self._found:
            return
        sizes = [each.fit.size_count for each in self._found]
        shares = [100 * each.fit.match.mean for each in self._found]
        accent, quiet_ink = self._theme.accent, self._theme.quiet
        self._line.setData(sizes, shares)
        self._points.setData(
            sizes,
            shares,
            data=list(range(len(sizes))),
            brush=[pyqtgraph.mkBrush(accent if i == index else quiet_ink) for i in range(len(sizes))],
        )
        ticks = [[(size, str(size)) for size in range(min(sizes), max(sizes) + 1)]]
        plot = self._chart.getPlotItem()
        plot.getAxis("bottom").setTicks(ticks)
        plot.setXRange(min(sizes) - 0.5, max(sizes) + 0.5)
        plot.setYRange(min(shares) - _MARGIN, max(shares) + _MARGIN)
        self._cards.choose(index)
        chosen = self._found[index]
        has_pole = self._piece is not None and self._piece.frame.pole_radius_mm > 0
        words = core_words(chosen.core_seen, "pole" if has_pole else "line")
        self._words.setText(f"{fit_words(chosen.fit, self._document.units)} {capital(words)}.")

    def _apply(self) -> None:
        if self.current is not None and self._piece is not None:
            self._document.apply(row_edits.replace_rows(self._piece.key, self.current.rows, "Use another fit"))
            self.accept()


class _Cards(QWidget):
    """Small pictures of the alternatives in a row."""

    chosen = pyqtSignal(int)

    def __init__(self, document: Document, theme: Theme) -> None:
        super().__init__()
        self._theme = theme
        self._drawing = Drawing(document, self)
        self._drawing.drawn.connect(self.update)
        self._found: tuple[FitResult, ...] = ()
        self._current = 0
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        self.setAccessibleName("Alternatives")

    def sizeHint(self) -> QSize:
        return QSize(820, _CARD_H)

    def minimumSizeHint(self) -> QSize:
        return QSize(500, 180)

    def show_fits(self, fits: tuple[FitResult, ...]) -> None:
        self._found = fits
        self._draw()

    def choose(self, index: int) -> None:
        self._current = index
        self.update()

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        self._draw()

    def _draw(self) -> None:
        if (alternatives := self._found) and self.isVisible():
            size = self._card_size()
            self._drawing.want((alternatives, size), lambda: [_portrait(result, size) for result in alternatives])

    def _card_size(self) -> tuple[int, int]:
        wide = min(_CARD_W, max(self.width() // max(len(self._found), 1) - 6, 40))
        return wide, max(self.height() - 2 * self.fontMetrics().height() - 10, 60)

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        wide, high = self._card_size()
        images = self._drawing.picture or [None] * len(self._found)
        for index, (result, image) in enumerate(zip(self._found, images, strict=True)):
            left = index * (wide + 6)
            box = QRectF(left + 1, 1, wide - 2, self.height() - 2)
            chosen = index == self._current
            painter.setPen(QPen(self._theme.colour("accent" if chosen else "line"), 2 if chosen else 1))
            painter.setBrush(self._theme.colour("accent_soft" if chosen else "field"))
            painter.drawRoundedRect(box, 5, 5)
            if image is not None:
                painter.drawImage(QRectF(left, 2, wide, high), image)
            painter.setPen(self._theme.colour("ink"))
            words = QRectF(left, high + 4, wide, 2 * self.fontMetrics().height())
            text = f"{sizes_words(result)}\n{result.match.mean:.1%}"
            painter.drawText(words, Qt.AlignmentFlag.AlignHCenter, text)
        painter.end()

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        if event and self._found:
            wide, _ = self._card_size()
            self.chosen.emit(min(int(event.position().x() // (wide + 6)), len(self._found) - 1))


def _portrait(result: FitResult, size: tuple[int, int]) -> QImage:
    """A fit in one colour at two pixels per widget pixel."""
    wide, high = size
    paints = [_PLAIN] * len(result.geometry.radii)
    return image_of(portrait(result.geometry, Frame(kind="line"), paints, wide * 2, high * 2), 2)
