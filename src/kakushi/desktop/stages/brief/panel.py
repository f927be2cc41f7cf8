"""Brief: what, when, where, for how many eyes."""

from __future__ import annotations

from PyQt6.QtCore import QDate, QSignalBlocker
from PyQt6.QtWidgets import QCheckBox, QComboBox, QDateEdit, QLineEdit, QPlainTextEdit, QWidget

from kakushi.desktop.document.document import Document
from kakushi.desktop.stages.panel import Panel
from kakushi.desktop.widgets.fields import form, quiet
from kakushi.model.cautions import GENERAL
from kakushi.model.piece import SeenSides
from kakushi.session import edits


class BriefPanel(Panel):
    """The job's brief and the selected piece's place in it."""

    def __init__(self, document: Document, parent: QWidget | None = None) -> None:
        super().__init__(document, parent)
        self._title, self._event = QLineEdit(), QLineEdit()
        self._dated, self._date = QCheckBox("Date"), QDateEdit()
        self._date.setCalendarPopup(True)
        self._date.setDisplayFormat("d MMM yyyy")
        self._place, self._handover, self._seen = QComboBox(), QComboBox(), QComboBox()
        self._place.addItems(["indoors", "outdoors"])
        self._handover.addItems(["delivered", "collected"])
        self._seen.addItems([side.value for side in SeenSides])
        self._notes = QPlainTextEdit()
        self._notes.setPlaceholderText("Doors, ceiling, access, when it must stand and for how long…")
        self._notes.setFixedHeight(self.fontMetrics().height() * 6)
        for widget, name in (
            (self._title, "Title"),
            (self._event, "Event"),
            (self._date, "Event date"),
            (self._notes, "Notes"),
            (self._place, "Place"),
            (self._handover, "Handover"),
            (self._seen, "Seen from"),
        ):
            widget.setAccessibleName(name)
        self._build()
        self._connect()
        self.finish()

    def _build(self) -> None:
        job = form()
        job.addRow("Job", self._title)
        job.addRow("Event", self._event)
        job.addRow(self._dated, self._date)
        job.addRow("Place", self._place)
        job.addRow("Handover", self._handover)
        self.section("The job", job, first=True)
        self.column.addWidget(self._notes)
        piece = form()
        piece.addRow("Seen from", self._seen)
        self.section("The selected piece", piece)
        self.section("Cautions", quiet("\n\n".join(GENERAL)))

    def _connect(self) -> None:
        apply = self.document.apply
        self._title.editingFinished.connect(
            lambda: apply(edits.set_brief(title=self._title.text().strip() or "Untitled job"))
        )
        self._event.editingFinished.connect(lambda: apply(edits.set_brief(event=self._event.text().strip())))
        self._dated.toggled.connect(lambda _: self._set_date())
        self._date.dateChanged.connect(lambda _: self._set_date())
        self._place.activated.connect(lambda _: apply(edits.set_brief(place=self._place.currentText())))
        self._handover.activated.connect(lambda _: apply(edits.set_brief(handover=self._handover.currentText())))
        self._notes.textChanged.connect(lambda: apply(edits.set_brief(notes=self._notes.toPlainText()[:20_000])))
        self._seen.activated.connect(lambda _: self._set_seen())

    def _set_date(self) -> None:
        date = self._date.date().toPyDate() if self._dated.isChecked() else None
        self.document.apply(edits.set_brief(event_date=date))

    def _set_seen(self) -> None:
        if piece := self.document.piece:
            sides = SeenSides(self._seen.currentText())
            self.document.apply(edits.set_piece(piece.key, "Change seen sides", seen_sides=sides))

    def refresh(self) -> None:
        brief, piece = self.document.job.brief, self.document.piece
        widgets = (self._title, self._event, self._dated, self._date, self._notes)
        blockers = [QSignalBlocker(widget) for widget in widgets]
        self._title.setText(brief.title)
        self._event.setText(brief.event)
        self._dated.setChecked(brief.event_date is not None)
        self._date.setEnabled(brief.event_date is not None)
        day = brief.event_date
        self._date.setDate(QDate(day.year, day.month, day.day) if day else QDate.currentDate())
        if self._notes.toPlainText() != brief.notes:
            self._notes.setPlainText(brief.notes)
        self._place.setCurrentText(brief.place)
        self._handover.setCurrentText(brief.handover)
        self._seen.setEnabled(piece is not None)
        if piece:
            self._seen.setCurrentText(piece.seen_sides.value)
        del blockers
