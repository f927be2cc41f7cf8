"""Supplies: spares, and what to do with the list."""

from __future__ import annotations

from PyQt6.QtCore import QSignalBlocker
from PyQt6.QtWidgets import QDoubleSpinBox, QPushButton, QVBoxLayout, QWidget

from kakushi.desktop.document import Document
from kakushi.desktop.fields import form, quiet
from kakushi.desktop.panels.panel import Panel
from kakushi.session import edits


class SuppliesPanel(Panel):
    """Tools of the Supplies stage."""

    def __init__(self, document: Document, parent: QWidget | None = None) -> None:
        super().__init__(document, parent)
        self._spares = QDoubleSpinBox()
        self._spares.setRange(50, 99.9)
        self._spares.setDecimals(1)
        self._spares.setSuffix(" %")
        self._spares.setAccessibleName("Certainty that nothing runs out, percent")
        self._spares.valueChanged.connect(
            lambda percent: document.apply(edits.set_settings("Change spares", confidence=percent / 100))
        )
        fields = form()
        fields.addRow("Certainty", self._spares)
        self.section("Spare balloons", fields, first=True)
        self.column.addWidget(
            quiet("Rounded up for every piece, size and colour; the whole job is the sum of its pieces.")
        )
        self.print_button = QPushButton("Print build sheets and supplies (PDF)…")
        self.csv_button = QPushButton("Save supplies as CSV…")
        self.copy_button = QPushButton("Copy the list as text")
        box = QVBoxLayout()
        for button in (self.print_button, self.csv_button, self.copy_button):
            box.addWidget(button)
        self.section("Take along", box)
        self.finish()

    def refresh(self) -> None:
        with QSignalBlocker(self._spares):
            self._spares.setValue(self.document.job.settings.confidence * 100)
