"""Shape: height, outline and its handles, what the fit may use, and the selected row."""

from __future__ import annotations

from typing import Any

from PyQt6.QtCore import QPointF, QSize, Qt
from PyQt6.QtGui import QColor, QIcon, QPainter, QPen, QPixmap, QPolygonF
from PyQt6.QtWidgets import (
    QButtonGroup,
    QHBoxLayout,
    QPushButton,
    QSizePolicy,
    QToolButton,
    QVBoxLayout,
    QWidget,
)

from kakushi.desktop.document.document import Document
from kakushi.desktop.document.row_actions import RowActions
from kakushi.desktop.forms.form import BoundForm, quantity, text
from kakushi.desktop.forms.typed import QuantityField
from kakushi.desktop.stages.concerns_box import ConcernsBox
from kakushi.desktop.stages.panel import Panel
from kakushi.desktop.stages.shape.fit_controls import FitControlsBox
from kakushi.desktop.stages.shape.groups_box import GroupsBox
from kakushi.desktop.stages.shape.outline_by_hand import OutlineByHand
from kakushi.desktop.stages.shape.row_editor import RowEditor
from kakushi.desktop.views.outline_handles import OutlineHandles
from kakushi.desktop.views.path_handles import PathHandles
from kakushi.desktop.widgets.fields import clear_form, form, quiet
from kakushi.desktop.widgets.theme import Theme
from kakushi.model.limits import LARGEST_HEIGHT_MM, LARGEST_WIDTH_MM, MAX_COPIES, SMALLEST_HEIGHT_MM, SMALLEST_WIDTH_MM
from kakushi.model.outline import Handle, PresetOutline
from kakushi.model.piece import Piece
from kakushi.model.quantities import COUNT, LENGTH, SHARE
from kakushi.model.values import replace
from kakushi.plan.facts import RowNote
from kakushi.session import edits
from kakushi.shape.presets import PRESETS, HandleSpec, default_outline, handle_values, preset
from kakushi.shape.profile import profile_of
from kakushi.words.plan import mechanics_words
from kakushi.words.wording import capital

_ICON_W, _ICON_H = 26, 40
_ICON_HEIGHT_MM = 2000.0


def outline_icon(name: str, colour: str) -> QIcon:
    """The silhouette of a preset."""
    profile = profile_of(default_outline(name, _ICON_HEIGHT_MM), _ICON_HEIGHT_MM)
    pixmap = QPixmap(_ICON_W * 2, _ICON_H * 2)
    pixmap.fill(Qt.GlobalColor.transparent)
    per_mm = (_ICON_H * 2 - 6) / _ICON_HEIGHT_MM
    middle, floor = float(_ICON_W), _ICON_H * 2 - 3.0
    right = [
        QPointF(middle + x * per_mm, floor - z * per_mm) for x, z in zip(profile.right, profile.heights, strict=True)
    ]
    left = [
        QPointF(middle - x * per_mm, floor - z * per_mm) for x, z in zip(profile.left, profile.heights, strict=True)
    ]
    painter = QPainter(pixmap)
    painter.setRenderHint(QPainter.RenderHint.Antialiasing)
    painter.setPen(QPen(QColor(colour), 3))
    painter.drawPolygon(QPolygonF([*right, *reversed(left)]))
    painter.end()
    return QIcon(pixmap)


def _side_by_side(*buttons: QPushButton) -> QHBoxLayout:
    row = QHBoxLayout()
    row.setSpacing(6)
    for button in buttons:
        row.addWidget(button, 1)
    return row


def _handle_words(spec: HandleSpec) -> str:
    named = spec.name.capitalize()
    return f"{named} width" if spec.is_width and spec.name != "width" else named


_PIECE = (
    text("name", "Name", "Piece name", required="A piece needs a name."),
    quantity("target_height_mm", "Height", LENGTH, "height", low=SMALLEST_HEIGHT_MM, high=LARGEST_HEIGHT_MM),
    quantity("copies", "Copies", COUNT, "Copies", low=1, high=MAX_COPIES),
)
_EDIT_NAMES = {"name": "Rename piece", "target_height_mm": "Change height"}


class ShapePanel(Panel):
    """Tools of the Shape stage."""

    def __init__(
        self,
        document: Document,
        actions: RowActions,
        handles: OutlineHandles,
        paths: PathHandles,
        theme: Theme,
        parent: QWidget | None = None,
    ) -> None:
        super().__init__(document, parent)
        self._fields = BoundForm(document, _PIECE)
        self._presets = QButtonGroup(self)
        self._preset_words = quiet()
        self._handles = form()
        self._handles_shown: tuple[str, ...] = ()
        self._handle_fields: dict[str, QuantityField] = {}
        self._seen = quiet()
        self._concerns = ConcernsBox(document, RowNote)
        self._points = handles
        self._by_hand = OutlineByHand(document, handles)
        self.edit_points = QPushButton("Shape it by hand")
        self.keep_outline = QPushButton("Collection…")
        self.compare = QPushButton("Compare…")
        self._fit_box = FitControlsBox(document, self.problem)
        self.choose = QPushButton("Choose rows")
        self.from_file = QPushButton("Outline from a file…")
        self.from_file.setToolTip("SVG drawing, PNG or JPEG silhouette, CSV of heights and radii")
        self.groups = GroupsBox(document, paths)
        self.groups.strand.problem.connect(self.show_problem)
        self.row_editor = RowEditor(document, actions, theme)
        self._pages = QButtonGroup(self)
        self._piece_page, self._row_page = QWidget(), QWidget()
        self._row_shown: int | None = None
        self._build()
        self._connect()
        self.set_theme(theme)
        self.finish()

    # --- building ------------------------------------------------------------------------

    def _build(self) -> None:
        outer = self.column
        outer.addLayout(self._build_switch())
        for page in (self._piece_page, self._row_page):
            outer.addWidget(page)
            self.column = QVBoxLayout(page)
            self.column.setContentsMargins(0, 4, 0, 0)
            self.column.setSpacing(9)
            (self._build_piece if page is self._piece_page else self._build_row)()
        self.column = outer
        self._show_page(0)

    def _build_switch(self) -> QHBoxLayout:
        row = QHBoxLayout()
        row.setSpacing(3)
        for index, words in enumerate(("Piece", "Row")):
            button = QToolButton()
            button.setText(words)
            button.setCheckable(True)
            button.setToolTip(f"Tools for the selected {words.lower()}")
            button.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
            self._pages.addButton(button, index)
            row.addWidget(button)
        self._pages.idClicked.connect(self._show_page)
        return row

    def _show_page(self, index: int) -> None:
        if button := self._pages.button(index):
            button.setChecked(True)
        self._piece_page.setVisible(index == 0)
        self._row_page.setVisible(index == 1)

    def _build_row(self) -> None:
        self.column.addWidget(self.row_editor)

    def _build_piece(self) -> None:
        self.section("The piece", self._fields, first=True)
        self._fields.put_row("copies", quiet("Floor to top balloon, without topper."))
        self.column.addWidget(self.problem)
        outline = QVBoxLayout()
        outline.setSpacing(7)
        outline.addLayout(self._build_presets())
        outline.addWidget(self._preset_words)
        outline.addLayout(self._handles)
        outline.addLayout(_side_by_side(self.edit_points, self.keep_outline))
        outline.addWidget(self.from_file)
        outline.addWidget(self._by_hand)
        self._by_hand.hide()
        self.section("Outline", outline)
        self.column.addLayout(_side_by_side(self.choose, self.compare))
        self.column.addWidget(self._seen)
        self.column.addWidget(self._concerns)
        self.section("Choose rows from", self._fit_box)
        self.section("On the centreline", self.groups)

    def _build_presets(self) -> QHBoxLayout:
        row = QHBoxLayout()
        row.setSpacing(2)
        for index, kind in enumerate(PRESETS):
            button = QToolButton()
            button.setCheckable(True)
            button.setIconSize(QSize(_ICON_W, _ICON_H))
            button.setToolTip(f"{kind.name.capitalize()}: {kind.words}")
            button.setAccessibleName(f"Outline {kind.name}")
            button.setStyleSheet("padding: 2px;")
            self._presets.addButton(button, index)
            row.addWidget(button)
        row.addStretch(1)
        return row

    def _connect(self) -> None:
        self._fields.changed.connect(self._on_field)
        self._fields.problem.connect(self.show_problem)
        self._presets.idClicked.connect(self._set_preset)
        self.choose.clicked.connect(self._on_choose)
        self.choose.setToolTip("Choose rows that follow the outline (F5)")
        self.choose.setProperty("primary", True)
        self.compare.setToolTip("Fits with fewer and fewer sizes, side by side (Ctrl+F5)")
        self.edit_points.setCheckable(True)
        self.edit_points.clicked.connect(self._points.switch)
        self._points.switched.connect(self._on_by_hand)
        self.edit_points.setToolTip("Drag points of the outline on the elevation (Ctrl+E)")
        self.keep_outline.setToolTip("Outlines kept in the studio")
        self.document.chooser.running.connect(self._on_fit_running)
        self.document.plan_changed.connect(self._show_seen)
        self.document.studio_changed.connect(self._refresh)

    def set_theme(self, theme: Theme) -> None:
        """Draw in another theme."""
        for index, kind in enumerate(PRESETS):
            if button := self._presets.button(index):
                button.setIcon(outline_icon(kind.name, theme.ink))
        self.row_editor.set_theme(theme)

    def focus_first(self) -> None:
        """Put the cursor where a new piece's height is typed."""
        height = self._fields.widget("target_height_mm")
        assert isinstance(height, QuantityField)
        height.setFocus()
        height.selectAll()

    # --- edits ----------------------------------------------------------------------------

    def _on_by_hand(self, on: bool) -> None:
        self.edit_points.setChecked(on)
        self.edit_points.setText("Done shaping" if on else "Shape it by hand")
        self._by_hand.setVisible(on)
        self._by_hand.show_point()

    def _on_choose(self) -> None:
        chooser = self.document.chooser
        if chooser.is_busy:
            chooser.stop_choosing()
        else:
            chooser.choose_rows()

    def _on_fit_running(self, running: bool) -> None:
        # It stays enabled: a button that is not lets the keyboard go to the next one.
        self.choose.setText("Stop choosing" if running else "Choose rows")

    def _on_field(self, changes: dict[str, Any]) -> None:
        piece, name = self.document.piece, next(iter(changes))
        if piece is None:
            return
        if name == "copies":
            self.document.apply(edits.set_copies(piece.key, changes[name]))
        else:
            self.document.apply(edits.set_piece(piece.key, _EDIT_NAMES[name], **changes))

    def _set_preset(self, index: int) -> None:
        if piece := self.document.piece:
            outline = default_outline(PRESETS[index].name, piece.target_height_mm)
            self.document.apply(edits.set_outline(piece.key, outline))

    def _set_handle(self, name: str, value: float) -> None:
        piece = self.document.piece
        if piece and isinstance(piece.outline, PresetOutline):
            values = handle_values(piece.outline, piece.target_height_mm) | {name: value}
            handles = tuple(Handle(name=n, value=v) for n, v in values.items())
            self.document.apply(edits.set_outline(piece.key, replace(piece.outline, handles=handles)))

    # --- showing ----------------------------------------------------------------------------

    def refresh(self) -> None:
        piece = self.document.piece
        body = self.widget()
        if body:
            body.setEnabled(piece is not None)
        row = self.document.selection.row
        if (row.key if row else None) != self._row_shown:
            self._row_shown = row.key if row else None
            self._show_page(0 if row is None else 1)
        if piece is None:
            return
        self._fields.show_value(piece, copies=len(piece.copies))
        self._fit_box.show_piece(piece)
        self.groups.refresh()
        self._show_seen()
        self._show_outline(piece)

    def _show_seen(self) -> None:
        piece_plan = self.document.piece_plan
        seen = mechanics_words(piece_plan) if piece_plan and piece_plan.piece.rows else ""
        self._seen.setText(f"{capital(seen)}." if seen else "")
        self._seen.setVisible(bool(seen))

    def _show_outline(self, piece: Piece) -> None:
        outline = piece.outline
        if not isinstance(outline, PresetOutline):
            self._presets.setExclusive(False)
            for shown in self._presets.buttons():
                shown.setChecked(False)
            self._presets.setExclusive(True)
            more = " Rows follow its two sides, not the holes and arms between them." if outline.contours else ""
            self._preset_words.setText(f"From “{outline.name}”, {len(outline.points)} points.{more}")
            self._show_handles("", {})
            return
        names = [kind.name for kind in PRESETS]
        if outline.preset in names and (button := self._presets.button(names.index(outline.preset))):
            button.setChecked(True)
        kind = preset(outline.preset)
        self._preset_words.setText(f"{kind.name.capitalize()}: {kind.words}.")
        self._show_handles(outline.preset, handle_values(outline, piece.target_height_mm))

    def _show_handles(self, name: str, values: dict[str, float]) -> None:
        if (name, *values) != self._handles_shown:
            self._handles_shown = (name, *values)
            clear_form(self._handles)
            self._handle_fields = {}
            for spec in preset(name).handles if name else ():
                field = self._handle_field(spec)
                self._handle_fields[spec.name] = field
                self._handles.addRow(_handle_words(spec), field)
        for handle, value in values.items():
            self._handle_fields[handle].set_value(value)

    def _handle_field(self, spec: HandleSpec) -> QuantityField:
        if spec.is_width:
            words = spec.name if spec.name == "width" else f"{spec.name} width"
            field = QuantityField(self.document, LENGTH, words, SMALLEST_WIDTH_MM, LARGEST_WIDTH_MM)
        else:
            words, suffix = f"{spec.name}, share of {spec.of}", f" of {spec.of}"
            field = QuantityField(self.document, SHARE, words, spec.low, spec.high, suffix)
        field.entered.connect(lambda value: self._set_handle(spec.name, value))
        field.problem.connect(self.show_problem)
        return field
