"""What to print: documents and pieces with ticks, paper, and the pages as they will be."""

from __future__ import annotations

from collections.abc import Callable, Sequence

from PyQt6.QtCore import QBuffer, QByteArray, QIODevice, QSize, Qt, QTimer
from PyQt6.QtGui import QIcon, QPixmap
from PyQt6.QtPdf import QPdfDocument
from PyQt6.QtWidgets import QCheckBox, QHBoxLayout, QListView, QListWidget, QListWidgetItem, QVBoxLayout, QWidget

from kakushi.desktop.dialogs.dialog import Dialog
from kakushi.desktop.document.background import Runner
from kakushi.desktop.document.document import Document
from kakushi.desktop.forms.choices import Choices
from kakushi.desktop.widgets.fields import heading, quiet, tip_button
from kakushi.desktop.widgets.label import Label
from kakushi.desktop.widgets.pdf_pages import page_image
from kakushi.formats.print.pack import DOCUMENTS, PACK, Wanted, wanted_pdf
from kakushi.model.units import UnitSystem
from kakushi.workshop.dossier import Dossier
from kakushi.workshop.offers import Offer

_PAGE = QSize(132, 187)
"""A page as it is shown, px: headings can be told, text cannot."""
_WAIT_MS = 250
_PAPERS = (("A4", "A4"), ("letter", "letter"))


class PrintDialog(Dialog):
    """Ticks to the left, pages to the right.

    `save(wanted)` writes what is ticked and answers whether it did; `save_phone()` writes the page for the phone.
    """

    def __init__(
        self,
        document: Document,
        save: Callable[[Wanted], bool],
        save_phone: Callable[[], None],
        parent: QWidget | None = None,
    ) -> None:
        super().__init__("What to print", parent)
        self._document, self._save, self._save_phone = document, save, save_phone
        kept = document.preferences
        self._ticks = {key: QCheckBox(words) for key, words in DOCUMENTS.items()}
        for key, box in self._ticks.items():
            box.setChecked(key in (kept.printed or PACK))
            box.toggled.connect(lambda _: self._wait.start())
        self._pieces = {piece.key: QCheckBox(piece.name) for piece in document.job.pieces}
        for box in self._pieces.values():
            box.setChecked(True)
            box.toggled.connect(lambda _: self._wait.start())
        self.paper = Choices("Paper", _PAPERS)
        self.paper.set_value(kept.paper)
        self.paper.chosen.connect(lambda _: self._wait.start())
        self.pages = QListWidget()
        self.pages.setAccessibleName("Pages")
        self.pages.setViewMode(QListView.ViewMode.IconMode)
        self.pages.setResizeMode(QListView.ResizeMode.Adjust)
        self.pages.setMovement(QListView.Movement.Static)
        self.pages.setIconSize(_PAGE)
        self.pages.setSpacing(6)
        self._count = Label("")
        self._wait = QTimer(self)
        self._wait.setSingleShot(True)
        self._wait.setInterval(_WAIT_MS)
        self._wait.timeout.connect(self._draw)
        self._next = QTimer(self)
        self._next.timeout.connect(self._draw_page)
        # The document's, not the dialog's: nobody waits for pages that are no longer wanted.
        self._runner = Runner(document, document.said)
        document.closing.connect(self._runner.close)
        self._runner.finished.connect(self._on_pdf)
        self._runner.failed.connect(self.say)
        self._pdf, self._buffer = QPdfDocument(self), QBuffer(self)
        self._build()
        self._draw()

    def _build(self) -> None:
        left = QVBoxLayout()
        left.setSpacing(3)
        left.addWidget(heading("Documents"))
        for box in self._ticks.values():
            left.addWidget(box)
        left.addSpacing(8)
        left.addWidget(heading("Build sheets of"))
        for box in self._pieces.values():
            left.addWidget(box)
        left.addSpacing(8)
        left.addWidget(self.paper)
        left.addStretch(1)
        left.addWidget(self._count)
        left.addWidget(quiet("Black and white will do."))
        phone = tip_button("Page for the phone…", "Steps, lists and cards in one file that needs no network (HTML)")
        phone.clicked.connect(lambda _: self._save_phone())
        left.addWidget(phone)
        both = QHBoxLayout()
        both.addLayout(left)
        both.addWidget(self.pages, 1)
        self.column.addLayout(both)
        self.main = self.add_main("Save as PDF…", "Writes the pages as they are shown", keeps=False)
        self.main.clicked.connect(lambda _: self._on_save())
        self.add_close()
        self.open_at(940, 700)

    @property
    def wanted(self) -> Wanted:
        """What is ticked."""
        pieces = frozenset(key for key, box in self._pieces.items() if box.isChecked())
        documents = frozenset(key for key, box in self._ticks.items() if box.isChecked())
        return Wanted(documents, None if len(pieces) == len(self._pieces) else pieces, self.paper.value)

    def _draw(self) -> None:
        self._count.setText("The pages are being laid out…")
        document, offers = self._document, self._document.scheduler.offers
        self._runner.submit(_laid_out(document.current_dossier(), document.units, self.wanted, offers))

    def _on_pdf(self, data: bytes) -> None:
        self._next.stop()
        self._buffer.close()
        self._buffer.setData(QByteArray(data))
        self._buffer.open(QIODevice.OpenModeFlag.ReadOnly)
        self._pdf.load(self._buffer)
        count = self._pdf.pageCount() if data else 0
        self._count.setText(f"{count} page{'' if count == 1 else 's'}")
        self.main.setEnabled(count > 0)
        self.pages.clear()
        blank = QPixmap(_PAGE)
        blank.fill(Qt.GlobalColor.white)
        for number in range(1, count + 1):
            item = QListWidgetItem(QIcon(blank), str(number))
            item.setTextAlignment(Qt.AlignmentFlag.AlignHCenter)
            self.pages.addItem(item)
        self._drawn = 0
        self._next.start(0)

    def _draw_page(self) -> None:
        """One page at a time, so that ticks are taken meanwhile."""
        if self._drawn >= self.pages.count():
            self._next.stop()
            return
        size = self._pdf.pagePointSize(self._drawn)
        scale = min(_PAGE.width() / max(size.width(), 1.0), _PAGE.height() / max(size.height(), 1.0))
        ratio = self.devicePixelRatioF()
        page = QPixmap.fromImage(page_image(self._pdf, self._drawn, (size * scale * ratio).toSize()))
        page.setDevicePixelRatio(ratio)
        if (item := self.pages.item(self._drawn)) is not None:
            item.setIcon(QIcon(page))
        self._drawn += 1

    def _on_save(self) -> None:
        wanted = self.wanted
        self._document.set_preferences(printed=tuple(sorted(wanted.documents)), paper=wanted.paper)
        if self._save(wanted):
            self.accept()

    def done(self, result: int) -> None:
        """Close; pages that are being laid out are given up."""
        self._next.stop()
        self._runner.cancel()
        self._runner.delete_when_done()
        super().done(result)


def _laid_out(
    work_out: Callable[[Callable[[], bool]], Dossier], units: UnitSystem, wanted: Wanted, offers: Sequence[Offer]
) -> Callable[[Callable[[float], None], Callable[[], bool]], bytes]:
    """Work that lays out the pages."""
    if not wanted.documents:
        return lambda _progress, _cancelled: b""
    return lambda _progress, cancelled: wanted_pdf(work_out(cancelled), units, wanted, offers, cancelled)
