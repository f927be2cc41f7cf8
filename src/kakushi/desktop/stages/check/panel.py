"""Tools of the Check stage: photographs, what is known of them, and the faults that were found."""

from __future__ import annotations

import datetime as dt
import time
from typing import TYPE_CHECKING

from PyQt6.QtCore import QSignalBlocker, Qt
from PyQt6.QtGui import QKeyEvent
from PyQt6.QtWidgets import QGridLayout, QListWidgetItem, QPushButton

from kakushi.desktop.document.document import Document
from kakushi.desktop.forms.choices import Choices
from kakushi.desktop.forms.typed import count_field, length_field
from kakushi.desktop.stages.check.photo_view import PhotoView
from kakushi.desktop.stages.panel import Panel
from kakushi.desktop.widgets.fields import form, quiet, tip_button
from kakushi.desktop.widgets.label import Label
from kakushi.desktop.widgets.wrapping_list import WrappingList
from kakushi.model.record import Found
from kakushi.words.wording import taken

if TYPE_CHECKING:
    from kakushi.packing.calibration import TestStack

_PRACTICE_FAULTS = 3
_SIDES = (("front", 0.0), ("right", 90.0), ("back", 180.0), ("left", 270.0))
_PLACE = Qt.ItemDataRole.UserRole
_MANY_LINES = 11


class FaultList(WrappingList):
    """Faults to walk through. Delete dismisses one or takes it back; B sends it to Build."""

    def __init__(self, panel: CheckPanel) -> None:
        super().__init__("Faults found")
        self._panel = panel
        self.setSpacing(2)

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        key = Qt.Key(event.key()) if event is not None else Qt.Key.Key_unknown
        if key == Qt.Key.Key_Delete:
            self._panel.dismiss_chosen()
        elif key == Qt.Key.Key_B:
            self._panel.send_chosen()
        else:
            super().keyPressEvent(event)


class CheckPanel(Panel):
    """Photographs of the selected piece and what differs in them."""

    def __init__(self, document: Document, view: PhotoView) -> None:
        super().__init__(document)
        self._view = view
        self.open = tip_button("Open a photograph…", "A JPEG or PNG of the piece, whole and upright")
        self.practice = QPushButton("Practice photograph")
        self.practice.setToolTip("The simulated camera takes one, with three faults in it to find")
        self.remove = tip_button("Remove it", "Takes it out of the job")
        self.print_it = tip_button("Print it…", "The photograph with its faults on one page (PDF)")
        self._photos = Choices("Photographs of this piece")
        self._copy = Choices("Copy that was photographed")
        self._rows = count_field("Rows built so far", 1, 1, none=("all", None))
        self._side = Choices("Taken from about", _SIDES)
        self.again = tip_button("Check again", "Looks at the photograph again with what is known now")
        self.faults = FaultList(self)
        self.faults.setMinimumHeight(self.fontMetrics().height() * _MANY_LINES)
        self.dismiss, self.send = QPushButton("Dismiss"), QPushButton("Send to Build")
        self.dismiss.setToolTip("It is right as it is (Delete)")
        self.send.setToolTip("Becomes a step of the build (B)")
        self._length = length_field(document, "Known length", 10.0, 20_000.0)
        self._measured = Label()
        self._measured.setWordWrap(True)
        self.as_stack = QPushButton("Use as a test stack…")
        self.as_stack.setToolTip("A packing of your own is fitted to it: for pieces whose rows all have one size")
        self.stack: TestStack | None = None
        """What was measured, where it can be a test stack."""
        self._build()
        self._connect()
        self.finish()

    def _build(self) -> None:
        photos = QGridLayout()
        photos.addWidget(self.open, 0, 0)
        photos.addWidget(self.practice, 0, 1)
        photos.addWidget(self._photos, 1, 0, 1, 2)
        photos.addWidget(self.remove, 2, 0)
        photos.addWidget(self.print_it, 2, 1)
        photos.setColumnStretch(0, 1)
        photos.setColumnStretch(1, 1)
        self.section("Photograph", photos, first=True)
        self.column.addWidget(self.problem)
        known = self._known = form()
        known.addRow("Copy", self._copy)
        known.addRow("Rows built", self._rows)
        known.addRow("Taken from", self._side)
        known.addRow("", self.again)
        self.section("What is known", known)
        self.section("Faults", self.faults)
        buttons = QGridLayout()
        buttons.addWidget(self.dismiss, 0, 0)
        buttons.addWidget(self.send, 0, 1)
        self.column.addLayout(buttons)
        measure = form()
        measure.addRow("Known length", self._length)
        self.section("Measure by it", measure)
        self.column.addWidget(self._measured)
        self.column.addWidget(self.as_stack)
        self.column.addWidget(quiet("Draw a line along it with “Known length”, then say how long it is."))

    def _connect(self) -> None:
        checker = self.document.checker
        checker.changed.connect(self._refresh)
        checker.busy_changed.connect(lambda _: self._refresh())
        checker.failed.connect(self.show_problem)
        self.practice.clicked.connect(lambda: checker.practise(int(time.time()) % 100_000, _PRACTICE_FAULTS))
        self.remove.clicked.connect(checker.remove)
        self._photos.chosen.connect(checker.reopen)
        self._copy.chosen.connect(self._on_copy)
        self._rows.entered.connect(self._on_rows)
        self._side.chosen.connect(self._on_side)
        for field in (self._rows, self._length):
            field.problem.connect(self.show_problem)
        self.again.clicked.connect(checker.check)
        self.faults.currentRowChanged.connect(self._on_fault)
        self._view.chosen.connect(self._choose)
        self.dismiss.clicked.connect(self.dismiss_chosen)
        self.send.clicked.connect(self.send_chosen)
        self._length.entered.connect(lambda _: self._show_measured())
        self._view.measured.connect(self._show_measured)

    def focus_first(self) -> None:
        """Put the keyboard on the faults where there are some."""
        (self.faults if self.faults.count() else self.open).setFocus()

    def refresh(self) -> None:
        """Show photographs and faults."""
        checker, piece_plan = self.document.checker, self.document.piece_plan
        current = checker.current
        self._photos.list_choices(
            (f"{photo.title or 'photograph'}, {taken(dt.datetime.fromtimestamp(photo.at))}", photo.name)
            for photo in checker.photos
        )
        self._photos.set_value(current.photo.name if current else None)
        self._photos.setEnabled(self._photos.count() > 0)
        has_rows = piece_plan is not None and piece_plan.can_be_checked
        self.open.setEnabled(has_rows)
        self.practice.setEnabled(has_rows)
        copies = piece_plan.piece.copies if piece_plan else ()
        self._copy.list_choices((each.label or f"copy {k + 1}", k) for k, each in enumerate(copies))
        self._copy.set_value(current.photo.copy_number if current else 0)
        self._known.setRowVisible(self._copy, len(copies) > 1)
        self._rows.high = max(self._row_count, 1)
        self._rows.set_value(current.photo.rows or None if current else None)
        if self._side.value is None:
            self._side.set_value(0.0)
        for widget in (self._copy, self._rows, self._side, self.again, self.remove, self._length, self.print_it):
            widget.setEnabled(current is not None and not checker.is_busy)
        self._show_faults(current.photo.faults if current and current.result else ())
        self._show_measured()

    def _show_faults(self, faults: tuple[Found, ...]) -> None:
        chosen = self._view.fault
        with QSignalBlocker(self.faults):
            self.faults.clear()
            for place, fault in enumerate(faults):
                words = f"{place + 1}  {fault.words}"
                item = self.faults.add_words(f"{words} (dismissed)" if fault.dismissed else words)
                item.setData(_PLACE, place)
                if fault.dismissed:
                    font = item.font()
                    font.setStrikeOut(True)
                    item.setFont(font)
            if not faults and self.document.checker.current is not None and not self.document.checker.is_busy:
                nothing = QListWidgetItem("Nothing wrong was found.")
                nothing.setFlags(Qt.ItemFlag.NoItemFlags)
                self.faults.addItem(nothing)
            if 0 <= chosen < len(faults):
                self.faults.setCurrentRow(chosen)
        is_one = 0 <= chosen < len(faults)
        self.dismiss.setEnabled(is_one)
        self.send.setEnabled(is_one and not faults[chosen].dismissed)
        self.dismiss.setText("Take back" if is_one and faults[chosen].dismissed else "Dismiss")

    @property
    def _row_count(self) -> int:
        """Rows of the copy that was photographed."""
        current, piece_plan = self.document.checker.current, self.document.piece_plan
        if piece_plan is None:
            return 0
        return len(piece_plan.of_copy(current.photo.copy_number if current else 0).piece.rows)

    def _choose(self, place: int) -> None:
        self.faults.setCurrentRow(place)
        self.faults.setFocus()

    def _on_fault(self, row: int) -> None:
        item = self.faults.item(row)
        place = item.data(_PLACE) if item is not None else None
        self._view.set_fault(-1 if place is None else place)
        self._refresh()

    @property
    def _chosen(self) -> Found | None:
        current = self.document.checker.current
        place = self._view.fault
        faults = current.photo.faults if current is not None and current.result is not None else ()
        return faults[place] if 0 <= place < len(faults) else None

    def dismiss_chosen(self) -> None:
        """The fault that is looked at is none, or is one after all."""
        fault = self._chosen
        if fault is not None:
            self.document.checker.dismiss(self._view.fault, not fault.dismissed)

    def send_chosen(self) -> None:
        """The fault that is looked at becomes a step of the build."""
        fault, current = self._chosen, self.document.checker.current
        if fault is None or current is None:
            return
        # A copy may have gone since.
        copy = self._copy.value or 0
        is_new = self.document.builder.put_right(current.photo.piece, copy, fault.words)
        words = "It is the next step in Build." if is_new else "It is a step in Build already."
        self.document.told_with_key.emit(words, "build")

    def _on_copy(self, place: int) -> None:
        self.document.checker.set_copy(place)
        self.document.checker.check()

    def _on_rows(self, rows: int | None) -> None:
        self.document.checker.set_rows(rows)
        self.document.checker.check()

    def _on_side(self, azimuth: float) -> None:
        self.document.checker.set_azimuth(azimuth)
        self.document.checker.check()

    def _show_measured(self) -> None:
        current, line, known = self.document.checker.current, self._view.length, self._length.value
        self.stack = None
        self.as_stack.setEnabled(False)
        piece_plan = self.document.piece_plan
        if current is None or current.result is None or line is None or not known or piece_plan is None:
            self._measured.setText("")
            return
        from kakushi.check.measure import measured, stack_of
        from kakushi.words.check import measured_words

        measurement = measured(current.result, line, known)
        if measurement is not None and not current.photo.rows:
            design = piece_plan.of_copy(current.photo.copy_number)
            self.stack = stack_of(measurement, design.piece, design.foot_mm)
            self.as_stack.setEnabled(self.stack is not None)
        short = "This line is too short, or the piece was not recognised."
        self._measured.setText(short if measurement is None else measured_words(measurement, self.document.units))
