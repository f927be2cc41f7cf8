"""The studio's sizes: usable range of each nominal size, the sizer, and how exactly it sizes."""

from __future__ import annotations

from PyQt6.QtWidgets import QButtonGroup, QGridLayout, QRadioButton, QWidget

from kakushi.desktop.dialogs.dialog import Dialog
from kakushi.desktop.document.document import Document
from kakushi.desktop.forms.typed import QuantityField, TypedField, diameter_field
from kakushi.desktop.widgets.fields import form, heading, quiet
from kakushi.desktop.widgets.label import Label
from kakushi.model.catalogue import NominalSize, Sizer
from kakushi.model.errors import BadInput, KakushiError
from kakushi.model.limits import LARGEST_DIAMETER_MM, SMALLEST_DIAMETER_MM
from kakushi.model.quantities import DIAMETER, parts_of
from kakushi.model.units import format_diameter, format_nominal, inches
from kakushi.model.values import replace
from kakushi.words.wording import thickness

_MIN_FILL = 0.2
"""Smallest diameter that a size can be given, as a share of nominal."""
_SCATTERS = ((1.0, "a sizer, with care"), (2.0, "a sizer, quickly"), (4.0, "counted strokes"), (7.0, "by eye"))
"""Usual scatter of sizing, mm, by how it is done."""

_HOLES_MM = (inches(6), inches(7), inches(8.5))
"""Examples of sizer holes, mm."""


def _nearest(scatter_mm: float) -> int:
    """Which of the ways of sizing comes closest to a scatter."""
    return min(range(len(_SCATTERS)), key=lambda place: abs(_SCATTERS[place][0] - scatter_mm))


class StudioSizesDialog(Dialog):
    """Edits the catalogue's ranges, the sizer and the scatter of the studio."""

    def __init__(self, document: Document, parent: QWidget | None = None) -> None:
        super().__init__("Sizes and sizer", parent)
        self._document = document
        studio = document.studio
        self._ranges: list[tuple[NominalSize, QuantityField, QuantityField]] = []
        self._by_step, self._by_holes = QRadioButton("every multiple of"), QRadioButton("these holes")
        group = QButtonGroup(self)
        group.addButton(self._by_step)
        group.addButton(self._by_holes)
        self._step = diameter_field(document, "sizer step", 1.0, 100.0)
        self._step.set_value(studio.sizer.step_mm)
        self._holes = TypedField("Sizer holes", self._read_holes, self._holes_shown, lambda: document.units)
        self._holes.set_value(studio.sizer.holes_mm)
        self._holes.setPlaceholderText(self._examples())
        for field in (self._step, self._holes):
            field.problem.connect(self.say)
        (self._by_holes if studio.sizer.holes_mm else self._by_step).setChecked(True)
        self._scatter = QButtonGroup(self)
        self.column.addWidget(heading("Usable range of each nominal size"))
        self.column.addLayout(self._build_ranges(studio.nominals))
        self.column.addWidget(heading("Diameters your sizer has"))
        sizer = form()
        sizer.addRow(self._by_step, self._step)
        sizer.addRow(self._by_holes, self._holes)
        self.column.addLayout(sizer)
        self.column.addWidget(heading("How exactly you size"))
        self.column.addLayout(self._build_scatter(studio.sizing_scatter_mm))
        self.column.addWidget(quiet("Two of three balloons come out this close. It decides the ± of a height."))
        self.add_main("Keep", "Keeps ranges, sizer and scatter in the studio").clicked.connect(self._on_keep)
        self.add_close("Leave as it was")
        self.open_at(560, 600)

    def _examples(self) -> str:
        return ", ".join(format_diameter(mm, self._document.units) for mm in _HOLES_MM)

    def _build_ranges(self, nominals: tuple[NominalSize, ...]) -> QGridLayout:
        grid = QGridLayout()
        for column, words in enumerate(("balloon", "smallest", "largest")):
            grid.addWidget(quiet(words), 0, column)
        for line, size in enumerate(nominals, 1):
            fields = []
            for words, mm in (("smallest", size.smallest_mm), ("largest", size.largest_mm)):
                field = diameter_field(
                    self._document,
                    f"{words} diameter of {size.nominal_in:g} inch",
                    SMALLEST_DIAMETER_MM,
                    min(inches(size.nominal_in), LARGEST_DIAMETER_MM),
                )
                field.set_value(mm)
                field.problem.connect(self.say)
                fields.append(field)
            grid.addWidget(Label(format_nominal(size.nominal_in)), line, 0)
            grid.addWidget(fields[0], line, 1)
            grid.addWidget(fields[1], line, 2)
            self._ranges.append((size, fields[0], fields[1]))
        return grid

    def _build_scatter(self, scatter_mm: float) -> QGridLayout:
        grid = QGridLayout()
        nearest = _nearest(scatter_mm)
        for index, (mm, words) in enumerate(_SCATTERS):
            button = QRadioButton(f"± {thickness(mm, self._document.units)}: {words}")
            button.setChecked(index == nearest)
            self._scatter.addButton(button, index)
            grid.addWidget(button, index // 2, index % 2)
        return grid

    def _on_keep(self) -> None:
        if self.has_faults():
            return
        try:
            nominals = tuple(self._range(*entry) for entry in self._ranges)
            sizer = Sizer(step_mm=self._step.value or inches(0.25), holes_mm=self._parsed_holes())
            if not any(sizer.diameters(size) for size in nominals):
                raise BadInput("None of these diameters is within reach of your balloons.", "sizer")
        except KakushiError as error:
            self.say(self._document.said(error))
            return
        chosen, kept = self._scatter.checkedId(), self._document.studio.sizing_scatter_mm
        scatter = kept if chosen == _nearest(kept) else _SCATTERS[max(chosen, 0)][0]
        self._document.studio_keeper.change(nominals=nominals, sizer=sizer, sizing_scatter_mm=scatter)
        self.accept()

    def _range(self, size: NominalSize, low: QuantityField, high: QuantityField) -> NominalSize:
        if (low.value, high.value) == (size.smallest_mm, size.largest_mm):
            return size
        full = inches(size.nominal_in)
        least, most = (low.value or size.smallest_mm) / full, (high.value or size.largest_mm) / full
        if not _MIN_FILL <= least <= most <= 1:
            raise BadInput(f"The range of {format_nominal(size.nominal_in)} must run from smaller to larger.", "range")
        return replace(size, fill_low=least, fill_high=most)

    def _parsed_holes(self) -> tuple[float, ...]:
        if self._by_step.isChecked():
            return ()
        holes: tuple[float, ...] = self._holes.value
        if not holes:
            raise BadInput(f"List the holes of your sizer, like {self._examples()}.", "holes")
        return holes

    def _read_holes(self, text: str) -> tuple[float, ...]:
        units = self._document.units
        return tuple(
            sorted(
                DIAMETER.read_between(part, SMALLEST_DIAMETER_MM, LARGEST_DIAMETER_MM, units, "sizer hole")
                for part in parts_of(text)
            )
        )

    def _holes_shown(self, holes: tuple[float, ...] | None) -> str:
        return ", ".join(format_diameter(mm, self._document.units) for mm in holes or ())
