"""All shortcuts in one place."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

from PyQt6.QtWidgets import QGridLayout, QScrollArea, QVBoxLayout, QWidget

from kakushi.desktop.dialogs.dialog import Dialog
from kakushi.desktop.document.row_actions import ROW_ACTIONS
from kakushi.desktop.widgets.fields import heading, quiet
from kakushi.desktop.widgets.label import Label

_LADDER_KEYS = (("↑ / ↓", "Select the next row up or down"), ("Home / End", "Select the first or last row"))
_BUILD_KEYS = (
    ("Space / Enter", "This step is done"),
    ("P", "A balloon popped"),
    ("Backspace", "Undo last tick"),
    ("H", "How it is done, in full"),
    ("L", "Later"),
    ("N", "Write something down"),
)
_SHELF_KEYS = (("Alt + arrow", "Move the piece on the shelf"), ("Delete", "Remove the piece"))
_CHECK_KEYS = (
    ("PgUp / PgDown", "Take the top, or the foot"),
    ("← ↑ → ↓", "Nudge it; with Shift ten times as far"),
    ("Enter", "Check the photograph"),
    ("Delete", "Dismiss a fault, or take it back"),
    ("B", "Send a fault to Build"),
)
_ELEVATION_KEYS = (
    ("← / →", "Turn the piece"),
    ("Home", "From the front"),
    ("+ / −", "Zoom"),
    ("↑ / ↓", "Move the picture"),
)


_LADDER = (*_LADDER_KEYS, *((" or ".join(action.keys), action.words) for action in ROW_ACTIONS))
STAGE_KEYS: Mapping[str, tuple[tuple[str, str], ...]] = {
    "shape": (("F5", "Choose rows"), ("Ctrl+F5", "Compare fits"), ("Ctrl+E", "Shape by hand"), *_LADDER),
    "colour": (("Ctrl+K", "To the skin"), ("Ctrl+Shift+K", "Tying cards")),
    "dress": _ELEVATION_KEYS,
    "supplies": (("Ctrl+P", "Print"), ("Ctrl+Shift+P", "Quote for the client")),
    "prep": (("Space", "One more duplet is ready"),),
    "build": _BUILD_KEYS,
    "check": _CHECK_KEYS,
}
"""Keys of each stage that has its own."""


class ShortcutsDialog(Dialog):
    """A list of keys by place."""

    def __init__(self, window_keys: Sequence[tuple[str, str]], parent: QWidget | None = None) -> None:
        super().__init__("Keys", parent)
        columns = QGridLayout()
        columns.setHorizontalSpacing(36)
        columns.addLayout(_table("Anywhere", window_keys), 0, 0, 5, 1)
        columns.addLayout(_table("In the row ladder", _LADDER), 0, 1)
        columns.addLayout(_table("In the elevation", _ELEVATION_KEYS), 1, 1)
        columns.addLayout(_table("In Build", _BUILD_KEYS), 2, 1)
        columns.addLayout(_table("In Check", _CHECK_KEYS), 3, 1)
        columns.addLayout(_table("On the shelf", _SHELF_KEYS), 4, 1)
        body = QWidget()
        body.setLayout(columns)
        scroll = QScrollArea()
        scroll.setWidgetResizable(True)
        scroll.setAccessibleName("Keys")
        scroll.setWidget(body)
        self.column.addWidget(scroll, 1)
        self.add_close()
        self.open_at(820, 600)


def _table(title: str, keys: Sequence[tuple[str, str]]) -> QVBoxLayout:
    grid = QGridLayout()
    grid.setHorizontalSpacing(16)
    grid.setVerticalSpacing(5)
    for line, (key, words) in enumerate(keys):
        grid.addWidget(Label(key), line, 0)
        grid.addWidget(quiet(words), line, 1)
    grid.setColumnStretch(1, 1)
    box = QVBoxLayout()
    box.addWidget(heading(title))
    box.addLayout(grid)
    box.addStretch(1)
    return box
