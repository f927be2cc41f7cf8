"""One job as it went: what is known is filled in, what is not is asked for."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from PyQt6.QtWidgets import QGridLayout, QLineEdit, QPlainTextEdit, QVBoxLayout, QWidget

from kakushi.desktop.document.document import Document
from kakushi.desktop.forms.choices import Choices
from kakushi.desktop.forms.typed import QuantityField, TypedField
from kakushi.desktop.widgets.fields import form, heading
from kakushi.desktop.widgets.label import Label
from kakushi.log.entries import with_pops
from kakushi.model.errors import BadInput
from kakushi.model.limits import LARGEST_DIAMETER_MM, SMALLEST_DIAMETER_MM
from kakushi.model.log import SOFTER, LogEntry, LoggedPiece, SizedAgain, UsedUp
from kakushi.model.quantities import COUNT, DIAMETER, LENGTH, number, parts_of
from kakushi.model.units import UnitSystem, format_height
from kakushi.model.values import replace
from kakushi.words.log import REASONS, used_words
from kakushi.words.wording import amount_words, capital

_HEADS = ("Piece", "Planned", "Measured", "Next day", "Popped", "After", "Why")
_UNKNOWN = "–"
"""What stands where nobody measured or counted."""
_TALLEST_MM, _MOST_POPS, _MOST_USED = 20_000.0, 1_000, 100_000.0
_TEXT_LINES, _PADDING_PX = 3, 22


@dataclass(frozen=True, slots=True)
class _Line:
    """Fields of one piece."""

    piece: LoggedPiece
    height: QuantityField
    next_day: QuantityField
    before: QuantityField
    after: QuantityField
    why: Choices


class JobForm(QWidget):
    """The entry of the open job."""

    def __init__(self, document: Document) -> None:
        super().__init__()
        self._document = document
        self._entry: LogEntry | None = None
        self._lines: list[_Line] = []
        self._sums = Label()
        self._sums.setWordWrap(True)
        self._grid_of = QVBoxLayout()
        self._grid = QWidget()
        self.left_over, self.client = QLineEdit(), QLineEdit()
        self.sized = TypedField("Balloons measured again", self._read_sized, self._sized_shown, lambda: document.units)
        self.sized.setPlaceholderText("21: 20.5 21.5 21")
        self.sized.setToolTip("What they were sized to, then what some of them measure")
        self.softer = Choices(
            "Blown for the sun", [("not known", None), *((name, most) for name, most in SOFTER.items())]
        )
        self._used: list[tuple[UsedUp, QuantityField]] = []
        self._used_form = form()
        self.next_time = QPlainTextEdit()
        self.next_time.setFixedHeight(self.fontMetrics().lineSpacing() * (_TEXT_LINES + 1))
        self.next_time.setTabChangesFocus(True)
        words = form()
        for name, field in (
            ("What was left over", self.left_over),
            ("What the client said", self.client),
            ("Otherwise next time", self.next_time),
        ):
            field.setAccessibleName(name)
            words.addRow(name, field)
        layout = QVBoxLayout(self)
        layout.addWidget(self._sums)
        words.addRow("Blown for the sun", self.softer)
        words.addRow("Balloons measured again", self.sized)
        layout.addLayout(self._grid_of)
        layout.addLayout(self._used_form)
        layout.addLayout(words)
        layout.addStretch(1)

    def show_entry(self, entry: LogEntry | None, sums: str) -> None:
        """Show what is known of the job; what was typed goes where its pieces change."""
        self._sums.setText(sums)
        if entry is not None and self._entry is not None and entry.pieces == self._entry.pieces:
            self._entry = entry
            return
        self._entry, self._lines = entry, []
        self._grid.deleteLater()
        self._grid = QWidget()
        grid = QGridLayout(self._grid)
        grid.setContentsMargins(0, 0, 0, 0)
        for column, head in enumerate(_HEADS):
            grid.addWidget(heading(head), 0, column)
        for line, piece in enumerate(entry.pieces if entry else (), 1):
            self._add(grid, line, piece)
        grid.setColumnStretch(0, 1)
        self._grid_of.addWidget(self._grid)
        self._ask_used(entry.materials if entry else ())

    def _ask_used(self, materials: Sequence[UsedUp]) -> None:
        """Ask how much was used of what ends are thrown away of."""
        while self._used_form.rowCount():
            self._used_form.removeRow(0)
        self._used = []
        for material in materials:
            planned, unit = amount_words(material.planned, material.unit, self._document.units)
            name = f"{capital(material.item)} used"
            field = QuantityField(None, number(2, 1.0), name, 0.0, _MOST_USED, f" {unit}", none=(_UNKNOWN, 0.0))
            field.set_value(0.0)
            self._used.append((material, field))
            self._used_form.addRow(used_words(material.item, planned, unit), field)

    def _read_sized(self, text: str) -> tuple[SizedAgain, ...]:
        wanted, colon, measured = text.partition(":")
        if not text.strip():
            return ()
        if not colon:
            raise BadInput("Write what they were sized to, a colon, and what they measure: 21: 20.5 21.5.", "sized")

        def read(part: str) -> float:
            high = LARGEST_DIAMETER_MM
            return float(DIAMETER.read_between(part, SMALLEST_DIAMETER_MM, high, self._document.units, "diameter"))

        to = read(wanted)
        return tuple(SizedAgain(wanted_mm=to, measured_mm=read(part)) for part in parts_of(measured.replace(" ", "; ")))

    def _sized_shown(self, sized: tuple[SizedAgain, ...] | None) -> str:
        if not sized:
            return ""
        sizes = " ".join(DIAMETER.show(each.measured_mm, self._document.units).split(" ")[0] for each in sized)
        return f"{DIAMETER.show(sized[0].wanted_mm, self._document.units)}: {sizes}"

    def _add(self, grid: QGridLayout, number: int, piece: LoggedPiece) -> None:
        name, document = piece.piece, self._document
        line = _Line(
            piece,
            QuantityField(document, LENGTH, f"Measured height of {name}", 0.0, _TALLEST_MM, none=(_UNKNOWN, 0.0)),
            QuantityField(document, LENGTH, f"Height of {name} the next day", 0.0, _TALLEST_MM, none=(_UNKNOWN, 0.0)),
            QuantityField(document, COUNT, f"Popped before delivery, {name}", -1, _MOST_POPS, none=(_UNKNOWN, -1)),
            QuantityField(document, COUNT, f"Popped after delivery, {name}", -1, _MOST_POPS, none=(_UNKNOWN, -1)),
            Choices(f"Why balloons of {name} popped", [(words, why) for why, words in REASONS.items()]),
        )
        line.height.set_value(piece.height_mm or 0.0)
        line.next_day.set_value(0.0)
        # Where steps were ticked pops were recorded too; else nobody knows.
        line.before.set_value(piece.popped if piece.minutes or piece.popped else -1)
        line.after.set_value(-1)
        planned = format_height(piece.planned_mm, document.units) if piece.planned_mm else "–"
        title = Label(name)
        title.setWordWrap(True)
        widgets = (title, Label(planned), line.height, line.next_day, line.before, line.after, line.why)
        heights = (line.height, line.next_day)
        for column, widget in enumerate(widgets):
            grid.addWidget(widget, number, column)
            if isinstance(widget, QuantityField):
                longest = "200.5 cm" if widget in heights else "999"
                widget.setFixedWidth(self.fontMetrics().horizontalAdvance(longest) + _PADDING_PX)
        self._lines.append(line)

    def filled_in(self) -> LogEntry | None:
        """The entry with what was filled in; None without pieces."""
        if self._entry is None:
            return None
        pieces = [self._piece(line) for line in self._lines]
        if self.sized.value:
            # Nobody says of which piece they were: scatter belongs to the hand.
            pieces[0] = replace(pieces[0], sized=self.sized.value)
        return replace(
            self._entry,
            pieces=tuple(pieces),
            materials=tuple(
                replace(material, used=_inside(field.value, material.unit, self._document.units) or None)
                for material, field in self._used
            ),
            left_over=self.left_over.text()[:2000],
            client=self.client.text()[:2000],
            next_time=self.next_time.toPlainText()[:2000],
        )

    def _piece(self, line: _Line) -> LoggedPiece:
        """A piece as filled in."""
        before, after = (
            None if field.value is None or field.value < 0 else field.value for field in (line.before, line.after)
        )
        piece = with_pops(line.piece, before, after, line.why.value or "")
        height, next_day = line.height.value or None, line.next_day.value or None
        return replace(piece, height_mm=height, next_day_mm=next_day, softer=self.softer.value)


def _inside(amount: float | None, unit: str, units: UnitSystem) -> float:
    """An amount in the unit of the list, from the one it is shown in."""
    factor, _ = amount_words(1.0, unit, units)
    return (amount or 0.0) / factor
