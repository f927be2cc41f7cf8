"""Sets of fillers of the selected piece: how they are made, where they may sit, placing them, one cluster by hand."""

from __future__ import annotations

import math
from collections.abc import Sequence

from PyQt6.QtCore import QSignalBlocker, Qt, pyqtSignal
from PyQt6.QtWidgets import (
    QCheckBox,
    QComboBox,
    QHBoxLayout,
    QLabel,
    QListWidget,
    QPushButton,
    QSizePolicy,
    QSpinBox,
    QVBoxLayout,
    QWidget,
)

from kakushi.desktop.document.document import Document
from kakushi.desktop.widgets.cover_chart import CoverChart
from kakushi.desktop.widgets.fields import ColourChooser, ColourList, LengthField, form, quiet
from kakushi.desktop.widgets.theme import Theme
from kakushi.dress.clusters import line_of, seat_near
from kakushi.dress.kind import USUAL_FILL
from kakushi.dress.kinds.fillers import asked_for
from kakushi.dress.placing import Placed
from kakushi.dress.table import wishes_of
from kakushi.model.parts import FillerLook, Fillers, FillerTie, FillerZone, Seat
from kakushi.model.units import format_nominal, inches
from kakushi.plan.dressing import fillers_of
from kakushi.plan.showing import side_counts
from kakushi.session import part_edits
from kakushi.words.dress import curve_words
from kakushi.words.parts import wish_words
from kakushi.words.wording import side_name

_ALL_ROUND = "where it is seen"
_SIDES = {_ALL_ROUND: None, "front half": (-90.0, 90.0), "back half": (90.0, 270.0), "right half": (0.0, 180.0),
          "left half": (180.0, 360.0), "all round": (0.0, 360.0)}  # fmt: skip


def _spin(name: str, low: int, high: int, suffix: str = "") -> QSpinBox:
    box = QSpinBox()
    box.setRange(low, high)
    box.setSuffix(suffix)
    box.setAccessibleName(name)
    box.setKeyboardTracking(False)
    return box


class FillersBox(QWidget):
    """One set at a time. `problem` tells what is wrong, `cluster_chosen` that another cluster is looked at."""

    problem = pyqtSignal(str)
    cluster_chosen = pyqtSignal()

    def __init__(self, document: Document, theme: Theme) -> None:
        super().__init__()
        self._document = document
        self._key: int | None = None
        self._placed: tuple[Placed, int, int] | None = None
        self._shown_words: list[str] = []
        self._sets = QComboBox()
        self._sets.setAccessibleName("Sets of fillers")
        self.add, self.remove = QPushButton("Add"), QPushButton("Remove")
        self.add.setAccessibleName("Add a set of fillers")
        self.remove.setAccessibleName("Remove this set of fillers")
        self._wanted = _spin("Clusters wanted", 1, 1000)
        self._each = _spin("Balloons in a cluster", 1, 6)
        self._nominal = QComboBox()
        self._nominal.setAccessibleName("Nominal size of the fillers")
        self._sized = LengthField(document, "sized diameter of the fillers", 20.0, 1000.0, diameter=True)
        self._colours = ColourList("filler colour", 1, 6)
        self._different = _spin("Different sizes of the fillers", 1, 6)
        self._different.setSpecialValueText("all alike")
        self._tie, self._look, self._sides = QComboBox(), QComboBox(), QComboBox()
        self._tie.addItems([tie.value for tie in FillerTie])
        self._look.addItems([look.value for look in FillerLook])
        self._sides.addItems(list(_SIDES))
        for box, name in (
            (self._tie, "How a cluster is held"),
            (self._look, "What the fillers look like"),
            (self._sides, "Sides where fillers may sit"),
        ):
            box.setAccessibleName(name)
            box.setSizeAdjustPolicy(QComboBox.SizeAdjustPolicy.AdjustToMinimumContentsLengthWithIcon)
            box.setMinimumContentsLength(12)
            box.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self._first, self._last = _spin("First row with fillers", 1, 1), _spin("Last row with fillers", 1, 1)
        self._odd, self._bridges = QCheckBox("An odd number"), QCheckBox("Colours of the rows they touch")
        self._split = QCheckBox("Split: each twisted in the middle")
        self._dark_below = QCheckBox("The darker colours below")
        self.place, self.stop = QPushButton("Place the clusters"), QPushButton("Stop")
        self.place.setProperty("main", True)
        self.stop.hide()
        self._told = QLabel()
        self._told.setWordWrap(True)
        self._chart = CoverChart(theme)
        self._clusters = QListWidget()
        self._clusters.setAccessibleName("Clusters")
        self._clusters.setFixedHeight(self.fontMetrics().height() * 6)
        self._row = _spin("Row of the cluster", 1, 1)
        self._azimuth = _spin("Direction of the cluster", -180, 180, "° from the front")
        self._turn = _spin("Turn of the cluster", -180, 180, "° turned")
        self._own_colour = ColourChooser("Colour of this cluster")
        self._locked = QCheckBox("Keep it there")
        self.drop = QPushButton("Remove cluster")
        self._empty = quiet("Small clusters tied in afterwards hide what shows, or make the piece fuller.")
        self._form, self._cluster_form = QWidget(), QWidget()
        self._build()
        self._connect()

    def _build(self) -> None:
        line = QHBoxLayout()
        line.setSpacing(5)
        line.addWidget(self._sets, 1)
        line.addWidget(self.add)
        line.addWidget(self.remove)
        fields = form()
        for words, widget in (
            ("Clusters", self._wanted),
            ("Of", self._each),
            ("Size", self._nominal),
            ("Sized to", self._sized),
            ("Sizes", self._different),
            ("Colours", self._colours),
            ("", self._bridges),
            ("", self._dark_below),
            ("", self._split),
            ("Held by", self._tie),
            ("Look", self._look),
            ("From row", self._first),
            ("To row", self._last),
            ("Sides", self._sides),
            ("", self._odd),
        ):
            fields.addRow(words, widget)
        buttons = QHBoxLayout()
        buttons.addWidget(self.place, 1)
        buttons.addWidget(self.stop)
        mine = QVBoxLayout(self._form)
        mine.setContentsMargins(0, 0, 0, 0)
        mine.addLayout(fields)
        mine.addLayout(buttons)
        mine.addWidget(self._chart)
        mine.addWidget(self._told)
        mine.addWidget(self._clusters)
        mine.addWidget(self._cluster_form)
        one = form()
        for words, widget in (
            ("At row", self._row),
            ("Towards", self._azimuth),
            ("Turned", self._turn),
            ("Colour", self._own_colour),
            ("", self._locked),
        ):
            one.addRow(words, widget)
        one.addRow("", self.drop)
        self._cluster_form.setLayout(one)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.addWidget(self._empty)
        column.addLayout(line)
        column.addWidget(self._form)

    def _connect(self) -> None:
        self.add.clicked.connect(self._on_add)
        self.remove.clicked.connect(self._on_remove)
        self._sets.activated.connect(self._on_set)
        self._wanted.valueChanged.connect(self._on_wanted)
        self._each.valueChanged.connect(lambda _: self._set_balloons())
        self._nominal.activated.connect(lambda _: self._set_balloons(is_other_size=True))
        self._sized.entered.connect(lambda _: self._set_balloons())
        self._sized.problem.connect(self.problem)
        self._colours.changed.connect(lambda entries: self._set_balloons(colours=[key for key, _ in entries]))
        self._different.valueChanged.connect(lambda _: self._set_sizes())
        self._tie.activated.connect(lambda index: self._set(tie=list(FillerTie)[index]))
        self._look.activated.connect(lambda index: self._set(look=list(FillerLook)[index]))
        for spin in (self._first, self._last):
            spin.valueChanged.connect(lambda _: self._set_zone())
        self._sides.activated.connect(lambda _: self._set_zone())
        for box, name in (
            (self._odd, "odd"),
            (self._bridges, "bridges"),
            (self._split, "is_split"),
            (self._dark_below, "dark_below"),
        ):
            box.toggled.connect(lambda on, name=name: self._set(**{name: on}))
        self.place.clicked.connect(self._on_place)
        self.stop.clicked.connect(self._document.dresser.stop_placing)
        self._chart.chosen.connect(self._take)
        self._clusters.currentRowChanged.connect(self._on_cluster)
        self._row.valueChanged.connect(lambda _: self._move())
        self._azimuth.valueChanged.connect(lambda _: self._move())
        self._turn.valueChanged.connect(lambda degrees: self._change_seat(turn_deg=float(degrees)))
        self._own_colour.chosen.connect(lambda key: self._change_seat(colours=(key,)))
        self._locked.toggled.connect(lambda on: self._change_seat(locked=on))
        self.drop.clicked.connect(self._on_drop)
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

    def _seat(self) -> tuple[Fillers, int, Seat] | None:
        part, chosen = self.part, self.chosen_cluster()
        return (part, chosen[1], part.seats[chosen[1]]) if part and chosen else None

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

    def _on_set(self, index: int) -> None:
        self._key = self._sets.itemData(index)
        self.refresh()

    def _set(self, **changes: object) -> None:
        piece, part = self._document.piece, self.part
        if piece and part and any(getattr(part, name) != value for name, value in changes.items()):
            self._document.apply(part_edits.change_part(piece.key, part, **changes))

    def _on_wanted(self, wanted: int) -> None:
        part = self.part
        if part is None:
            return
        # Fewer are wanted than are placed: the last ones, which hide least, go.
        self._set(wanted=wanted, seats=part.seats[:wanted] if wanted < len(part.seats) else part.seats)

    def _set_balloons(self, is_other_size: bool = False, colours: Sequence[str] = ()) -> None:
        part = self.part
        if part is None:
            return
        nominal = float(self._nominal.currentData() or 5.0)
        sized = None if is_other_size else self._sized.value
        keys = list(colours) or [line.colour for line in part.balloons] or [self._document.job.palette[0].key]
        changes: dict[str, object] = {"balloons": part_edits.shared_out(nominal, sized, keys, self._each.value())}
        if is_other_size and part.sizes_mm:
            changes["sizes_mm"] = part_edits.filler_sizes(self._document.studio, nominal, None, len(part.sizes_mm))
        self._set(**changes)

    def _set_sizes(self) -> None:
        """So many different sizes of the sizer, about the one they are sized to."""
        part, many = self.part, self._different.value()
        if part is None or not part.balloons:
            return
        line = part.balloons[0]
        sizes = part_edits.filler_sizes(self._document.studio, line.nominal_in, line.diameter_mm, many)
        self._set(sizes_mm=sizes if many > 1 else ())

    def _set_zone(self) -> None:
        piece, part = self._document.piece, self.part
        if piece is None or part is None or not piece.rows:
            return
        first, last = self._first.value() - 1, self._last.value() - 1
        if first > last:
            self.problem.emit("The first row with fillers lies above the last one.")
            return
        limits = _SIDES[self._sides.currentText()]
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
        self.place.setEnabled(not on)
        if not on:
            self._show_told()

    def _on_placed(self, placed: Placed, piece_key: int, key: int) -> None:
        piece = self._document.job.piece(piece_key)
        part = next((part for part in fillers_of(piece) if part.key == key), None) if piece else None
        if part is None:
            return
        self._placed = placed, piece_key, key
        if not placed.seats:
            wishes = wishes_of((part,))
            self.problem.emit(
                wish_words(wishes[0]) if wishes else "There is no place there: choose more rows or other sides."
            )
            return
        seats = placed.seats[: max(asked_for(part), placed.kept)]
        self._document.apply(part_edits.set_seats(piece_key, part, seats))
        self._show_told()

    def _take(self, number: int) -> None:
        """Take so many of the clusters that were placed."""
        part, mine = self.part, self._own_placed()
        piece = self._document.piece
        if piece and part and mine:
            seats = mine.seats[: max(number, mine.kept)]
            self._document.apply(part_edits.set_seats(piece.key, part, seats, "Number of clusters"))

    def _own_placed(self) -> Placed | None:
        piece = self._document.piece
        if self._placed and piece and self._placed[1:] == (piece.key, self._key):
            return self._placed[0]
        return None

    def _change_seat(self, **changes: object) -> None:
        piece, mine = self._document.piece, self._seat()
        if piece and mine:
            part, place, seat = mine
            if any(getattr(seat, name) != value for name, value in changes.items()):
                self._document.apply(part_edits.change_seat(piece.key, part, place, **changes))

    def _move(self) -> None:
        """To another row or direction, as typed."""
        piece_plan, mine = self._document.piece_plan, self._seat()
        if piece_plan is None or mine is None or not self._document.is_planned:
            return
        rows, geometry, seat = piece_plan.piece.rows, piece_plan.geometry, mine[2]
        row = min(self._row.value() - 1, len(rows) - 1)
        at = seat_near(
            math.radians(self._azimuth.value()),
            float(geometry.frames.origins[row, 2]) + seat.up * rows[row].diameter_mm,
            rows,
            geometry,
            row,
        )
        if at is not None:
            self._change_seat(row=at.row, slot=at.slot, along=at.along)

    def move_cluster(self, key: int, place: int, azimuth: float, height_mm: float) -> None:
        """Bring a cluster to a direction (radians from the front) and height, as it was dragged."""
        self.choose_cluster(key, place)
        piece_plan, mine = self._document.piece_plan, self._seat()
        if piece_plan is None or mine is None or not self._document.is_planned:
            return
        at = seat_near(azimuth, height_mm, piece_plan.piece.rows, piece_plan.geometry)
        if at is not None:
            self._change_seat(row=at.row, slot=at.slot, along=at.along, up=at.up)

    def _on_drop(self) -> None:
        piece, mine = self._document.piece, self._seat()
        if piece and mine:
            self._document.apply(part_edits.remove_seat(piece.key, mine[0], mine[1]))

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
        self._sets.clear()
        for each in sets:
            self._sets.addItem(each.name or "fillers", each.key)
        self._sets.setCurrentIndex(self._sets.findData(self._key))
        self._sets.setVisible(len(sets) > 1)
        self._empty.setVisible(not sets)
        self._form.setVisible(part is not None)
        self.remove.setEnabled(part is not None)
        if part is not None and piece is not None:
            self._show_form(part, len(piece.rows))
            self._show_clusters(part)
        self._show_told()

    def _show_form(self, part: Fillers, many_rows: int) -> None:
        boxes = (
            self._wanted, self._each, self._first, self._last, self._odd, self._bridges, self._split, self._dark_below,
            self._different,
        )  # fmt: skip
        blockers = [QSignalBlocker(box) for box in boxes]
        line = part.balloons[0] if part.balloons else None
        self._wanted.setValue(part.wanted)
        self._each.setValue(sum(each.count for each in part.balloons) or 1)
        self._different.setValue(max(len(part.sizes_mm), 1))
        self._nominal.clear()
        for size in self._document.studio.nominals:
            self._nominal.addItem(format_nominal(size.nominal_in), size.nominal_in)
        nominal = line.nominal_in if line else 5.0
        self._nominal.setCurrentIndex(max(self._nominal.findData(nominal), 0))
        sized = line.diameter_mm if line and line.diameter_mm else USUAL_FILL * inches(nominal)
        self._sized.set_value(sized)
        palette = self._document.job.palette
        colours = list(dict.fromkeys(each.colour for each in part.balloons)) or [palette[0].key]
        self._colours.show_entries(palette, [(key, 1) for key in colours[:6]])
        self._colours.setEnabled(not part.bridges)
        self._dark_below.setEnabled(not part.bridges and len(colours) > 1)
        self._sized.setEnabled(not part.sizes_mm)
        self._tie.setCurrentIndex(list(FillerTie).index(part.tie))
        self._look.setCurrentIndex(list(FillerLook).index(part.look))
        keys = [row.key for row in self._document.piece.rows] if self._document.piece else []
        zone = part.zone
        for spin, key, usual in ((self._first, zone.first_row, 1), (self._last, zone.last_row, many_rows)):
            spin.setRange(1, max(many_rows, 1))
            spin.setValue(keys.index(key) + 1 if key in keys else usual)
        limits = None if zone.from_deg is None or zone.to_deg is None else (zone.from_deg, zone.to_deg)
        words = next((words for words, each in _SIDES.items() if each == limits), _ALL_ROUND)
        self._sides.setCurrentText(words)
        self._odd.setChecked(part.odd)
        self._bridges.setChecked(part.bridges)
        self._split.setChecked(part.is_split)
        self._dark_below.setChecked(part.dark_below)
        del blockers

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
        line = line_of(seat, rows, piece_plan.geometry)
        row = next((index for index, each in enumerate(rows) if each.key == seat.row), None)
        if line is None or row is None:
            return "its row is gone"
        return f"row {row + 1}, {side_name(math.degrees(line.azimuth))}{', kept there' if seat.locked else ''}"

    def _show_cluster(self) -> None:
        mine, piece_plan = self._seat(), self._document.piece_plan
        self._cluster_form.setVisible(mine is not None)
        if mine is None or piece_plan is None:
            return
        part, _, seat = mine
        rows = piece_plan.piece.rows
        line = line_of(seat, rows, piece_plan.geometry)
        row = next((index for index, each in enumerate(rows) if each.key == seat.row), 0)
        blockers = [QSignalBlocker(box) for box in (self._row, self._azimuth, self._turn, self._locked)]
        self._row.setRange(1, max(len(rows), 1))
        self._row.setValue(row + 1)
        degrees = math.degrees(line.azimuth) if line else 0.0
        self._azimuth.setValue(round((degrees + 180) % 360 - 180))
        self._turn.setValue(round(seat.turn_deg))
        self._locked.setChecked(seat.locked)
        palette = self._document.job.palette
        usual = part.balloons[0].colour if part.balloons else palette[0].key
        self._own_colour.show_colours(palette, seat.colours[0] if seat.colours else usual)
        del blockers

    def _show_told(self) -> None:
        part, mine = self.part, self._own_placed()
        if part is None:
            return
        self._chart.setVisible(mine is not None)
        words = []
        if mine is not None:
            self._chart.show_curve(mine.hidden, len(part.seats))
            words.append(curve_words(mine))
        piece_plan = self._document.piece_plan
        if part.seats and piece_plan is not None:
            left, right = side_counts(piece_plan)
            words.append(f"{left} left, {right} right of the middle.")
        elif not part.seats:
            words.append(f"{part.wanted} wanted, not placed yet.")
        self._told.setText(" ".join(words))
        self._told.setTextInteractionFlags(Qt.TextInteractionFlag.TextSelectableByMouse)

    def set_theme(self, theme: Theme) -> None:
        """Draw in another theme."""
        self._chart.set_theme(theme)
