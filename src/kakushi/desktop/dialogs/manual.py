"""The manual: a page for each stage, with pictures, its keys, and a search over all pages."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QHBoxLayout, QLineEdit, QListWidget, QListWidgetItem, QTextBrowser, QVBoxLayout, QWidget

from kakushi.desktop.dialogs.dialog import Dialog
from kakushi.desktop.dialogs.shortcuts import STAGE_KEYS
from kakushi.formats.store.paths import manual_folder

PAGES = ("start", "brief", "shape", "colour", "dress", "stand", "supplies", "prep", "build", "check", "log")
"""Pages in the order of the work; each but the first is that of a stage."""
_KEY = Qt.ItemDataRole.UserRole


def pages() -> Mapping[str, str]:
    """The pages as Markdown, the keys of their stages below."""
    found = {}
    for name in PAGES:
        text = (manual_folder() / f"{name}.md").read_text(encoding="utf-8")
        keys = STAGE_KEYS.get(name, ())
        table = "\n".join(f"| {key.replace('|', '/')} | {words} |" for key, words in keys)
        found[name] = f"{text}\n## Keys\n\n| Key | What it does |\n|---|---|\n{table}\n" if keys else text
    return found


class ManualDialog(Dialog):
    """Pages to the left, the open one to the right."""

    def __init__(self, page: str, parent: QWidget | None = None) -> None:
        super().__init__("Manual", parent)
        self._pages = pages()
        self.search = QLineEdit()
        self.search.setAccessibleName("Search the manual")
        self.search.setPlaceholderText("Search")
        self.search.setClearButtonEnabled(True)
        self.list = QListWidget()
        self.list.setAccessibleName("Pages of the manual")
        self.list.setFixedWidth(self.fontMetrics().horizontalAdvance("M") * 16)
        self.text = QTextBrowser()
        self.text.setAccessibleName("Page")
        self.text.setSearchPaths([str(manual_folder())])
        self.text.setOpenLinks(False)
        left = QVBoxLayout()
        left.addWidget(self.search)
        left.addWidget(self.list, 1)
        both = QHBoxLayout()
        both.addLayout(left)
        both.addWidget(self.text, 1)
        self.column.addLayout(both)
        self.add_close()
        self.search.textChanged.connect(self._show_found)
        self.list.currentItemChanged.connect(lambda _now, _before: self._show_page())
        self._show_found("")
        self.open_page(page)
        self.open_at(960, 660)

    def open_page(self, name: str) -> None:
        """Open the page of a stage; the first one for a name that has none."""
        names = self._listed()
        self.list.setCurrentRow(names.index(name) if name in names else 0)

    def _listed(self) -> Sequence[str]:
        items = [self.list.item(row) for row in range(self.list.count())]
        return [str(item.data(_KEY)) for item in items if item is not None]

    def _show_found(self, words: str) -> None:
        """The pages with all of the words."""
        wanted = words.casefold().split()
        current = self.list.currentItem()
        before = str(current.data(_KEY)) if current else ""
        self.list.clear()
        for name, text in self._pages.items():
            if all(word in text.casefold() for word in wanted):
                item = QListWidgetItem(text.partition("\n")[0].lstrip("# "))
                item.setData(_KEY, name)
                self.list.addItem(item)
        if not self.list.count():
            self.text.setMarkdown(f"No page has “{words.strip()[:60]}”.")
        else:
            self.open_page(before)

    def _show_page(self) -> None:
        item = self.list.currentItem()
        if item is not None:
            self.text.setMarkdown(self._pages[str(item.data(_KEY))])
