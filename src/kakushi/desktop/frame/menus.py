"""The menus: what they list, and how they are filled."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from functools import partial
from pathlib import Path

from PyQt6.QtGui import QAction, QKeySequence
from PyQt6.QtWidgets import QMenu, QMenuBar

from kakushi.desktop.document.row_actions import ROW_ACTIONS, RowAction, RowActions
from kakushi.desktop.frame.notice import Mend
from kakushi.desktop.widgets.typing import take_over
from kakushi.formats.store.preferences import shown_path


@dataclass(frozen=True, slots=True)
class Command:
    """One line of a menu; `when`: whether it can act now."""

    menu: str
    words: str
    keys: str
    run: Callable[[], object]
    name: str = ""
    when: Callable[[], bool] = lambda: True


class Menus:
    """What has to be reached again: actions by their command's name, the menu of recent files."""

    def __init__(
        self, actions: dict[str, QAction], recent: QMenu, possible: Sequence[tuple[QAction, Callable[[], bool]]]
    ) -> None:
        self._actions, self._recent, self._possible = actions, recent, possible

    def mend(self, name: str) -> Mend | None:
        """What a message offers that names a command; None where it cannot act now."""
        action = self._actions.get(name)
        if action is None:
            return None
        self.follow()
        keys = action.shortcut().toString()
        words = name.capitalize() + (f" ({keys})" if keys else "")
        return Mend(words, action.trigger) if action.isEnabled() else None

    def follow(self) -> None:
        """Enable what can act now; what cannot does not take its keys either."""
        for action, when in self._possible:
            action.setEnabled(when())

    def name_history(self, undo: str | None, redo: str | None) -> None:
        """Say what undo takes back and redo brings back."""
        for name, what in (("undo", undo), ("redo", redo)):
            self._actions[name].setText(history_words(name, what))

    def show_recent(self, paths: Sequence[Path], open_path: Callable[[Path], object]) -> None:
        """List recent files."""
        self._recent.clear()
        self._recent.setEnabled(bool(paths))
        for path in paths:
            action = self._recent.addAction(shown_path(path.name))
            if action is not None:
                action.setToolTip(shown_path(path))
                action.triggered.connect(lambda _=False, path=path: open_path(path))


def history_words(name: str, what: str | None) -> str:
    """“Undo resize row”: what undo or redo does."""
    return f"{name.capitalize()} {what[0].lower()}{what[1:]}" if what else name.capitalize()


def fill_menus(
    bar: QMenuBar, commands: Sequence[Command], row_actions: RowActions, can: Callable[[RowAction], bool]
) -> Menus:
    """Put the commands into the menu bar, with recent files under “Open…” and the row's own menu before View.

    `can(action)`: whether an action on the chosen row is possible now.
    """
    possible: list[tuple[QAction, Callable[[], bool]]] = []
    menus: dict[str, QMenu] = {}
    actions: dict[str, QAction] = {}
    recent = QMenu("Open recent", bar)
    for command in commands:
        menu = menus.get(command.menu) or bar.addMenu(command.menu)
        if menu is None:
            continue
        menus[command.menu] = menu
        if command.words == "-":
            menu.addSeparator()
            continue
        action = QAction(command.words, bar)
        action.setShortcut(QKeySequence(command.keys))
        action.triggered.connect(lambda _=False, run=command.run: _run(run))
        menu.addAction(action)
        possible.append((action, command.when))
        if command.name:
            actions[command.name] = action
        if command.words == "Open…":
            menu.addMenu(recent)
    rows = QMenu("Row", bar)
    for row_action in ROW_ACTIONS:
        action = row_actions.qt_action(row_action, rows)
        rows.addAction(action)
        possible.append((action, partial(can, row_action)))
    bar.insertMenu(menus["View"].menuAction(), rows)
    return Menus(actions, recent, possible)


def _run(command: Callable[[], object]) -> None:
    """Run a command after taking typed text: chosen by keys in a menu, nothing has taken it yet."""
    take_over()
    command()
