"""The selected row: size, count, nominal size, order; and how it looks from above."""

from __future__ import annotations

from PyQt6.QtCore import QSignalBlocker, QSize
from PyQt6.QtWidgets import QComboBox, QHBoxLayout, QLabel, QToolButton, QVBoxLayout, QWidget

from kakushi.desktop.document import Document
from kakushi.desktop.fields import LengthField, form, heading, quiet
from kakushi.desktop.icons import icon
from kakushi.desktop.plan_view import PlanView
from kakushi.desktop.row_actions import RowActions, row_action
from kakushi.desktop.theme import Theme
from kakushi.model.job import LARGEST_DIAMETER_MM, SMALLEST_DIAMETER_MM
from kakushi.model.units import format_nominal
from kakushi.session import edits

_ORDER = ("insert", "duplicate", "up", "down", "delete")
_WORDS = {"insert": "Insert", "duplicate": "Duplicate", "up": "Up", "down": "Down", "delete": "Delete"}


class RowEditor(QWidget):
    """Buttons and fields for what the ladder does by keys."""

    def __init__(self, document: Document, actions: RowActions, theme: Theme, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._document, self._actions = document, actions
        self._title = heading("No row selected")
        self._hint = quiet("Click a card or a balloon, or use ↑ ↓ in the ladder.")
        self._size = LengthField(document, "sized diameter", SMALLEST_DIAMETER_MM, LARGEST_DIAMETER_MM, diameter=True)
        self._count = QLabel()
        self._nominal = QComboBox()
        self._nominal.setAccessibleName("Nominal size")
        self.plan_view = PlanView(document, theme)
        self._buttons: list[tuple[QToolButton, str]] = []
        self._problem = QLabel()
        self._problem.setProperty("role", "wrong")
        self._problem.setWordWrap(True)
        self._body = QWidget()
        self._build()
        self._size.entered.connect(self._on_size)
        self._size.problem.connect(self._on_problem)
        self._nominal.activated.connect(self._on_nominal)
        for changed in (document.job_changed, document.selection_changed, document.preferences_changed):
            changed.connect(self._refresh)
        self.set_theme(theme)
        self._refresh()

    def _build(self) -> None:
        fields = form()
        fields.addRow("Sized to", self._stepped(self._size, "smaller", "larger"))
        fields.addRow("Balloons", self._stepped(self._count, "fewer", "more"))
        fields.addRow("Nominal", self._nominal)
        order = QHBoxLayout()
        order.setSpacing(3)
        for name in _ORDER:
            button = self._button(name)
            order.addWidget(button)
        order.addStretch(1)
        body = QVBoxLayout(self._body)
        body.setContentsMargins(0, 0, 0, 0)
        body.addLayout(fields)
        body.addWidget(self._problem)
        body.addLayout(order)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.addWidget(self._title)
        layout.addWidget(self._hint)
        layout.addWidget(self._body)
        layout.addWidget(self.plan_view)

    def _stepped(self, middle: QWidget, down: str, up: str) -> QHBoxLayout:
        row = QHBoxLayout()
        row.setSpacing(4)
        row.addWidget(self._button(down))
        row.addWidget(middle, 1)
        row.addWidget(self._button(up))
        return row

    def _button(self, name: str) -> QToolButton:
        action = row_action(name)
        button = QToolButton()
        button.setToolTip(f"{action.words} ({action.keys[0]})")
        button.setAccessibleName(action.words)
        button.setIconSize(QSize(17, 17))
        button.clicked.connect(lambda: action.run(self._actions))
        self._buttons.append((button, action.icon))
        return button

    def set_theme(self, theme: Theme) -> None:
        """Draw in another theme."""
        for button, name in self._buttons:
            button.setIcon(icon(name, theme.ink))
        self.plan_view.set_theme(theme)

    def _on_size(self, mm: float) -> None:
        piece, row = self._document.piece, self._document.row
        if piece and row:
            self._document.apply(edits.set_row_diameter(piece.key, row.key, mm))

    def _on_problem(self, text: str) -> None:
        self._problem.setText(text)
        self._problem.show()

    def _on_nominal(self, place: int) -> None:
        piece, row = self._document.piece, self._document.row
        if piece and row:
            nominal = float(self._nominal.itemData(place))
            self._document.apply(edits.set_row_nominal(piece.key, row.key, nominal, self._document.studio))

    def _refresh(self) -> None:
        piece, row, index = self._document.piece, self._document.row, self._document.row_index
        self._problem.hide()
        self._body.setVisible(row is not None)
        self._hint.setVisible(row is None)
        if piece is None or row is None or index is None:
            self._title.setText("No row selected")
            return
        self._title.setText(f"Row {index + 1} of {len(piece.rows)}, from the foot")
        self._size.set_value(row.diameter_mm)
        self._count.setText(f"{row.count} in the row")
        self._show_nominals(row.slots[0].nominal_in)

    def _show_nominals(self, current: float) -> None:
        sizes = sorted({n.nominal_in for n in self._document.studio.nominals} | {current})
        with QSignalBlocker(self._nominal):
            self._nominal.clear()
            for size in sizes:
                self._nominal.addItem(format_nominal(size), size)
            self._nominal.setCurrentIndex(sizes.index(current))
