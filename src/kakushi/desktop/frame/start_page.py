"""What an empty shelf shows: what people begin with, each a drawn card, and where to go on."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from functools import partial
from pathlib import Path

from PyQt6.QtWidgets import (
    QFrame,
    QGridLayout,
    QHBoxLayout,
    QPushButton,
    QScrollArea,
    QSizePolicy,
    QVBoxLayout,
    QWidget,
)

from kakushi.desktop.frame.start_cards import CARDS, StartCard
from kakushi.desktop.widgets.fields import heading, quiet, tip_button
from kakushi.desktop.widgets.label import Label
from kakushi.desktop.widgets.theme import Theme
from kakushi.formats.store.preferences import shown_path
from kakushi.formats.store.recovery import Recovery

_ACROSS = 3
"""Cards beside each other."""
_GAP_PX = 12
"""Between the cards."""


class StartPage(QWidget):
    """Shown while the job has no piece."""

    def __init__(self, theme: Theme, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._opening = Label("")
        self.cards = [StartCard(card, theme) for card in CARDS]
        self.add = self.cards[0]
        self.open = tip_button("Open a job…", "A job from a file (Ctrl+O)")
        self.demo = tip_button("Open the demo job", "The Lantern Quay example")
        self.quick = tip_button("Quick answers…", "How many rows, how tall, how heavy a foot (F2)")
        self._recent = QVBoxLayout()
        self._recoveries = QVBoxLayout()
        self._build()

    def wait_for(self, name: str) -> None:
        """Say that a job of that name is being opened; "" shows the cards again."""
        self._opening.setText(f"Opening {name}…" if name else "")
        self._opening.setVisible(bool(name))
        self._body.setVisible(not name)

    def _build(self) -> None:
        # Shown without shelf and tools: its width must not bound the window's.
        self.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Preferred)
        body = self._body = QWidget()
        self._opening.setProperty("role", "title")
        self._opening.setWordWrap(True)
        self._opening.setVisible(False)
        widest = max(card.sizeHint().width() for card in self.cards)
        body.setMaximumWidth(_ACROSS * widest + (_ACROSS + 2) * _GAP_PX)
        inner = QWidget()
        outer = QHBoxLayout(inner)
        outer.addStretch(1)
        outer.addWidget(self._opening, 100)
        outer.addWidget(body, 100)
        outer.addStretch(1)
        scroll = QScrollArea()
        scroll.setWidgetResizable(True)
        scroll.setFrameShape(QFrame.Shape.NoFrame)
        scroll.setAccessibleName("Start page")
        scroll.setWidget(inner)
        whole = QVBoxLayout(self)
        whole.setContentsMargins(0, 0, 0, 0)
        whole.addWidget(scroll)
        layout = QVBoxLayout(body)
        layout.setContentsMargins(0, 20, 0, 20)
        layout.setSpacing(_GAP_PX)
        layout.addLayout(self._recoveries)
        layout.addStretch(1)
        title = Label("What do you begin with?")
        title.setProperty("role", "title")
        layout.addWidget(title)
        layout.addWidget(quiet("From a height and an outline to rows, colours, a shopping list and build sheets."))
        grid = QGridLayout()
        grid.setSpacing(_GAP_PX)
        for place, card in enumerate(self.cards):
            grid.addWidget(card, place // _ACROSS, place % _ACROSS)
        layout.addLayout(grid)
        buttons = QHBoxLayout()
        for button in (self.open, self.demo, self.quick):
            buttons.addWidget(button)
        buttons.addStretch(1)
        layout.addLayout(buttons)
        layout.addLayout(self._recent)
        layout.addStretch(2)

    def set_theme(self, theme: Theme) -> None:
        """Draw in another theme."""
        for card in self.cards:
            card.theme = theme
            card.update()

    def show_recent(self, paths: Sequence[Path], open_path: Callable[[Path], None]) -> None:
        """List recent files that still exist."""
        _clear(self._recent)
        shown = [path for path in paths if path.is_file()]
        if shown:
            self._recent.addWidget(heading("Recent jobs"))
        for path in shown[:4]:
            self._recent.addLayout(_line(shown_path(path.stem), shown_path(path.parent), partial(open_path, path)))

    def show_recoveries(
        self, recoveries: Sequence[Recovery], recover: Callable[[Recovery], None], forget: Callable[[Recovery], None]
    ) -> None:
        """Offer unsaved jobs of a program that ended without saying goodbye."""
        _clear(self._recoveries)
        for recovery in recoveries:
            told = f"“{recovery.job.brief.title}” was not saved when the program ended."
            line = QHBoxLayout()
            line.addWidget(quiet(told), 1)
            for text, act in (("Recover", recover), ("Throw away", forget)):
                button = QPushButton(text)
                button.clicked.connect(partial(_call_with, act, recovery))
                line.addWidget(button)
            self._recoveries.addLayout(line)


def _call_with(act: Callable[[Recovery], None], recovery: Recovery, _checked: bool) -> None:
    act(recovery)


def _line(text: str, tip: str, act: Callable[[], None]) -> QHBoxLayout:
    line = QHBoxLayout()
    button = QPushButton(text)
    button.setToolTip(tip)
    button.clicked.connect(lambda _checked: act())
    line.addWidget(button)
    line.addWidget(quiet(tip), 1)
    return line


def _clear(layout: QVBoxLayout | QHBoxLayout) -> None:
    while (item := layout.takeAt(0)) is not None:
        if widget := item.widget():
            widget.deleteLater()
        elif isinstance(inner := item.layout(), QHBoxLayout | QVBoxLayout):
            _clear(inner)
