"""Whole numbers on sliders, and lists of colours with a number each."""

from __future__ import annotations

from collections.abc import Sequence

from PyQt6.QtCore import QSignalBlocker, Qt, pyqtSignal
from PyQt6.QtWidgets import QHBoxLayout, QSlider, QVBoxLayout, QWidget

from kakushi.desktop.forms.choices import ColourChooser
from kakushi.desktop.forms.typed import QuantityField, count_field
from kakushi.model.catalogue import BalloonColour

_MARGIN_PX = 18
"""Space beside the text of a field, px: padding, frame and cursor."""


class NumberSlider(QWidget):
    """A whole number on a slider with a field beside it. `moved` carries it, live; `held`: it is being dragged."""

    moved = pyqtSignal(int)
    held = pyqtSignal(bool)

    def __init__(self, name: str, low: int, high: int, suffix: str = "", zero: str = "") -> None:
        super().__init__()
        self.number: QuantityField = count_field(name, low, high, suffix, (zero, 0) if zero else None)
        """The number's own field."""
        self.number.setFixedWidth(
            self.fontMetrics().horizontalAdvance(max("−180" + suffix, zero, key=len)) + _MARGIN_PX
        )
        self._slider = QSlider(Qt.Orientation.Horizontal)
        self._slider.setRange(low, high)
        self._slider.setAccessibleName(name)
        self._slider.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        self._slider.setMinimumWidth(40)
        self._slider.valueChanged.connect(self._on_moved)
        self._slider.sliderPressed.connect(lambda: self.held.emit(True))
        self._slider.sliderReleased.connect(lambda: self.held.emit(False))
        self.number.entered.connect(self._on_moved)
        line = QHBoxLayout(self)
        line.setContentsMargins(0, 0, 0, 0)
        line.addWidget(self._slider, 1)
        line.addWidget(self.number)

    def set_range(self, low: int, high: int) -> None:
        """Let it run from `low` to `high`."""
        self.number.low, self.number.high = low, high
        with QSignalBlocker(self._slider):
            self._slider.setRange(low, high)

    def show_value(self, value: int) -> None:
        """Show a number without telling anyone."""
        self.number.set_value(value)
        with QSignalBlocker(self._slider):
            self._slider.setValue(value)

    def _on_moved(self, value: int) -> None:
        self.show_value(value)
        self.moved.emit(value)


class ColourList(QWidget):
    """Several colours, each with a whole number where there is a `unit`; `changed` carries (key, number) pairs."""

    changed = pyqtSignal(object)

    def __init__(self, name: str, least: int, most: int, unit: str | None = None, largest: int = 1) -> None:
        super().__init__()
        self._name, self._unit, self._largest = name, unit, largest
        self._entries: list[tuple[str, int]] = []
        self._lines: list[tuple[ColourChooser, QuantityField | None]] = []
        self._palette: Sequence[BalloonColour] = ()
        self._count = NumberSlider(f"Number of {name}s", least, most)
        self._count.moved.connect(self._set_count)
        self._column = QVBoxLayout(self)
        self._column.setContentsMargins(0, 0, 0, 0)
        self._column.setSpacing(5)
        self._column.addWidget(self._count)

    def show_entries(self, palette: Sequence[BalloonColour], entries: Sequence[tuple[str, int]]) -> None:
        """Show colours with their numbers."""
        self._palette, self._entries = palette, list(entries)
        while len(self._lines) > len(entries):
            self._drop_line()
        while len(self._lines) < len(entries):
            self._add_line(len(self._lines))
        self._count.show_value(len(entries))
        for (chooser, field), (key, number) in zip(self._lines, entries, strict=True):
            chooser.show_colours(palette, key)
            if field is not None:
                field.set_value(number)

    def _add_line(self, place: int) -> None:
        holder = QWidget()
        line = QHBoxLayout(holder)
        line.setContentsMargins(0, 0, 0, 0)
        line.setSpacing(4)
        chooser = ColourChooser(f"{self._name.capitalize()} {place + 1}")
        chooser.chosen.connect(lambda key: self._set(place, key=key))
        line.addWidget(chooser, 1)
        field: QuantityField | None = None
        if self._unit is not None:
            field = count_field(f"Number of {self._name} {place + 1}", 1, self._largest, self._unit)
            field.setFixedWidth(self.fontMetrics().horizontalAdvance(f"000{self._unit}") + _MARGIN_PX)
            field.entered.connect(lambda number: self._set(place, number=number))
            line.addWidget(field)
        self._column.addWidget(holder)
        self._lines.append((chooser, field))

    def _drop_line(self) -> None:
        self._lines.pop()
        item = self._column.takeAt(self._column.count() - 1)
        if item and (widget := item.widget()):
            widget.deleteLater()

    def _set(self, place: int, key: str | None = None, number: int | None = None) -> None:
        # What is typed or chosen in a line can arrive when the list has become shorter.
        if place >= len(self._entries):
            return
        old = self._entries[place]
        self._entries[place] = (key if key is not None else old[0], number if number is not None else old[1])
        self.changed.emit(tuple(self._entries))

    def _set_count(self, count: int) -> None:
        if not self._entries:
            return
        used = {key for key, _ in self._entries}
        spare = [c.key for c in self._palette if c.key not in used] or [self._entries[0][0]]
        added = [(spare[i % len(spare)], self._entries[-1][1]) for i in range(count - len(self._entries))]
        self.changed.emit((*self._entries[:count], *added))
