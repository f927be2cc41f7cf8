"""Form fields: lengths as people type them, colour choosers, labelled rows."""

from __future__ import annotations

from collections.abc import Sequence
from functools import lru_cache

from PyQt6.QtCore import QSignalBlocker, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QColor, QIcon, QKeyEvent, QPainter, QPixmap
from PyQt6.QtWidgets import (
    QComboBox,
    QFormLayout,
    QFrame,
    QHBoxLayout,
    QLabel,
    QLineEdit,
    QSizePolicy,
    QSlider,
    QSpinBox,
    QVBoxLayout,
    QWidget,
)

from kakushi.desktop.document.document import Document
from kakushi.desktop.widgets.painting import draw_code_chip, restyle
from kakushi.model.catalogue import BalloonColour
from kakushi.model.errors import BadInput
from kakushi.model.units import MM_PER_INCH, UnitSystem, format_diameter, format_length, parse_length_between


class LengthField(QLineEdit):
    """A length in any unit; `entered` carries mm once it is valid. What is wrong is told in `problem`."""

    entered = pyqtSignal(float)
    problem = pyqtSignal(str)

    def __init__(
        self,
        document: Document,
        what: str,
        low_mm: float,
        high_mm: float,
        diameter: bool = False,
        parent: QWidget | None = None,
    ) -> None:
        super().__init__(parent)
        self._document, self._what, self._low, self._high = document, what, low_mm, high_mm
        self._is_diameter = diameter
        self._format = format_diameter if diameter else format_length
        self._value: float | None = None
        self.setAccessibleName(what)
        self.editingFinished.connect(self._on_finished)
        self.textEdited.connect(lambda _: self._mark(False))
        document.preferences_changed.connect(self._show)

    @property
    def value(self) -> float | None:
        """The length shown, mm; what is typed counts at once where it can be read."""
        if self.isModified():
            self._on_finished()
        return self._value

    def set_value(self, mm: float | None) -> None:
        """Show a length, mm; None shows nothing. What is being typed is left alone."""
        changed = mm != self._value
        self._value = mm
        if changed or not self.hasFocus():
            self._show()

    def _show(self) -> None:
        with QSignalBlocker(self):
            self.setText("" if self._value is None else self._format(self._value, self._document.units))
        self.setModified(False)
        self._mark(False)

    def _on_finished(self) -> None:
        if not self.isModified():
            return
        try:
            mm = parse_length_between(self.text(), self._low, self._high, self._document.units, self._what)
        except BadInput as error:
            self._mark(True)
            self.problem.emit(self._document.said(error))
            return
        self._value = mm
        self._show()
        self.entered.emit(mm)

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        steps = {Qt.Key.Key_Up: 1, Qt.Key.Key_Down: -1}.get(Qt.Key(event.key()) if event else Qt.Key.Key_unknown, 0)
        if event is None or not steps or self._value is None:
            super().keyPressEvent(event)
            return
        step = 10.0 if self._document.units is UnitSystem.METRIC else MM_PER_INCH / 2
        if self._is_diameter:
            step = self._document.studio.sizer.step_mm
        stepped = min(max(round(self._value / step + steps) * step, self._low), self._high)
        self.set_value(stepped)
        self.entered.emit(stepped)

    def _mark(self, wrong: bool) -> None:
        restyle(self, "wrong", wrong)


class ColourChooser(QComboBox):
    """Choose one of the job's colours; `chosen` carries its key."""

    chosen = pyqtSignal(str)

    def __init__(self, name: str, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._shown: Sequence[BalloonColour] = ()
        self.setAccessibleName(name)
        self.setIconSize(QSize(30, 20))
        self.setSizeAdjustPolicy(QComboBox.SizeAdjustPolicy.AdjustToMinimumContentsLengthWithIcon)
        self.setMinimumContentsLength(8)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.activated.connect(self._on_activated)

    def _on_activated(self, index: int) -> None:
        # A click can arrive when the list it was made on is no longer there.
        if (key := self.itemData(index)) is not None:
            self.chosen.emit(key)

    def show_colours(self, palette: Sequence[BalloonColour], current: str) -> None:
        """List a palette and show the colour with key `current`."""
        with QSignalBlocker(self):
            if palette != self._shown:
                self._shown = palette
                self.clear()
                for colour in palette:
                    self.addItem(chip_icon(colour), colour.name, colour.key)
            self.setCurrentIndex(self.findData(current))


class NumberSlider(QWidget):
    """A whole number on a slider with the number beside it; `moved` carries it, live."""

    moved = pyqtSignal(int)

    def __init__(self, name: str, low: int, high: int, suffix: str = "", zero: str = "") -> None:
        super().__init__()
        self._slider, self._spin = QSlider(Qt.Orientation.Horizontal), QSpinBox()
        for part in (self._slider, self._spin):
            part.setRange(low, high)
            part.setAccessibleName(name)
        self._spin.setSuffix(suffix)
        self._spin.setSpecialValueText(zero)
        self._spin.setKeyboardTracking(False)
        self._slider.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        self._slider.setMinimumWidth(40)
        self._slider.valueChanged.connect(self._on_moved)
        self._spin.valueChanged.connect(self._on_moved)
        line = QHBoxLayout(self)
        line.setContentsMargins(0, 0, 0, 0)
        line.addWidget(self._slider, 1)
        line.addWidget(self._spin)

    @property
    def spin(self) -> QSpinBox:
        """The number's own field."""
        return self._spin

    def show_value(self, value: int) -> None:
        """Show a number without telling anyone."""
        for part in (self._slider, self._spin):
            with QSignalBlocker(part):
                part.setValue(value)

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
        self._lines: list[tuple[ColourChooser, QSpinBox | None]] = []
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
        for (chooser, spin), (key, number) in zip(self._lines, entries, strict=True):
            chooser.show_colours(palette, key)
            if spin is not None:
                with QSignalBlocker(spin):
                    spin.setValue(number)

    def _add_line(self, place: int) -> None:
        holder = QWidget()
        line = QHBoxLayout(holder)
        line.setContentsMargins(0, 0, 0, 0)
        line.setSpacing(4)
        chooser = ColourChooser(f"{self._name.capitalize()} {place + 1}")
        chooser.chosen.connect(lambda key: self._set(place, key=key))
        line.addWidget(chooser, 1)
        spin: QSpinBox | None = None
        if self._unit is not None:
            spin = QSpinBox()
            spin.setRange(1, self._largest)
            spin.setSuffix(self._unit)
            spin.setKeyboardTracking(False)
            spin.setAccessibleName(f"Number of {self._name} {place + 1}")
            spin.valueChanged.connect(lambda number: self._set(place, number=number))
            line.addWidget(spin)
        self._column.addWidget(holder)
        self._lines.append((chooser, spin))

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


@lru_cache(maxsize=256)
def chip_icon(colour: BalloonColour) -> QIcon:
    """A chip with the colour's letter code as an icon; lists show each many times."""
    pixmap = QPixmap(60, 40)
    pixmap.setDevicePixelRatio(2)
    pixmap.fill(Qt.GlobalColor.transparent)
    painter = QPainter(pixmap)
    painter.setRenderHint(QPainter.RenderHint.Antialiasing)
    draw_code_chip(
        painter, pixmap.rect().toRectF().adjusted(0, 0, -30, -20).adjusted(1, 1, -1, -1), colour, QColor("#88807a")
    )
    painter.end()
    icon = QIcon()
    for mode in (QIcon.Mode.Normal, QIcon.Mode.Selected):
        icon.addPixmap(pixmap, mode)
    return icon


def heading(text: str) -> QLabel:
    """A section's heading."""
    label = QLabel(text)
    label.setProperty("role", "heading")
    return label


def quiet(text: str = "") -> QLabel:
    """Explaining words, wrapped."""
    label = QLabel(text)
    label.setProperty("role", "quiet")
    label.setWordWrap(True)
    return label


def rule() -> QFrame:
    """A thin line between sections."""
    line = QFrame()
    line.setProperty("role", "rule")
    return line


def form() -> QFormLayout:
    """A form with labels to the left."""
    layout = QFormLayout()
    layout.setContentsMargins(0, 0, 0, 0)
    layout.setHorizontalSpacing(10)
    layout.setVerticalSpacing(7)
    layout.setLabelAlignment(Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter)
    layout.setFieldGrowthPolicy(QFormLayout.FieldGrowthPolicy.ExpandingFieldsGrow)
    return layout


def clear_form(layout: QFormLayout) -> None:
    """Remove and delete all rows of a form."""
    while layout.rowCount():
        layout.removeRow(0)
