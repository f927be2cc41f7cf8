"""The form of one part: fields of every kind, of which a part shows those it has."""

from __future__ import annotations

from typing import Any

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QCheckBox, QPushButton

from kakushi.desktop.document.document import Document
from kakushi.desktop.forms.choices import Choice, Choices, nominal_choices
from kakushi.desktop.forms.form import BoundForm, check, choice, colour, limits_of, options, quantity, text, written
from kakushi.desktop.widgets.fields import quiet
from kakushi.dress.table import kind_of, name_of
from kakushi.model.parts import Accent, Collar, Extended, Fixing, Flowers, FoilShape, Lettering, Part, Placed, Starburst
from kakushi.model.quantities import ANGLE, COUNT, DIAMETER, LENGTH, MASS, SHARE, number
from kakushi.model.used import Used
from kakushi.plan.resting import is_laid
from kakushi.session import part_edits
from kakushi.words.dress import lettering_words
from kakushi.words.parts import HELD, windows_said

_BETWEEN_LINES = " / "
"""Parts lines of words where they are typed."""
_USUAL_NOMINAL = 5.0
"""Size of balloon a new line begins with, in."""
_FLOOR = ("the floor", ("floor", None))


def _items_shown(items: tuple[Used, ...]) -> str:
    return "; ".join(f"{item.count:g} {item.item}" for item in items or ())


_IN_SIGHT: tuple[Choice, ...] = (("as usual for its kind", None), ("stays in sight", True), ("may be covered", False))
_LINES = (
    text("name", "Name", "Name of the part"),
    choice("shape", "Shape", options(FoilShape.model_fields["shape"].annotation), "Shape of the foil"),
    text("letters", "Letters", "Letters of the foil", limit=limits_of(FoilShape, "text")[1]),
    written(
        "text",
        "Words",
        lambda words: "\n".join(line.strip() for line in words.split("/")),
        lambda words: (words or "").replace("\n", _BETWEEN_LINES),
        "Words on the balloon",
        "Lantern / Quay",
        "A stroke parts the lines",
    ),
    quantity("cap", "Within", SHARE, "How far out the words reach", " of the balloon"),
    choice("valve", "Valve", options(FoilShape.model_fields["valve"].annotation), "Valve"),
    colour("colour", "Drawn in", "Colour of the part"),
    check("stands", "Stands on the top row"),
    choice("origin", "Height from", (), "Height counted from"),
    quantity("height_mm", "At height", LENGTH, "height above the floor"),
    quantity("up_mm", "Above it", LENGTH, "height above the row or part"),
    quantity("offset_mm", "Off the pole", LENGTH, "distance from the pole"),
    quantity("azimuth_deg", "Towards", ANGLE, "Direction", " from the front"),
    quantity("cones", "Cones", COUNT, "Number of cones"),
    check("tied", "Tied from pairs of small foils"),
    quantity("tails", "Tails", COUNT, "Number of tails"),
    quantity("stems", "Stems", COUNT, "Number of stems"),
    quantity("flowers", "Flowers", COUNT, "Number of flowers"),
    colour("middle_colour", "Middles", "Colour of the middles of the flowers"),
    quantity("sticks", "Sticks", COUNT, "Number of sticks"),
    quantity("thick_mm", "Thick", DIAMETER, "thickness of a stick", low=1.0, high=100.0),
    quantity("fixings", "Fixings", COUNT, "Fixings"),
    quantity("to_deg", "And held", ANGLE, "Second place, further round", " further round"),
    quantity("tail_mm", "Tail length", LENGTH, "length of the tails"),
    quantity("to_up_mm", "And higher by", LENGTH, "second place, higher by"),
    quantity("mass_g", "Mass", MASS, "Mass"),
    choice("in_sight", "In sight", _IN_SIGHT, "Whether it stays in sight when clusters are placed"),
    quantity("tall_mm", "Tall", LENGTH, "height of the part"),
    quantity("wide_mm", "Wide", LENGTH, "width of the part"),
    quantity("deep_mm", "Deep", LENGTH, "depth of the part", none=("as deep as wide", None)),
    check("follows_swirl", "Leans on along the swirl"),
    choice("fixing", "Held by", options(Fixing), "Held by"),
    quantity("count", "Balloons", COUNT, "Balloons used", low=0, high=1000),
    choice("nominal", "Size", lambda d: nominal_choices(d.studio.nominals), "Nominal size of its balloons"),
    colour("balloon_colour", "Colour", "Colour of its balloons"),
    quantity("strips", "Strips", number(1, 0.5), "Strips used", " strips"),
    written(
        "items",
        "Also uses",
        part_edits.read_items,
        _items_shown,
        "What else it uses",
        "2 foil stars; 1 light",
        "Other things it takes, each with its number",
    ),
)


class PartForm(BoundForm):
    """Edits one part of the selected piece; asks for what lies outside it."""

    outline_wanted = pyqtSignal()
    svg_wanted = pyqtSignal(bool)
    place_wanted = pyqtSignal()
    lay_wanted = pyqtSignal()

    def __init__(self, document: Document) -> None:
        super().__init__(document, _LINES, "Change part")
        self._part: Part | None = None
        self.from_file = QPushButton("Shape from a file…")
        self.from_file.setToolTip("An SVG drawing or the silhouette of a picture")
        self.from_file.clicked.connect(self.outline_wanted)
        self.save = QPushButton("Save for the cutter…")
        self.save.setToolTip("The letters as an SVG file")
        self._mirrored = QCheckBox("Mirrored, cut from the back")
        self.save.clicked.connect(lambda: self.svg_wanted.emit(self._mirrored.isChecked()))
        self.place_ring = QPushButton("Place it where it hides most")
        self.place_ring.setToolTip("Moves the collar to the height and number of balloons that hide most of the joint")
        self.place_ring.clicked.connect(self.place_wanted)
        self.lay = QPushButton("Lay it against the balloons")
        self.lay.setToolTip("Moves it to where it just touches them, and not below the floor")
        self.lay.clicked.connect(self.lay_wanted)
        self._told, self.held = quiet(), quiet()
        for widget in (self.from_file, self._told, self._mirrored, self.save):
            self.put_row("colour", widget)
        self.put_row("origin", self.place_ring)
        self.put_row("offset_mm", self.lay)
        self.rows.addRow(self.held)
        self.changed.connect(self._on_changed)

    # --- edits ---------------------------------------------------------------------------------

    def change(self, **changes: object) -> None:
        """Change fields of the part."""
        piece, part = self.document.piece, self._part
        if piece and part and any(getattr(part, name) != value for name, value in changes.items()):
            self.document.apply(part_edits.change_part(piece.key, part, **changes))

    def _on_changed(self, changes: dict[str, Any]) -> None:
        (name, value), piece, part = next(iter(changes.items())), self.document.piece, self._part
        if piece is None or part is None:
            return
        if name == "origin":
            self._count_from(*value)
        elif name in ("count", "nominal", "balloon_colour"):
            given = {key: self.shown(key) for key in ("nominal", "balloon_colour", "count")} | changes
            self.document.apply(part_edits.set_part_balloons(piece.key, part, *given.values()))
        elif name == "letters":
            self.change(text=value)
        elif name == "shape":
            # Another shape takes the place of one that came from a file.
            self.change(shape=value, outline=None)
        else:
            self.change(**changes)

    def _count_from(self, kind: str, key: int | tuple[int, ...] | None) -> None:
        """Counted from somewhere else it stays where it is."""
        part, piece_plan = self._part, self.document.piece_plan
        if piece_plan is None or not isinstance(part, Placed):
            return
        now = next((each for each in piece_plan.parts if each.key == part.key), None)
        height = now.height_mm if isinstance(now, Placed) else part.height_mm
        if isinstance(now, Extended) and (now.on is not None or now.tied_to):
            height = piece_plan.place_of(now).z
        knots, rows = piece_plan.geometry.knots, piece_plan.piece.rows
        row = next((index for index, row in enumerate(rows) if row.key == key), None) if kind == "row" else None
        up = height - float(knots[row]) if row is not None and row < len(knots) else 0.0
        changes: dict[str, object] = {"row": key if kind == "row" else None, "up_mm": up, "height_mm": max(height, 0.0)}
        if isinstance(part, Extended):
            changes["on"] = key if kind == "part" else None
            changes["tied_to"] = key if kind == "window" else ()
            if kind in ("part", "window"):
                changes["offset_mm"] = 0.0
            if kind == "window" and isinstance(part, FoilShape | Starburst):
                changes["stands"] = False
        self.change(**changes)

    # --- showing -------------------------------------------------------------------------------

    def show_part(self, part: Part) -> None:
        """Show a part of the selected piece."""
        self._part = part
        extra: dict[str, object] = {}
        if isinstance(part, FoilShape):
            extra["letters"] = part.text
        if isinstance(part, Placed):
            origins = self._origins(part)
            extra["origin"] = _origin_of(part, [value for _, value in origins])
            box = self.widget("origin")
            assert isinstance(box, Choices)
            box.list_choices(origins)
        if kind_of(part).has_balloons:
            used = part.balloons[0] if part.balloons else None
            extra["count"] = used.count if used else 0
            extra["nominal"] = used.nominal_in if used else _USUAL_NOMINAL
            extra["balloon_colour"] = used.colour if used else self.document.job.palette[0].key
        self.show_value(part, self._hidden(part, extra), **extra)
        self._show_around(part)

    def _origins(self, part: Placed) -> list[Choice]:
        piece = self.document.piece
        origins: list[Choice] = [_FLOOR]
        if isinstance(part, Extended):
            origins += [
                (f"the middle of “{name_of(other)}”", ("part", other.key))
                for other in (piece.parts if piece else ())
                if isinstance(other, Extended) and other.key != part.key and other.on is None
            ]
            origins += [(f"the window between {words}", ("window", tied_to)) for tied_to, words in windows_said(piece)]
        rows = piece.rows if piece else ()
        return origins + [(f"the knot of row {number}", ("row", row.key)) for number, row in enumerate(rows, 1)]

    def _hidden(self, part: Part, extra: dict[str, object]) -> set[str]:
        """Fields that mean nothing for this part as it is."""
        hidden = {"height_mm" if extra.get("origin", _FLOOR[1]) != _FLOOR[1] else "up_mm"}
        if isinstance(part, Accent | Collar):
            # What lies on the column is as far out as it comes to lie.
            hidden.add("offset_mm")
        if isinstance(part, FoilShape):
            hidden.add("text")
            if part.shape != "letters" or part.outline is not None:
                hidden.add("letters")
        elif kind_of(part).has_balloons and not isinstance(part, Flowers):
            hidden.add("colour")
        return hidden

    def _show_around(self, part: Part) -> None:
        """Show the buttons and notes between the fields."""
        self.rows.setRowVisible(self.from_file, isinstance(part, FoilShape))
        name = (part.outline.name or "a file") if isinstance(part, FoilShape) and part.outline else ""
        self.from_file.setText(f"Shape from “{name}”…" if name else "Shape from a file…")
        around = self.document.dresser.words if isinstance(part, Lettering) else ()
        told = next((lettering_words(words, self.document.units) for words in around if words.part == part), "")
        self._told.setText(told or "Words need a topper of one balloon, and letters that can be cut.")
        self.save.setEnabled(bool(told))
        for widget in (self._told, self._mirrored, self.save):
            self.rows.setRowVisible(widget, isinstance(part, Lettering))
        self.rows.setRowVisible(self.place_ring, isinstance(part, Collar))
        self.rows.setRowVisible(self.lay, is_laid(part))
        self.held.setText(HELD[part.fixing] if isinstance(part, Extended) else "")
        self.held.setVisible(bool(self.held.text()))


def _origin_of(part: Placed, listed: list[Any]) -> Any:
    """What the height of a part counts from; the floor where that is gone."""
    if isinstance(part, Extended) and part.on is not None:
        own: tuple[str, Any] = ("part", part.on)
    elif isinstance(part, Extended) and part.tied_to:
        own = ("window", part.tied_to)
    else:
        own = ("row", part.row) if part.row is not None else _FLOOR[1]
    return own if own in listed else _FLOOR[1]
