"""One cluster of a set of fillers: its row, direction, turn and colour, and whether it stays there."""

from __future__ import annotations

import math

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QWidget

from kakushi.desktop.document.document import Document
from kakushi.desktop.forms.form import BoundForm, check, colour, quantity
from kakushi.desktop.widgets.fields import tip_button
from kakushi.dress.clusters import line_of, seat_round
from kakushi.model.parts import Fillers, Seat
from kakushi.model.quantities import ANGLE, COUNT
from kakushi.session import part_edits

_LINES = (
    quantity("number", "At row", COUNT, "Row of the cluster", low=1),
    quantity("azimuth", "Towards", ANGLE, "Direction of the cluster", " from the front", low=-180.0, high=180.0),
    quantity("turn_deg", "Turned", ANGLE, "Turn of the cluster", " turned", low=-180.0, high=180.0),
    colour("colour", "Colour", "Colour of this cluster"),
    check("locked", "Keep it there", "Placing the others again leaves this one where it is"),
)


class ClusterForm(BoundForm):
    """Edits one seat of a set of fillers of the selected piece."""

    seat_changed = pyqtSignal()

    def __init__(self, document: Document, parent: QWidget | None = None) -> None:
        super().__init__(document, _LINES)
        self._part: Fillers | None = None
        self._place = -1
        self.drop = tip_button("Remove cluster", "Takes this cluster off the piece")
        self.drop.clicked.connect(self._on_drop)
        self.rows.addRow("", self.drop)
        self.changed.connect(self._on_changed)

    @property
    def seat(self) -> Seat | None:
        """The seat that is shown."""
        seats = self._part.seats if self._part else ()
        return seats[self._place] if 0 <= self._place < len(seats) else None

    def show_seat(self, part: Fillers | None, place: int) -> None:
        """Show a cluster of a set; nothing where there is none."""
        self._part, self._place = part, place
        seat, piece_plan = self.seat, self.document.piece_plan
        self.setVisible(seat is not None)
        if part is None or seat is None or piece_plan is None:
            return
        rows = piece_plan.piece.rows
        line = line_of(seat, rows, piece_plan.geometry, piece_plan.assembly.balls)
        degrees = math.degrees(line.azimuth) if line else 0.0
        usual = part.balloons[0].colour if part.balloons else ""
        self.show_value(
            seat,
            place=(part.key, place),
            number=next((number for number, each in enumerate(rows, 1) if each.key == seat.row), 1),
            azimuth=float(round((degrees + 180) % 360 - 180)),
            colour=seat.colours[0] if seat.colours else usual,
        )

    def _on_changed(self, changes: dict[str, object]) -> None:
        if "colour" in changes:
            self.change(colours=(changes["colour"],))
        elif "number" in changes or "azimuth" in changes:
            self._move(int(self.value("number")) - 1, math.radians(float(self.value("azimuth"))))
        else:
            self.change(**changes)

    def change(self, **changes: object) -> None:
        """Change fields of the seat."""
        piece, seat = self.document.piece, self.seat
        if piece and self._part and seat and any(getattr(seat, name) != value for name, value in changes.items()):
            self.document.apply(part_edits.change_seat(piece.key, self._part, self._place, **changes))

    def _move(self, row: int, azimuth: float) -> None:
        """To another row or direction, as typed."""
        piece_plan, seat = self.document.piece_plan, self.seat
        if piece_plan is None or seat is None or not self.document.is_planned:
            return
        rows, geometry = piece_plan.piece.rows, piece_plan.geometry
        if row >= len(rows):
            self.problem.emit(f"There are {len(rows)} rows.")
            return
        at = seat_round(row, azimuth, seat.up * rows[row].diameter_mm, rows, geometry)
        self.change(row=at.row, slot=at.slot, along=at.along)

    def move_to(self, seat: Seat) -> None:
        """Bring the cluster to a seat, as it was dragged."""
        self.change(row=seat.row, slot=seat.slot, along=seat.along, up=seat.up)

    def _on_drop(self) -> None:
        piece = self.document.piece
        if piece and self._part and self.seat:
            self.document.apply(part_edits.remove_seat(piece.key, self._part, self._place))
