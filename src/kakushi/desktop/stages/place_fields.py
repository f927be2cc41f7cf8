"""Fields of where a part is: from the floor, with a row or on another part, in which direction and how far out."""

from __future__ import annotations

from collections.abc import Sequence

from PyQt6.QtCore import QSignalBlocker, pyqtSignal
from PyQt6.QtWidgets import QComboBox, QSizePolicy, QSpinBox, QWidget

from kakushi.desktop.document.document import Document
from kakushi.desktop.widgets.fields import LengthField, form
from kakushi.dress.table import name_of
from kakushi.model.parts import Accent, Collar, Extended, Part, Placed

_FAR_MM = 20_000.0
_FLOOR = "the floor"


class PlaceFields(QWidget):
    """`changed` carries the fields that were changed, `problem` what is wrong."""

    changed = pyqtSignal(dict)
    problem = pyqtSignal(str)

    def __init__(self, document: Document) -> None:
        super().__init__()
        self._document = document
        self._part: Placed | None = None
        self._from = QComboBox()
        self._from.setAccessibleName("Height counted from")
        self._from.setSizeAdjustPolicy(QComboBox.SizeAdjustPolicy.AdjustToMinimumContentsLengthWithIcon)
        self._from.setMinimumContentsLength(12)
        self._from.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self._from.activated.connect(self._on_from)
        self._lengths = {
            "height_mm": LengthField(document, "height above the floor", 0.0, _FAR_MM),
            "up_mm": LengthField(document, "height above the row or part", -_FAR_MM, _FAR_MM),
            "offset_mm": LengthField(document, "distance from the pole", 0.0, _FAR_MM),
        }
        for name, field in self._lengths.items():
            field.entered.connect(lambda mm, name=name: self._set(**{name: mm}))
            field.problem.connect(self.problem)
        self._azimuth = QSpinBox()
        self._azimuth.setRange(-180, 360)
        self._azimuth.setSuffix("° from the front")
        self._azimuth.setAccessibleName("Direction")
        self._azimuth.valueChanged.connect(lambda degrees: self._set(azimuth_deg=float(degrees)))
        self._fields = form()
        for words, widget in (
            ("Height from", self._from),
            ("At height", self._lengths["height_mm"]),
            ("Above it", self._lengths["up_mm"]),
            ("Off the pole", self._lengths["offset_mm"]),
            ("Towards", self._azimuth),
        ):
            self._fields.addRow(words, widget)
        self.setLayout(self._fields)

    def _set(self, **changes: object) -> None:
        if self._part is not None and any(getattr(self._part, name) != value for name, value in changes.items()):
            self.changed.emit(changes)

    def _on_from(self, index: int) -> None:
        """Counted from somewhere else it stays where it is."""
        part, piece_plan, chosen = self._part, self._document.piece_plan, self._from.itemData(index)
        if part is None or piece_plan is None or chosen is None:
            return
        now = next((each for each in piece_plan.parts if each.key == part.key), None)
        height = now.height_mm if isinstance(now, Placed) else part.height_mm
        if isinstance(now, Extended) and now.on is not None:
            height = piece_plan.place_of(now).z
        kind, key = chosen
        knots, rows = piece_plan.geometry.knots, piece_plan.piece.rows
        row = next((index for index, row in enumerate(rows) if row.key == key), None) if kind == "row" else None
        up = height - float(knots[row]) if row is not None and row < len(knots) else 0.0
        changes: dict[str, object] = {"row": key if kind == "row" else None, "up_mm": up, "height_mm": max(height, 0.0)}
        if isinstance(part, Extended):
            changes["on"] = key if kind == "part" else None
            if kind == "part":
                changes["offset_mm"] = 0.0
        self._set(**changes)

    def show_part(self, part: Placed, others: Sequence[Part]) -> None:
        """Show where a part is; it may be fixed to one of `others`."""
        self._part = None
        self._from.clear()
        self._from.addItem(_FLOOR, ("floor", None))
        if isinstance(part, Extended):
            for other in others:
                if isinstance(other, Extended) and other.key != part.key and other.on is None:
                    self._from.addItem(f"the middle of “{name_of(other)}”", ("part", other.key))
        rows = self._document.piece.rows if self._document.piece else ()
        for number, row in enumerate(rows, 1):
            self._from.addItem(f"the knot of row {number}", ("row", row.key))
        on = part.on if isinstance(part, Extended) else None
        own = ("part", on) if on is not None else ("row", part.row) if part.row is not None else ("floor", None)
        index = next((k for k in range(self._from.count()) if self._from.itemData(k) == own), 0)
        self._from.setCurrentIndex(index)
        for name, field in self._lengths.items():
            field.set_value(getattr(part, name))
        with QSignalBlocker(self._azimuth):
            self._azimuth.setValue(round(part.azimuth_deg))
        # What lies on the column is as far out as it comes to lie.
        self._fields.setRowVisible(self._lengths["offset_mm"], not isinstance(part, Accent | Collar))
        self._fields.setRowVisible(self._lengths["height_mm"], index == 0)
        self._fields.setRowVisible(self._lengths["up_mm"], index > 0)
        self._part = part
