"""Brief: what, when, where, for how many eyes."""

from __future__ import annotations

from typing import TYPE_CHECKING, get_args

from PyQt6.QtCore import QDate, QSignalBlocker, Qt, QTime
from PyQt6.QtWidgets import (
    QCheckBox,
    QComboBox,
    QDateEdit,
    QDoubleSpinBox,
    QLabel,
    QLineEdit,
    QPlainTextEdit,
    QPushButton,
    QSpinBox,
    QTimeEdit,
    QWidget,
)

from kakushi.desktop.document.document import Document
from kakushi.desktop.stages.panel import Panel
from kakushi.desktop.widgets.fields import form, quiet
from kakushi.model.cautions import GENERAL
from kakushi.model.days import Days
from kakushi.model.piece import SeenSides
from kakushi.session import edits
from kakushi.session.day_edits import set_days

if TYPE_CHECKING:
    from kakushi.workshop.offers import Offer

_OFFER = "Small, as planned and large, with prices"
_NUMBERS = {
    "from_hour": ("Work from", "Work begins", 0.0, 23.0, " o’clock"),
    "to_hour": ("to", "Work ends", 1.0, 24.0, " o’clock"),
    "early_h": ("Inflated at most", "Hours balloons may wait", 1.0, 400.0, " h before"),
    "shop_minutes": ("Shopping", "Minutes of shopping", 0.0, 600.0, " min"),
    "load_minutes": ("Loading", "Minutes of loading", 0.0, 600.0, " min"),
    "drive_minutes": ("Driving", "Minutes of driving", 0.0, 600.0, " min"),
    "set_up_minutes": ("Setting up", "Minutes of setting up", 0.0, 600.0, " min"),
}
"""By field of the days: label, accessible name, range and unit."""


def _number(_words: str, spoken: str, low: float, high: float, unit: str) -> QDoubleSpinBox:
    spin = QDoubleSpinBox()
    spin.setRange(low, high)
    spin.setDecimals(1 if "clock" in unit else 0)
    spin.setSuffix(unit)
    spin.setAccessibleName(spoken)
    return spin


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
        self._stands, self._people, self._builds = QTimeEdit(), QSpinBox(), QComboBox()
        self._stands.setDisplayFormat("H:mm")
        self._builds.addItems(get_args(Days.model_fields["builds"].annotation))
        self._people.setRange(1, 12)
        self._stands.setMinimumHeight(self._people.sizeHint().height())
        self._numbers = {name: _number(*given) for name, given in _NUMBERS.items()}
        self.calendar = QPushButton("Save the days as a calendar…")
        self.sizes = QPushButton(_OFFER)
        self._offers, self._way = QLabel(), QLabel()
        for label in (self._offers, self._way):
            label.setWordWrap(True)
            label.setTextInteractionFlags(Qt.TextInteractionFlag.TextSelectableByMouse)
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
            (self._stands, "It must stand by"),
            (self._people, "People who work"),
            (self._builds, "Built"),
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
        days = form()
        days.addRow("Stands by", self._stands)
        days.addRow("People", self._people)
        days.addRow("Built", self._builds)
        for name, (words, *_) in _NUMBERS.items():
            days.addRow(words, self._numbers[name])
        self.section("The days before", days)
        self.column.addWidget(self.calendar)
        self.section("On the way", self._way)
        self.section("Sizes for the client", self.sizes)
        self.column.addWidget(self._offers)
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
        self._stands.timeChanged.connect(lambda time: apply(set_days(stands_at=time.toPyTime())))
        self._people.valueChanged.connect(lambda many: apply(set_days(people=many)))
        self._builds.activated.connect(lambda _: apply(set_days(builds=self._builds.currentText())))
        for name, spin in self._numbers.items():
            spin.valueChanged.connect(lambda value, name=name: apply(set_days(**{name: value})))

        scheduler = self.document.scheduler
        self.sizes.clicked.connect(lambda _: scheduler.offer())
        scheduler.offered.connect(self._show_offers)
        scheduler.offering.connect(lambda on: self.sizes.setText("Stop" if on else _OFFER))
        scheduler.progressed.connect(lambda share: self._offers.setText(f"Fitting each size: {share:.0%}"))
        self.document.plan_changed.connect(self._show_way)

    def _show_offers(self, found: list[Offer]) -> None:
        from kakushi.words.transport import offer_words

        words = offer_words(found, self.document.job.pricing.currency, self.document.units)
        self._offers.setText("\n".join(words))

    def _show_way(self) -> None:
        """How the pieces travel, once all are planned."""
        if not self.isVisible() or self.document.plan.is_draft:
            return
        from kakushi.words.transport import transport_words

        self._way.setText("\n".join(transport_words(self.document.plan, self.document.units)))

    def _set_date(self) -> None:
        date = self._date.date().toPyDate() if self._dated.isChecked() else None
        self.document.apply(edits.set_brief(event_date=date))

    def _set_seen(self) -> None:
        if piece := self.document.piece:
            sides = SeenSides(self._seen.currentText())
            self.document.apply(edits.set_piece(piece.key, "Change seen sides", seen_sides=sides))

    def refresh(self) -> None:
        brief, piece = self.document.job.brief, self.document.piece
        days = self.document.job.days
        widgets = (
            self._title, self._event, self._dated, self._date, self._notes, self._stands, self._people,
            *self._numbers.values(),
        )  # fmt: skip
        blockers = [QSignalBlocker(widget) for widget in widgets]
        self._title.setText(brief.title)
        self._event.setText(brief.event)
        self._dated.setChecked(brief.event_date is not None)
        self._date.setEnabled(brief.event_date is not None)
        day = brief.event_date
        self._date.setDate(QDate(day.year, day.month, day.day) if day else QDate.currentDate())
        if self._notes.toPlainText() != brief.notes:
            self._notes.setPlainText(brief.notes)
        self._stands.setTime(QTime(days.stands_at.hour, days.stands_at.minute))
        self._people.setValue(days.people)
        self._builds.setCurrentText(days.builds)
        for name, spin in self._numbers.items():
            spin.setValue(getattr(days, name))
        self._show_way()
        self.calendar.setEnabled(brief.event_date is not None)
        self._place.setCurrentText(brief.place)
        self._handover.setCurrentText(brief.handover)
        self._seen.setEnabled(piece is not None)
        if piece:
            self._seen.setCurrentText(piece.seen_sides.value)
        del blockers
