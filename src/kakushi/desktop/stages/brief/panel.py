"""Brief: what, when, where, for how many eyes."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PyQt6.QtCore import QSignalBlocker, Qt
from PyQt6.QtWidgets import QPlainTextEdit, QWidget

from kakushi.desktop.document.document import Document
from kakushi.desktop.forms.form import BoundForm, choice, options, quantity, seldom, text
from kakushi.desktop.stages.panel import Panel
from kakushi.desktop.widgets.fields import quiet, tip_button
from kakushi.desktop.widgets.label import Label
from kakushi.model.cautions import GENERAL
from kakushi.model.days import Days
from kakushi.model.job import Brief
from kakushi.model.piece import SeenSides
from kakushi.model.quantities import COUNT, DATE, HOUR_OF_DAY, HOURS, MINUTES, TIME_OF_DAY
from kakushi.session import edits
from kakushi.session.day_edits import set_days

if TYPE_CHECKING:
    from kakushi.workshop.offers import Offer

_OFFER = "Small, as planned and large, with prices"
_JOB = (
    text("title", "Job", "Title", required="A job needs a title."),
    text("event", "Event"),
    quantity("event_date", "Date", DATE, "Event date", none=("not known yet", None)),
    choice("place", "Place", options(Brief.model_fields["place"].annotation), "Place"),
    choice("handover", "Handover", options(Brief.model_fields["handover"].annotation), "Handover"),
)
_USUAL = Days()
_DAYS = (
    quantity("stands_at", "Stands by", TIME_OF_DAY, "It must stand by"),
    quantity("people", "People", COUNT, "People who work"),
    choice("builds", "Built", options(Days.model_fields["builds"].annotation), "Built"),
    quantity("from_hour", "Work from", HOUR_OF_DAY, "Work begins"),
    quantity("to_hour", "to", HOUR_OF_DAY, "Work ends"),
    seldom(quantity("early_h", "Inflated at most", HOURS, "Hours balloons may wait", " before"), _USUAL.early_h),
    seldom(quantity("shop_minutes", "Shopping", MINUTES, "Minutes of shopping"), _USUAL.shop_minutes),
    seldom(quantity("load_minutes", "Loading", MINUTES, "Minutes of loading"), _USUAL.load_minutes),
    seldom(quantity("drive_minutes", "Driving", MINUTES, "Minutes of driving"), _USUAL.drive_minutes),
    seldom(quantity("set_up_minutes", "Setting up", MINUTES, "Minutes of setting up"), _USUAL.set_up_minutes),
)
_PIECE = (choice("seen_sides", "Seen from", options(SeenSides), "Seen from"),)


class BriefPanel(Panel):
    """The job's brief and the selected piece's place in it."""

    def __init__(self, document: Document, parent: QWidget | None = None) -> None:
        super().__init__(document, parent)
        self._job = BoundForm(document, _JOB)
        self._days = BoundForm(document, _DAYS)
        self._piece = BoundForm(document, _PIECE)
        self.calendar = tip_button(
            "Save the days as a calendar…", "The days before as an ICS file, once there is a date"
        )
        self.sizes = tip_button(_OFFER, "Fits every piece in three sizes, for a quote with a choice")
        self._offers, self._way = Label(), Label()
        for label in (self._offers, self._way):
            label.setWordWrap(True)
            label.setTextInteractionFlags(Qt.TextInteractionFlag.TextSelectableByMouse)
        self._notes = QPlainTextEdit()
        self._notes.setPlaceholderText("Doors, ceiling, access, when it must stand and for how long…")
        self._notes.setFixedHeight(self.fontMetrics().height() * 6)
        self._notes.setAccessibleName("Notes")
        self._build()
        self._connect()
        self.finish()

    def _build(self) -> None:
        self.section("The job", self._job, first=True)
        self.column.addWidget(self._notes)
        self.section("The days before", self._days)
        self.column.addWidget(self.calendar)
        self.section("On the way", self._way)
        self.section("Sizes for the client", self.sizes)
        self.column.addWidget(self._offers)
        self.section("The selected piece", self._piece)
        self.section("Cautions", quiet("\n\n".join(GENERAL)))

    def _connect(self) -> None:
        apply = self.document.apply
        self._job.changed.connect(lambda changes: apply(edits.set_brief(**changes)))
        self._days.changed.connect(lambda changes: apply(set_days(**changes)))
        self._piece.changed.connect(self._set_piece)
        for source in (self._job, self._days):
            source.problem.connect(self.show_problem)
        self._notes.textChanged.connect(lambda: apply(edits.set_brief(notes=self._notes.toPlainText()[:20_000])))
        scheduler = self.document.scheduler
        self.sizes.clicked.connect(lambda _: scheduler.offer())
        scheduler.offered.connect(self._show_offers)
        scheduler.offering.connect(lambda on: self.sizes.setText("Stop" if on else _OFFER))
        scheduler.progressed.connect(lambda share: self._offers.setText(f"Fitting each size: {share:.0%}"))
        self.document.plan_changed.connect(self._show_way)

    def _show_offers(self, offers: list[Offer]) -> None:
        from kakushi.words.transport import offer_words

        words = offer_words(offers, self.document.job.pricing.currency, self.document.units)
        self._offers.setText("\n".join(words))

    def _show_way(self) -> None:
        """How the pieces travel, once all are planned."""
        if not self.isVisible() or self.document.plan.is_draft:
            return
        from kakushi.words.transport import transport_words

        self._way.setText("\n".join(transport_words(self.document.plan, self.document.units)))

    def _set_piece(self, changes: dict[str, object]) -> None:
        if piece := self.document.piece:
            self.document.apply(edits.set_piece(piece.key, "Change seen sides", **changes))

    def refresh(self) -> None:
        job, piece = self.document.job, self.document.piece
        self._job.show_value(job.brief)
        self._days.show_value(job.days)
        self._piece.show_value(piece)
        self._piece.setEnabled(piece is not None)
        if self._notes.toPlainText() != job.brief.notes:
            with QSignalBlocker(self._notes):
                self._notes.setPlainText(job.brief.notes)
        self._show_way()
        self.calendar.setEnabled(job.brief.event_date is not None)
