"""What stands on a piece's centreline, foot first: rows, balls, bare pole, reserved room; where each is held."""

from __future__ import annotations

from typing import Any

from PyQt6.QtCore import QSignalBlocker
from PyQt6.QtWidgets import QListWidget, QPushButton, QVBoxLayout, QWidget

from kakushi.desktop.document.document import Document
from kakushi.desktop.forms.choices import Choices, nominal_choices
from kakushi.desktop.forms.form import BoundForm, check, choice, colour, options, quantity
from kakushi.desktop.stages.shape.strand_box import StrandBox
from kakushi.desktop.views.path_handles import PathHandles
from kakushi.desktop.widgets.fields import side_by_side
from kakushi.model.groups import BallGroup, BarePoleGroup, Group, LinkFrameGroup, RowsGroup, Twist
from kakushi.model.limits import LARGEST_DIAMETER_MM, SMALLEST_DIAMETER_MM
from kakushi.model.quantities import COUNT, DIAMETER, LENGTH
from kakushi.model.units import format_length
from kakushi.packing.groups.table import KINDS, kind_of
from kakushi.packing.link_frames import grid_of, trim_of
from kakushi.session import group_edits
from kakushi.session.drawn_points import points_of

_ANCHORS = (
    ("on what is below", "floor"),
    ("standing at a height", "at height"),
    ("hanging from a height", "hanging below"),
)
_HIGHEST_MM = 20_000.0
_FEWEST, _MOST = 4, 24
"""Balloons a ball can be tied of."""
_LINES = (
    choice("anchor.kind", "Held", _ANCHORS, "How it is held"),
    quantity("anchor.height_mm", "At", LENGTH, "height it is held at", low=0.0, high=_HIGHEST_MM),
    quantity("height_mm", "Tall", LENGTH, "height it takes", low=1.0, high=_HIGHEST_MM),
    check("fills", "Fills what remains below the next group"),
    check("on_table", "Built on the table, slid on whole"),
    choice("twist", "Turned", options(Twist), "How rows of several sizes turn on each other"),
    quantity("count", "Balloons", COUNT, "Balloons of the ball", low=_FEWEST, high=_MOST),
    choice("nominal_in", "Size", lambda d: nominal_choices(d.studio.nominals), "Nominal size of the ball"),
    quantity(
        "diameter_mm",
        "Sized to",
        DIAMETER,
        "sized diameter of the ball",
        low=SMALLEST_DIAMETER_MM,
        high=LARGEST_DIAMETER_MM,
    ),
    colour("colour", "Colour", "Colour of the ball"),
    quantity("columns", "Windows across", COUNT, low=1, high=10),
    quantity("rows_up", "Windows up", COUNT, low=1, high=10),
    quantity("across", "Links across", COUNT, "Links across a window", low=1, high=5),
    quantity("up", "Links up", COUNT, "Links up a window", low=1, high=5),
    quantity("link_mm", "Link length", LENGTH, "length of a link from tip to tip", low=50.0, high=2000.0),
    quantity("thick_mm", "Link thickness", DIAMETER, "thickness of a link", low=SMALLEST_DIAMETER_MM, high=1000.0),
    check("is_braced", "A diagonal in every window"),
    check("is_round", "Windows in a ring: a column of links"),
    colour("link_colour", "Links", "Colour of the links across"),
    colour("up_colour", "Links up", "Colour of the links up"),
    quantity("joint_count", "At a joint", COUNT, "Balloons at a joint", low=0, high=8),
    quantity("collar_count", "Collar", COUNT, "Small balloons round a joint", low=0, high=12),
    check("has_water", "Lowest joints filled with water"),
)


class GroupsBox(QWidget):
    """The groups of the selected piece and a form for the chosen one."""

    def __init__(self, document: Document, paths: PathHandles, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._document = document
        self._paths = paths
        self.strand = StrandBox(document, paths)
        self.joints = QPushButton("Move its joints by hand")
        self.joints.setCheckable(True)
        self.joints.setToolTip(
            "Drag joints on the elevation. A double click beside them adds one; on a joint it ties a chain to the "
            "joint chosen before. A right click removes one."
        )
        self.list = QListWidget()
        self.list.setAccessibleName("Groups, the foot at the bottom")
        self.list.setFixedHeight(self.fontMetrics().height() * 5)
        self.kind = Choices("What to add", [(kind.offered, name) for name, kind in KINDS.items()])
        self.add, self.remove = QPushButton("Add on top"), QPushButton("Remove")
        self.add.setToolTip("Adds a group of the kind on the left above the others")
        self.remove.setToolTip("Removes the group that is chosen in the list")
        self.form = BoundForm(document, _LINES)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.addWidget(self.list)
        layout.addLayout(side_by_side(self.kind, self.add, self.remove))
        layout.addWidget(self.form)
        layout.addWidget(self.joints)
        layout.addWidget(self.strand)
        self.joints.clicked.connect(lambda on: paths.draw(self.place if on else None))
        paths.changed.connect(self._show_joints)
        self.add.clicked.connect(lambda _: self._on_add())
        self.remove.clicked.connect(lambda _: self._on_remove())
        self.list.currentRowChanged.connect(lambda _: self._show_form())
        self.form.changed.connect(self._on_changed)

    # --- edits ---------------------------------------------------------------------------------

    @property
    def place(self) -> int | None:
        """Index of the chosen group, the foot first; the list shows the top first."""
        piece, row = self._document.piece, self.list.currentRow()
        return len(piece.groups) - 1 - row if piece and 0 <= row < len(piece.groups) else None

    def _chosen(self) -> Group | None:
        piece, place = self._document.piece, self.place
        return piece.groups[place] if piece and place is not None else None

    def _on_add(self) -> None:
        if piece := self._document.piece:
            self._document.apply(group_edits.add_group(piece.key, self.kind.value))
            self.list.setCurrentRow(0)

    def _on_remove(self) -> None:
        piece, place = self._document.piece, self.place
        if piece and place is not None:
            self._document.apply(group_edits.remove_group(piece.key, place))

    def _on_changed(self, changes: dict[str, Any]) -> None:
        piece, place, group = self._document.piece, self.place, self._chosen()
        if piece is None or place is None:
            return
        if isinstance(group, LinkFrameGroup) and "anchor" not in changes:
            names = {"rows_up": "rows", "link_colour": "colour"}
            renamed = {names.get(name, name): value for name, value in changes.items()}
            self._document.apply(group_edits.change_frame(piece.key, place, **renamed))
        elif isinstance(group, BallGroup) and "anchor" not in changes:
            # A colour is laid on all its balloons only when it was chosen.
            count = changes.pop("count", len(group.slots))
            self._document.apply(group_edits.change_ball(piece.key, place, count, **changes))
        else:
            self._document.apply(group_edits.change_group(piece.key, place, **changes))

    # --- showing --------------------------------------------------------------------------------

    def refresh(self) -> None:
        """Show the selected piece's groups."""
        piece = self._document.piece
        kept = self.list.currentRow()
        with QSignalBlocker(self.list):
            self.list.clear()
            for group in reversed(piece.groups if piece else ()):
                self.list.addItem(self._words(group))
            self.list.setCurrentRow(min(max(kept, 0), self.list.count() - 1))
        self.remove.setEnabled(self.list.count() > 1)
        self._show_form()

    def _words(self, group: Group) -> str:
        units = self._document.units
        words = kind_of(group).said(group, units)
        if group.anchor.kind == "floor":
            return words
        return f"{words}, {group.anchor.kind} {format_length(group.anchor.height_mm, units)}"

    def _show_joints(self) -> None:
        group = self._chosen()
        self.joints.setVisible(isinstance(group, LinkFrameGroup) and bool(points_of(group)))
        self.joints.setChecked(self._paths.place is not None and self._paths.place == self.place)

    def _show_form(self) -> None:
        group = self._chosen()
        self.form.setVisible(group is not None)
        self.strand.show_group(self.place)
        self._show_joints()
        if group is None:
            return
        extra: dict[str, object] = {}
        if isinstance(group, BallGroup):
            first = group.slots[0]
            extra = {
                "count": len(group.slots),
                "nominal_in": first.nominal_in,
                "diameter_mm": first.diameter_mm,
                "colour": first.colour or self._document.job.palette[0].key,
            }
        if isinstance(group, LinkFrameGroup) and (of := grid_of(group)) is not None:
            trim, first_colour = trim_of(group), self._document.job.palette[0].key
            extra = of._asdict() | {"rows_up": of.rows, "joint_count": len(trim.slots), "has_water": trim.has_water}
            extra |= {"collar_count": len(trim.collar), "link_colour": trim.colour or first_colour}
            extra["up_colour"] = trim.up_colour or first_colour
            extra.pop("rows")
        piece = self._document.piece
        hidden = {"anchor.height_mm"} if group.anchor.kind == "floor" else set()
        if isinstance(group, BarePoleGroup):
            # The colour of its wrap is asked for where it stands.
            hidden |= {"colour"} | ({"height_mm"} if group.fills else set())
        if piece is None or not piece.frame.has_pole:
            hidden.add("on_table")
        if not isinstance(group, RowsGroup) or all(row.is_uniform for row in group.rows):
            hidden.add("twist")
        self.form.show_value(group, hidden, self.place, **extra)
