"""Numbers and buttons for the outline that is shaped by hand on the elevation."""

from __future__ import annotations

from PyQt6.QtWidgets import QCheckBox, QGridLayout, QVBoxLayout, QWidget

from kakushi.desktop.document.document import Document
from kakushi.desktop.forms.typed import length_field
from kakushi.desktop.views.outline_handles import OutlineHandles
from kakushi.desktop.widgets.fields import form, quiet, tip_button
from kakushi.model.limits import LARGEST_HEIGHT_MM, LARGEST_WIDTH_MM, SMALLEST_WIDTH_MM
from kakushi.shape import sculpt

_HINT = "Drag the dots. Double-click adds one, a right click removes it; [ ] and arrows do it by keys, Esc ends."


class OutlineByHand(QWidget):
    """The chosen point in numbers; add, remove, smooth, widen."""

    def __init__(self, document: Document, handles: OutlineHandles, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._handles = handles
        self._height = length_field(document, "height of the point", 0.0, LARGEST_HEIGHT_MM)
        self._width = length_field(document, "width at the point", SMALLEST_WIDTH_MM, LARGEST_WIDTH_MM)
        self._widest = length_field(document, "widest", SMALLEST_WIDTH_MM, LARGEST_WIDTH_MM)
        self._live = QCheckBox("Choose rows while dragging")
        self._live.setChecked(handles.with_rows)
        self._buttons = {
            words: tip_button(words, tip)
            for words, tip in (
                ("Add a point", "Between the chosen point and the next one up"),
                ("Remove it", "Takes the chosen point out (Delete)"),
                ("Smooth", "Evens out the whole outline"),
            )
        }
        fields = form()
        fields.addRow("Point at", self._height)
        fields.addRow("Width there", self._width)
        fields.addRow("Widest", self._widest)
        grid = QGridLayout()
        grid.setSpacing(6)
        for place, button in enumerate(self._buttons.values()):
            grid.addWidget(button, place // 2, place % 2)
        box = QVBoxLayout(self)
        box.setContentsMargins(0, 0, 0, 0)
        box.addWidget(quiet(_HINT))
        box.addLayout(fields)
        box.addLayout(grid)
        box.addWidget(self._live)
        self._live.toggled.connect(self._set_live)
        self._height.entered.connect(self._on_point)
        self._width.entered.connect(self._on_point)
        self._widest.entered.connect(lambda mm: handles.edit(lambda o: sculpt.scaled_to_width(o, mm)))
        self._buttons["Add a point"].clicked.connect(self._on_add)
        self._buttons["Remove it"].clicked.connect(self._on_remove)
        self._buttons["Smooth"].clicked.connect(lambda _: handles.edit(sculpt.smoothed))
        handles.changed.connect(self.show_point)
        document.plan_changed.connect(self.show_point)
        self.show_point()

    def _set_live(self, on: bool) -> None:
        self._handles.with_rows = on

    def _on_point(self) -> None:
        index, height, width = self._handles.chosen, self._height.value, self._width.value
        if index is not None and height is not None and width is not None:
            self._handles.edit(lambda o: sculpt.moved(o, index, height, width / 2))

    def _on_add(self) -> None:
        outline, index = self._handles.outline(), self._handles.chosen
        if outline is None:
            return
        low = min(index or 0, len(outline.points) - 2)
        height = (outline.points[low].height_mm + outline.points[low + 1].height_mm) / 2
        self._handles.edit(lambda o: sculpt.added(o, height))
        self._handles.choose(low + 1)

    def _on_remove(self) -> None:
        index = self._handles.chosen
        if index is not None:
            self._handles.edit(lambda o: sculpt.removed(o, index))
            self._handles.choose(None)

    def show_point(self) -> None:
        """Show the chosen point's numbers."""
        if not self._handles.is_on:
            return
        outline, index = self._handles.outline(), self._handles.chosen
        point = outline.points[index] if outline is not None and index is not None else None
        self._height.set_value(point.height_mm if point else None)
        self._width.set_value(point.left_mm + point.right_mm if point else None)
        self._widest.set_value(max(p.left_mm + p.right_mm for p in outline.points) if outline else None)
        for field in (self._height, self._width):
            field.setEnabled(point is not None)
        self._buttons["Remove it"].setEnabled(point is not None)
