"""Quick answers: a page that needs no job; answers follow typing, and become a piece in one press."""

from __future__ import annotations

from collections.abc import Callable

from PyQt6.QtCore import QTimer
from PyQt6.QtWidgets import QLabel, QVBoxLayout, QWidget

from kakushi.desktop.dialogs.dialog import Dialog
from kakushi.desktop.document.background import Runner
from kakushi.desktop.document.document import Document
from kakushi.desktop.forms.choices import Choices, nominal_choices
from kakushi.desktop.forms.typed import QuantityField, count_field, diameter_field
from kakushi.desktop.widgets.fields import form, heading, quiet
from kakushi.model.catalogue import Studio
from kakushi.model.limits import LARGEST_DIAMETER_MM, LARGEST_HEIGHT_MM, SMALLEST_DIAMETER_MM, SMALLEST_HEIGHT_MM
from kakushi.model.quantities import LENGTH
from kakushi.session import edits
from kakushi.words.quick_answers import quick_words
from kakushi.workshop.quick_answers import QuickAnswers, QuickQuestion, answers_to, quick_piece

_WAIT_MS = 150
"""Rest after a key before answers are worked out, ms: fingers are quicker."""
_BETWEEN_PX = 8
"""Space between answers."""
_MOST_HAVE, _MOST_COLUMNS = 5000, 100


class QuickAnswersDialog(Dialog):
    """Fields above, questions with their answers below."""

    def __init__(self, document: Document, parent: QWidget | None = None) -> None:
        super().__init__("Quick answers", parent)
        self._document = document
        self._answers: tuple[QuickQuestion, QuickAnswers] | None = None
        self._wait = QTimer(self)
        self._wait.setSingleShot(True)
        self._wait.setInterval(_WAIT_MS)
        self._wait.timeout.connect(self._ask)
        usual = QuickQuestion()
        low, high = SMALLEST_DIAMETER_MM, LARGEST_DIAMETER_MM
        self.count = count_field("Balloons to a row", 2, 8)
        self.nominal = Choices("Nominal size", nominal_choices(document.studio.nominals))
        self.sized = diameter_field(document, "sized diameter", low, high)
        self.tall = QuantityField(document, LENGTH, "height", SMALLEST_HEIGHT_MM, LARGEST_HEIGHT_MM)
        self.columns = count_field("Columns", 1, _MOST_COLUMNS)
        self.have = count_field("Balloons you have", 0, _MOST_HAVE, none=("none counted", 0))
        self.at_top = diameter_field(document, "size at the top of a cone", low, high)
        fields = form()
        for words, field, value in (
            ("Balloons to a row", self.count, usual.count),
            ("Nominal", self.nominal, usual.nominal_in),
            ("Sized to", self.sized, usual.diameter_mm),
            ("Height", self.tall, usual.height_mm),
            ("Columns", self.columns, usual.columns),
            ("Balloons you have", self.have, usual.have),
            ("Cone, sized at the top to", self.at_top, usual.top_mm),
        ):
            field.set_value(value)
            fields.addRow(words, field)
            if isinstance(field, Choices):
                field.chosen.connect(lambda _: self._wait.start())
            else:
                field.textEdited.connect(lambda _: self._wait.start())
                field.entered.connect(lambda _: self._wait.start())
        self.column.addLayout(fields)
        self._told = QVBoxLayout()
        self._told.setSpacing(2)
        self._lines: list[tuple[QLabel, QLabel]] = []
        self.column.addLayout(self._told)
        self.column.addStretch(1)
        self.column.addWidget(quiet("On a pole, packed snugly. The foot: indoors, somebody brushes against it."))
        self._make = self.add_main("Make it a piece", "Adds the column to the job", keeps=False)
        self._make.clicked.connect(lambda _: self._on_make())
        self.add_close()
        self._runner = Runner(self, document.said)
        self._runner.finished.connect(self._on_answers)
        self._runner.failed.connect(self.say)
        self.open_at(600, 640)
        self._ask()
        self.tall.setFocus()
        self.tall.selectAll()

    def _ask(self) -> None:
        fields = (self.count, self.sized, self.tall, self.columns, self.have, self.at_top)
        values = [field.value for field in fields]
        if any(field.fault for field in fields):
            # What is half typed keeps the answers of before.
            return
        self.say("")
        count, size, height, columns, have, top = values
        asked = QuickQuestion(count, float(self.nominal.value), size, height, columns, have or 0, top)
        self._runner.submit(_answered(asked, self._document.studio))

    def _on_answers(self, answer: tuple[QuickQuestion, QuickAnswers]) -> None:
        self._answers = answer
        inflator = next(iter(self._document.studio.inflators), None)
        told = list(quick_words(*answer, self._document.units, inflator.unit if inflator else ""))
        while len(self._lines) < len(told):
            line = (heading(""), quiet(""))
            self._lines.append(line)
            self._told.addSpacing(_BETWEEN_PX)
            for label in line:
                self._told.addWidget(label)
        for place, (question, words) in enumerate(self._lines):
            shown = told[place] if place < len(told) else ("", "")
            for label, text in zip((question, words), shown, strict=True):
                label.setText(text)
                label.setVisible(bool(text))

    def _on_make(self) -> None:
        document = self._document
        if self._answers is None or self.has_faults():
            return
        key = edits.free_piece_key(document.job)
        piece = quick_piece(key, *self._answers, document.job.palette[0].key)
        if document.apply(edits.add_piece(piece)):
            document.selection.select_piece(key)
            self.accept()

    def done(self, result: int) -> None:
        """Close; what is being worked out is given up."""
        self._runner.close()
        super().done(result)


def _answered(
    asked: QuickQuestion, studio: Studio
) -> Callable[[Callable[[float], None], Callable[[], bool]], tuple[QuickQuestion, QuickAnswers]]:
    """Work that answers a question."""
    return lambda _progress, _cancelled: (asked, answers_to(asked, studio))
