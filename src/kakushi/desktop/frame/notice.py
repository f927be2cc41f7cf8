"""A message over the foot of the page that tells what happened; it never has to be clicked away to go on."""

from __future__ import annotations

from collections.abc import Callable
from typing import NamedTuple

from PyQt6.QtCore import QEvent, QObject, QTimer
from PyQt6.QtWidgets import QFrame, QHBoxLayout, QPushButton, QToolButton, QWidget

from kakushi.desktop.widgets.label import Label
from kakushi.desktop.widgets.painting import restyle

_SHOWN_MS = 6000
"""Time a notice stays, ms: two sentences are read in it."""


_MARGIN, _WIDEST = 14, 760
"""Space around a message, and its largest width, px: a longer line is not read in one go."""


class Mend(NamedTuple):
    """What mends what a message says: the words of its button, with the key, and what is done."""

    words: str
    act: Callable[[], object]


class Notice(QFrame):
    """A message that lies over the foot of a widget: nothing below it moves.

    `tell` passes by itself, `warn` stays until closed or replaced. Both may carry a button with what mends it.
    """

    def __init__(self, over: QWidget) -> None:
        super().__init__(over)
        self._over = over
        over.installEventFilter(self)
        self._label = Label()
        self._label.setWordWrap(True)
        self._close = QToolButton()
        self._close.setText("Close")
        self._close.setToolTip("Closes this message")
        self._close.setProperty("quiet", True)
        self._close.clicked.connect(self.hide)
        self._mend: Mend | None = None
        self._mends = QPushButton()
        self._mends.clicked.connect(lambda _: self._on_mend())
        self._stop = QPushButton("Stop")
        self._stop.setToolTip("Stops what runs; everything stays as it was")
        layout = QHBoxLayout(self)
        layout.setContentsMargins(14, 5, 8, 5)
        layout.addWidget(self._label, 1)
        layout.addWidget(self._mends)
        layout.addWidget(self._stop)
        layout.addWidget(self._close)
        self._timer = QTimer(self)
        self._timer.setSingleShot(True)
        self._timer.setInterval(_SHOWN_MS)
        self._timer.timeout.connect(self.hide)
        self.stop_clicked = self._stop.clicked
        self.hide()

    @property
    def text(self) -> str:
        """Current notice; empty when there is none."""
        return "" if self.isHidden() else self._label.text()

    def tell(self, text: str, mend: Mend | None = None) -> None:
        """Something worth knowing; passes."""
        self._show(text, "notice", mend)
        self._timer.start()

    def warn(self, text: str, mend: Mend | None = None) -> None:
        """Something went wrong; stays."""
        self._show(text, "problem", mend)

    def busy(self, text: str) -> None:
        """Long work runs and can be stopped."""
        self._show(text, "notice")
        self._stop.show()
        self._close.hide()

    def _on_mend(self) -> None:
        mend = self._mend
        self.hide()
        if mend is not None:
            mend.act()

    def _show(self, text: str, role: str, mend: Mend | None = None) -> None:
        self._timer.stop()
        self._mend = mend
        self._mends.setText(mend.words if mend else "")
        self._mends.setVisible(mend is not None)
        self._stop.hide()
        self._close.show()
        self._label.setText(text)
        restyle(self, "role", role)
        self._place()
        self.show()
        self.raise_()

    def eventFilter(self, watched: QObject | None, event: QEvent | None) -> bool:
        """Stay at the foot of what it lies over."""
        if event is not None and event.type() == QEvent.Type.Resize and not self.isHidden():
            self._place()
        return super().eventFilter(watched, event)

    def _place(self) -> None:
        wide = min(self._over.width() - 2 * _MARGIN, _WIDEST)
        layout = self.layout()
        high = layout.totalHeightForWidth(wide) if layout is not None else self.sizeHint().height()
        self.setGeometry((self._over.width() - wide) // 2, self._over.height() - high - _MARGIN, wide, high)
