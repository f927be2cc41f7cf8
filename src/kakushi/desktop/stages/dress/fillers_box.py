"""Sets of fillers of the selected piece: how they are made, where they may sit, placing them, one cluster by hand."""

from __future__ import annotations

import math
from typing import Any

from PyQt6.QtCore import QSignalBlocker, Qt, pyqtSignal
from PyQt6.QtWidgets import QHBoxLayout, QListWidget, QPushButton, QVBoxLayout, QWidget

from kakushi.desktop.document.document import Document
from kakushi.desktop.forms.choices import Choices
from kakushi.desktop.forms.form import BoundForm
from kakushi.desktop.forms.sizing_field import sizing_field
from kakushi.desktop.stages.dress.cluster_form import ClusterForm
from kakushi.desktop.stages.dress.filler_lines import FILLER_LINES, MOST_COLOURS, SHARES, USUAL_NOMINAL
from kakushi.desktop.widgets.cover_chart import CoverChart
from kakushi.desktop.widgets.fields import quiet, side_by_side
from kakushi.desktop.widgets.label import Label
from kakushi.desktop.widgets.theme import Theme
from kakushi.dress.clusters import line_of
from kakushi.dress.kind import USUAL_FILL
from kakushi.dress.kinds.fillers import asked_for
from kakushi.dress.placing import PlacedClusters, in_pairs
from kakushi.dress.table import wishes_of
from kakushi.model.parts import FillerLook, Fillers, FillerZone, Seat
from kakushi.model.sizing import Sizing
from kakushi.model.units import inches
from kakushi.plan.dressing import fillers_of
from kakushi.plan.showing import side_counts
from kakushi.session import part_edits
from kakushi.words.dress import curve_words
from kakushi.words.parts import wish_words
from kakushi.words.sizing import filler_size_words
from kakushi.words.wording import side_name
from kakushi.workshop.sized_by import is_assumed


class FillersBox(QWidget):
    """Form of one set of fillers. `problem`: a message; `cluster_chosen`: another cluster is selected."""

    problem = pyqtSignal(str)
    cluster_chosen = pyqtSignal()

    def __init__(self, document: Document, theme: Theme) -> None:
        super().__init__()
        self._document = document
        self._key: int | None = None
        self._sized: int | None = None
        self._placed: tuple[PlacedClusters, int, int] | None = None
        self._shown_words: list[str] = []
        self._sets = Choices("Sets of fillers")
        self.add, self.remove = QPushButton("Add"), QPushButton("Remove")
        self.add.setAccessibleName("Add a set of fillers")
        self.add.setToolTip("Another set, with sizes and colours of its own")
        self.remove.setToolTip("Removes this set with its clusters")
        self.remove.setAccessibleName("Remove this set of fillers")
        self._fields = BoundForm(document, FILLER_LINES, "Change fillers")
        self._sizing = sizing_field(document, "How the fillers are sized")
        self.place, self.stop = QPushButton("Place the clusters"), QPushButton("Stop")
        self.place.setProperty("main", True)
        self.place.setToolTip("Puts that many clusters where they hide most of what shows")
        self.stop.setToolTip("Keeps the clusters as they were")
        self.stop.hide()
        self._told = Label()
        self._told.setWordWrap(True)
        self._told.setTextInteractionFlags(Qt.TextInteractionFlag.TextSelectableByMouse)
        self._chart = CoverChart(theme)
        self._clusters = QListWidget()
        self._clusters.setAccessibleName("Clusters")
        self._clusters.setFixedHeight(self.fontMetrics().height() * 6)
        self._cluster_form = ClusterForm(document)
        self._empty = quiet("Small clusters tied in afterwards hide what shows, or make the piece fuller.")
        self._form = QWidget()
        self._build()
        self._connect()

    def _build(self) -> None:
        buttons = QHBoxLayout()
        buttons.addWidget(self.place, 1)
        buttons.addWidget(self.stop)
        inner = QVBoxLayout(self._form)
        inner.setContentsMargins(0, 0, 0, 0)
        inner.addWidget(self._fields)
        self._fields.rows.add_below(self._fields.widget("sized"), "Or sized by", self._sizing)
        inner.addLayout(buttons)
        for widget in (self._chart, self._told, self._clusters, self._cluster_form):
            inner.addWidget(widget)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.addWidget(self._empty)
        column.addLayout(side_by_side(self._sets, self.add, self.remove))
        column.addWidget(self._form)

    def _connect(self) -> None:
        self.add.clicked.connect(self._on_add)
        self.remove.clicked.connect(self._on_remove)
        self._sets.chosen.connect(self._on_set)
        self._fields.changed.connect(self._on_changed)
        self._sizing.entered.connect(self._on_sizing)
        for source in (self._fields, self._cluster_form, self._sizing):
            source.problem.connect(self.problem)
        self.place.clicked.connect(self._on_place)
        self.stop.clicked.connect(self._document.dresser.stop_placing)
        self._chart.chosen.connect(self._take)
        self._clusters.currentRowChanged.connect(self._on_cluster)
        dresser = self._document.dresser
        dresser.placed.connect(self._on_placed)
        dresser.placing_changed.connect(self._on_placing)
        dresser.progressed.connect(lambda share: self._told.setText(f"Placing clusters: {share:.0%}"))

    # --- what is chosen ------------------------------------------------------------------------

    @property
    def part(self) -> Fillers | None:
        """The set that is shown."""
        piece = self._document.piece
        return next((part for part in fillers_of(piece) if part.key == self._key), None) if piece else None

    def chosen_cluster(self) -> tuple[int, int] | None:
        """Key of the set and place of the cluster that is looked at."""
        part, place = self.part, self._clusters.currentRow()
        return (part.key, place) if part and 0 <= place < len(part.seats) else None

    # --- edits ---------------------------------------------------------------------------------

    def _on_add(self) -> None:
        piece = self._document.piece
        if piece is not None:
            self._key = part_edits.free_part_key(piece)
            self._document.apply(part_edits.add_part(piece.key, "fillers"))

    def _on_remove(self) -> None:
        piece, part = self._document.piece, self.part
        if piece and part:
            self._document.apply(part_edits.remove_part(piece.key, part))

    def _on_set(self, key: int) -> None:
        self._key = key
        self.refresh()

    def _on_changed(self, changes: dict[str, Any]) -> None:
        """Apply changed fields to the set."""
        part, (name, value) = self.part, next(iter(changes.items()))
        if part is None:
            return
        if name in ("each", "nominal", "sized", "colours"):
            self._set_balloons(part, name, value)
        elif name == "other_each":
            self._set_others(part, value)
        elif name == "sizes":
            self._set_sizes(part, value)
        elif name in ("first", "last", "sides"):
            self._set_zone(name, value)
        elif name == "wanted":
            # Fewer are wanted than are placed: the last ones, which hide least, go.
            self._set(wanted=value, seats=part.seats[:value])
        else:
            self._set(**changes)

    def _set(self, **changes: object) -> None:
        piece, part = self._document.piece, self.part
        if piece and part and any(getattr(part, name) != value for name, value in changes.items()):
            self._document.apply(part_edits.change_part(piece.key, part, **changes))

    def _set_balloons(self, part: Fillers, name: str, value: object) -> None:
        given = {key: self._fields.shown(key) for key in ("each", "nominal", "sized", "colours")} | {name: value}
        # Another nominal size is sized as is usual for it.
        sized = None if name == "nominal" else given["sized"]
        balloons = part_edits.shared_out(given["nominal"], sized, given["colours"], given["each"])
        changes: dict[str, object] = {"balloons": balloons}
        if name in ("nominal", "sized"):
            changes["sizing"] = None
        if name == "nominal" and part.sizes_mm:
            changes["sizes_mm"] = part_edits.filler_sizes(
                self._document.studio, given["nominal"], None, len(part.sizes_mm)
            )
        self._set(**changes)

    def _set_others(self, part: Fillers, count: int) -> None:
        """Give every second cluster so many balloons; 0: as many as the others."""
        piece_plan = self._document.piece_plan
        seats = list(part.seats)
        if piece_plan is not None:
            seats = in_pairs(seats, piece_plan.piece.rows, piece_plan.geometry, piece_plan.assembly.balls)
        self._set(other_each=count or None, seats=tuple(seats))

    def _set_sizes(self, part: Fillers, count: int) -> None:
        """Choose a number of sizes of the sizer around the current one."""
        if part.balloons:
            line = part.balloons[0]
            sizes = part_edits.filler_sizes(self._document.studio, line.nominal_in, line.diameter_mm, count)
            self._set(sizes_mm=sizes if count > 1 else (), sizing=None)

    def _on_sizing(self, sizing: Sizing | float | None) -> None:
        piece, part = self._document.piece, self.part
        if piece is None or part is None or sizing is None:
            return
        if isinstance(sizing, Sizing):
            self._document.apply(part_edits.set_filler_sizing(piece.key, part, sizing, self._document.studio))
        else:
            self._set_balloons(part, "sized", sizing)

    def _set_zone(self, name: str, value: object) -> None:
        piece = self._document.piece
        if piece is None or not piece.rows:
            return
        given = {key: self._fields.shown(key) for key in ("first", "last", "sides")} | {name: value}
        first, last, limits = given["first"] - 1, given["last"] - 1, given["sides"]
        if first > last:
            self.problem.emit("The first row with fillers lies above the last one.")
            return
        if last >= len(piece.rows):
            self.problem.emit(f"There are {len(piece.rows)} rows.")
            return
        self._set(
            zone=FillerZone(
                first_row=piece.rows[first].key if first else None,
                last_row=piece.rows[last].key if last < len(piece.rows) - 1 else None,
                from_deg=limits[0] if limits else None,
                to_deg=limits[1] if limits else None,
            )
        )

    def _on_place(self) -> None:
        if self._key is None or self.part is None:
            return
        if not self._document.is_planned:
            self.problem.emit("The rows are still being worked out: try again in a moment.")
            return
        self._document.dresser.place(self._key)

    def _on_placing(self, on: bool) -> None:
        self.stop.setVisible(on)
        if not on:
            self._show_told()

    def _on_placed(self, placed: PlacedClusters, piece_key: int, key: int) -> None:
        piece = self._document.job.piece(piece_key)
        part = next((part for part in fillers_of(piece) if part.key == key), None) if piece else None
        if part is None:
            return
        self._placed = placed, piece_key, key
        if not placed.seats:
            wishes = wishes_of((part,))
            self.problem.emit(
                wish_words(wishes[0], self._document.units)
                if wishes
                else "There is no room there: choose more rows or other sides."
            )
            return
        seats = placed.seats[: max(asked_for(part), placed.kept)]
        self._document.apply(part_edits.set_seats(piece_key, part, seats))
        self._show_told()

    def _take(self, number: int) -> None:
        """Use a number of the placed clusters."""
        part, placed = self.part, self._own_placed()
        piece = self._document.piece
        if piece and part and placed:
            seats = placed.seats[: max(number, placed.kept)]
            self._document.apply(part_edits.set_seats(piece.key, part, seats, "Number of clusters"))

    def _own_placed(self) -> PlacedClusters | None:
        piece = self._document.piece
        if self._placed and piece and self._placed[1:] == (piece.key, self._key):
            return self._placed[0]
        return None

    def move_cluster(self, key: int, place: int, seat: Seat) -> None:
        """Bring a cluster to a seat, as it was dragged."""
        self.choose_cluster(key, place)
        if self._document.is_planned:
            self._cluster_form.move_to(seat)

    def choose_cluster(self, key: int, place: int) -> None:
        """Look at one cluster of a set."""
        if key != self._key:
            self._key = key
            self.refresh()
        self._clusters.setCurrentRow(place)

    def _on_cluster(self, _row: int) -> None:
        self._show_cluster()
        self.cluster_chosen.emit()

    # --- showing --------------------------------------------------------------------------------

    def refresh(self) -> None:
        """Show the selected piece's fillers."""
        piece = self._document.piece
        sets = fillers_of(piece) if piece else []
        if self.part is None:
            self._key = sets[0].key if sets else None
        part = self.part
        self._sets.list_choices([(each.name or "fillers", each.key) for each in sets])
        self._sets.set_value(self._key)
        self._sets.setVisible(len(sets) > 1)
        self._empty.setVisible(not sets)
        self._form.setVisible(part is not None)
        self.remove.setEnabled(part is not None)
        if part is not None and piece is not None:
            self._show_form(part)
            self._show_clusters(part)
        self._show_told()

    def _show_form(self, part: Fillers) -> None:
        line = part.balloons[0] if part.balloons else None
        nominal = line.nominal_in if line else USUAL_NOMINAL
        keys = [row.key for row in self._document.piece.rows] if self._document.piece else []
        zone, first = part.zone, self._document.job.palette[0].key
        used = tuple(dict.fromkeys(each.colour for each in part.balloons))[:MOST_COLOURS] or (first,)
        self._fields.show_value(
            part,
            hidden=() if part.look is FillerLook.SCATTERED else SHARES,
            each=sum(each.count for each in part.balloons) or 1,
            other_each=part.other_each or 0,
            nominal=nominal,
            sized=line.diameter_mm if line and line.diameter_mm else USUAL_FILL * inches(nominal),
            sizes=max(len(part.sizes_mm), 1),
            colours=used,
            first=keys.index(zone.first_row) + 1 if zone.first_row in keys else 1,
            last=keys.index(zone.last_row) + 1 if zone.last_row in keys else max(len(keys), 1),
            sides=None if zone.from_deg is None or zone.to_deg is None else (zone.from_deg, zone.to_deg),
        )
        self._sizing.set_value(part.sizing, part.key != self._sized)
        self._sized = part.key
        self._fields.widget("colours").setEnabled(not part.bridges)
        self._fields.widget("dark_below").setEnabled(not part.bridges and len(used) > 1)
        self._fields.widget("sized").setEnabled(not part.sizes_mm)

    def _show_clusters(self, part: Fillers) -> None:
        kept = self._clusters.currentRow()
        words = [f"{number}: {self._seat_words(seat)}" for number, seat in enumerate(part.seats, 1)]
        if words != self._shown_words:
            self._shown_words = words
            with QSignalBlocker(self._clusters):
                self._clusters.clear()
                self._clusters.addItems(words)
                self._clusters.setCurrentRow(min(kept, self._clusters.count() - 1))
        self._clusters.setVisible(bool(part.seats))
        self._show_cluster()

    def _seat_words(self, seat: Seat) -> str:
        piece_plan = self._document.piece_plan
        if piece_plan is None:
            return ""
        rows = piece_plan.piece.rows
        line = line_of(seat, rows, piece_plan.geometry, piece_plan.assembly.balls)
        row = next((index for index, each in enumerate(rows) if each.key == seat.row), None)
        if line is None or (row is None and seat.ball is None):
            return "its row is gone"
        where = "on the ball" if row is None or seat.ball is not None else f"row {row + 1}"
        return f"{where}, {side_name(math.degrees(line.azimuth))}{', kept there' if seat.locked else ''}"

    def _show_cluster(self) -> None:
        self._cluster_form.show_seat(self.part, self._clusters.currentRow())

    def _show_told(self) -> None:
        part, placed = self.part, self._own_placed()
        if part is None:
            return
        self._chart.setVisible(placed is not None)
        words = []
        if part.sizing is not None:
            assumed = is_assumed(part.sizing, {each.nominal_in for each in part.balloons}, self._document.studio)
            words.append(filler_size_words(part, self._document.units, assumed))
        if placed is not None:
            self._chart.show_curve(placed.hidden, len(part.seats))
            words.append(curve_words(placed))
        piece_plan = self._document.piece_plan
        if part.seats and piece_plan is not None:
            left, right = side_counts(piece_plan)
            words.append(f"{left} left, {right} right of the middle.")
        elif not part.seats:
            words.append(f"{part.wanted} wanted, not placed yet.")
        self._told.setText(" ".join(words))

    def set_theme(self, theme: Theme) -> None:
        """Draw in another theme."""
        self._chart.set_theme(theme)
