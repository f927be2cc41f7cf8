"""What an empty shelf shows: what people begin with, each a drawn card, and where to go on."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from functools import partial
from pathlib import Path
from typing import TypeVar

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

from kakushi.desktop.frame.recent_card import RecentCard
from kakushi.desktop.frame.start_cards import CARDS, StartCard
from kakushi.desktop.widgets.fields import heading, quiet, tip_button
from kakushi.desktop.widgets.label import Label
from kakushi.desktop.widgets.theme import Theme
from kakushi.formats.store.recovery import Recovery

T = TypeVar("T")
_MOST_RECENT = 4
"""Recent jobs beside each other."""
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
        self._theme = theme
        self._recent = QVBoxLayout()
        self._recent_cards: list[RecentCard] = []
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
        layout.setContentsMargins(0, 14, 0, 14)
        layout.setSpacing(_GAP_PX)
        layout.addLayout(self._recoveries)
        layout.addStretch(1)
        layout.addLayout(self._recent)
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
        layout.addStretch(2)

    def set_theme(self, theme: Theme) -> None:
        """Draw in another theme."""
        self._theme = theme
        for card in (*self.cards, *self._recent_cards):
            card.theme = theme
            card.update()

    def show_recent(
        self, paths: Sequence[Path], picture_of: Callable[[Path], Path], open_path: Callable[[Path], None]
    ) -> None:
        """Show recent jobs that still exist."""
        _clear(self._recent)
        self._recent_cards = []
        shown = [path for path in paths if path.is_file()][:_MOST_RECENT]
        if not shown:
            return
        self._recent.addWidget(heading("Recent jobs"))
        line = QHBoxLayout()
        line.setSpacing(_GAP_PX)
        for path in shown:
            card = RecentCard(path, picture_of(path), self._theme)
            card.clicked.connect(partial(_call_with, open_path, path))
            self._recent_cards.append(card)
            line.addWidget(card)
        line.addStretch(1)
        self._recent.addLayout(line)

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


def _call_with(act: Callable[[T], None], what: T, _checked: bool) -> None:
    act(what)


def _clear(layout: QVBoxLayout | QHBoxLayout) -> None:
    while (item := layout.takeAt(0)) is not None:
        if widget := item.widget():
            widget.deleteLater()
        elif isinstance(inner := item.layout(), QHBoxLayout | QVBoxLayout):
            _clear(inner)
