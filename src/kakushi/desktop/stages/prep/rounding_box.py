"""Round settings: sizes of the selected piece nudged to whole steps of the inflator."""

from __future__ import annotations

from collections.abc import Callable

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QVBoxLayout, QWidget

from kakushi.desktop.document.background import Runner
from kakushi.desktop.document.document import Document
from kakushi.desktop.forms.choices import Choices
from kakushi.desktop.forms.typed import QuantityField
from kakushi.desktop.widgets.fields import form, quiet, tip_button
from kakushi.model.quantities import LENGTH
from kakushi.session import edits
from kakushi.words.sheet import rounded_words
from kakushi.workshop.round_settings import RoundSettings, round_settings

_STEPS = (("whole steps", 2.0), ("steps that can be set", 1.0))
"""What settings are rounded to, as multiples of the finest step of the inflator."""
_MOST_MM, _USUAL_MM = 500.0, 20.0
"""Most height that may be lost or gained, and what is proposed, mm."""


class RoundingBox(QWidget):
    """Rounds the settings of the selected piece. `problem`: why not; `inflator` tells which one is used."""

    problem = pyqtSignal(str)

    def __init__(self, document: Document) -> None:
        super().__init__()
        self._document = document
        self._step = Choices("Rounded to", _STEPS)
        self._tolerance = QuantityField(document, LENGTH, "Height that may be lost or gained", 0.0, _MOST_MM)
        self._tolerance.set_value(_USUAL_MM)
        self.round = tip_button("Round this piece's settings", "Nudges its sizes together, to the fewest settings")
        self._said = quiet()
        self._runner = Runner(self)
        rows = form()
        rows.addRow("To", self._step)
        rows.addRow("Height within", self._tolerance)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.addLayout(rows)
        layout.addWidget(self.round)
        layout.addWidget(self._said)
        self._said.hide()
        self.round.clicked.connect(lambda _: self._on_round())
        self._tolerance.problem.connect(self.problem)
        self._runner.finished.connect(self._on_rounded)
        self._runner.failed.connect(self.problem)
        self._runner.busy_changed.connect(lambda busy: self.round.setEnabled(not busy))
        self.destroyed.connect(self._runner.close)

    def _on_round(self) -> None:
        document = self._document
        piece_plan, inflator, tolerance = document.piece_plan, document.dossier.inflator, self._tolerance.value
        if piece_plan is None or tolerance is None:
            return
        if inflator is None:
            self.problem.emit("Calibrate an inflator first: a single trial of each size is enough.")
            return
        job, studio, step = document.job, document.studio, inflator.step * self._step.value

        def work(_progress: Callable[[float], None], cancelled: Callable[[], bool]) -> RoundSettings:
            return round_settings(job, piece_plan, studio, inflator, step, tolerance, cancelled)

        self.problem.emit("")
        self._runner.submit(work)

    def _on_rounded(self, found: RoundSettings) -> None:
        document = self._document
        piece = document.job.piece(found.piece.key)
        if piece is None or document.piece_plan is None:
            return
        self._said.setText(rounded_words(found, document.piece_plan.height_mm, document.units))
        self._said.show()
        document.apply(edits.set_piece(piece.key, "Round settings", groups=found.piece.groups))
