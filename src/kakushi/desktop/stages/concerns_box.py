"""Warnings and advice of the selected piece, each of which can be set aside as meant, and taken back."""

from __future__ import annotations

from collections.abc import Callable
from types import UnionType

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QHBoxLayout, QPushButton, QVBoxLayout, QWidget

from kakushi.desktop.document.document import Document
from kakushi.desktop.widgets.fields import quiet
from kakushi.plan.intent import Concern
from kakushi.session import edits
from kakushi.words.plan import concern_words

_MEANT, _TAKE_BACK = "It is meant so", "Take back"
_TIPS = {_MEANT: "Sets it aside; it is told again when it gets worse", _TAKE_BACK: "It is told again"}


_MOST = 3
"""Sentences that are read at a glance; warnings come before advice, and what is more waits behind a button."""


class _Line(QWidget):
    """A sentence with a button beside it."""

    def __init__(self, act: Callable[[Concern], None]) -> None:
        super().__init__()
        self._concern: Concern | None = None
        self.words = quiet()
        self.button = QPushButton()
        self.button.setFlat(True)
        row = QHBoxLayout(self)
        row.setContentsMargins(0, 0, 0, 0)
        row.addWidget(self.words, 1)
        row.addWidget(self.button, 0, Qt.AlignmentFlag.AlignTop)
        self.button.clicked.connect(lambda: act(self._concern) if self._concern else None)

    def show_concern(self, concern: Concern, words: str, label: str) -> None:
        self._concern = concern
        self.words.setText(words)
        self.button.setText(label)
        self.button.setAccessibleName(f"{label}: {words}")
        self.button.setToolTip(_TIPS[label])


class ConcernsBox(QWidget):
    """What is told of the selected piece, of the kinds in `kinds`, and what is set aside of them."""

    def __init__(self, document: Document, kinds: type | UnionType) -> None:
        super().__init__()
        self._document, self._kinds = document, kinds
        self._told, self._aside = QVBoxLayout(), QVBoxLayout()
        self._more = self._folding("The rest of what is told of this piece")
        self._open = self._folding("What you have set aside on this piece; it is told again when it gets worse")
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(6)
        for part in (self._told, self._aside):
            part.setSpacing(6)
        column.addLayout(self._told)
        column.addWidget(self._more, 0, Qt.AlignmentFlag.AlignLeft)
        column.addWidget(self._open, 0, Qt.AlignmentFlag.AlignLeft)
        column.addLayout(self._aside)
        for changed in (document.plan_changed, document.selection.changed, document.preferences_changed):
            changed.connect(self.refresh)
        self.refresh()

    def refresh(self) -> None:
        """Follow the plan."""
        piece_plan = self._document.piece_plan
        told = self._of_kinds(piece_plan.concerns) if piece_plan else []
        aside = self._of_kinds(piece_plan.set_aside) if piece_plan else []
        rest = len(told) - _MOST
        self._more.setText("Fewer" if self._more.isChecked() else f"{rest} more")
        self._more.setVisible(rest > 0)
        self._show(self._told, told if self._more.isChecked() else told[:_MOST], _MEANT, self._set_aside)
        self._open.setText(f"{len(aside)} set aside")
        self._open.setVisible(bool(aside))
        self._show(self._aside, aside if self._open.isChecked() else [], _TAKE_BACK, self._take_back)
        self.setVisible(bool(told or aside))

    def _folding(self, tip: str) -> QPushButton:
        """A button that unfolds what is told less often."""
        button = QPushButton()
        button.setFlat(True)
        button.setCheckable(True)
        button.setToolTip(tip)
        button.toggled.connect(self.refresh)
        return button

    def _of_kinds(self, concerns: tuple[Concern, ...]) -> list[Concern]:
        return [each for each in concerns if isinstance(each.said, self._kinds)]

    def _show(self, column: QVBoxLayout, concerns: list[Concern], label: str, act: Callable[[Concern], None]) -> None:
        while column.count() < len(concerns):
            column.addWidget(_Line(act))
        for place in range(column.count()):
            line = getattr(column.itemAt(place), "widget", lambda: None)()
            if not isinstance(line, _Line):
                continue
            if place < len(concerns):
                line.show_concern(concerns[place], concern_words(concerns[place], self._document.wording), label)
            line.setVisible(place < len(concerns))

    def _set_aside(self, concern: Concern) -> None:
        if piece := self._document.piece:
            self._document.apply(edits.set_aside(piece.key, concern.meant))

    def _take_back(self, concern: Concern) -> None:
        if piece := self._document.piece:
            self._document.apply(edits.take_back(piece.key, concern.what))
