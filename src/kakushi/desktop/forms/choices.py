"""Choosing one of several: values by their words, colours by their chips."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from typing import Any

from PyQt6.QtCore import QSize, pyqtSignal
from PyQt6.QtGui import QIcon, QPainter, QPaintEvent, QPalette, QPen
from PyQt6.QtWidgets import QComboBox, QSizePolicy, QStyle, QStyleOptionComboBox

from kakushi.desktop.widgets.fields import chip_icon
from kakushi.model.catalogue import BalloonColour, NominalSize
from kakushi.model.units import format_nominal

Choice = tuple[str, Any]
"""What is shown, and what it stands for."""

_LEAST_CHARACTERS = 8
"""Wide enough to tell entries apart; long ones never force the panel wider."""
_ICON_GAP_PX = 4
"""Space between an icon and its words."""


class Combo(QComboBox):
    """A combo box that shows where the keyboard is: the style alone does not."""

    def paintEvent(self, event: QPaintEvent | None) -> None:
        super().paintEvent(event)
        if self.hasFocus():
            painter = QPainter(self)
            painter.setRenderHint(QPainter.RenderHint.Antialiasing)
            painter.setPen(QPen(self.palette().color(QPalette.ColorRole.Highlight), 2))
            painter.drawRoundedRect(self.rect().toRectF().adjusted(1, 1, -1, -1), 4, 4)
            painter.end()


class Choices(Combo):
    """A combo box; `chosen` carries the value of the entry, and is emitted only for choices made by hand."""

    chosen = pyqtSignal(object)

    def __init__(self, name: str, choices: Iterable[Choice] = ()) -> None:
        super().__init__()
        self._listed: list[Choice] = []
        self.setAccessibleName(name)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.activated.connect(self._on_activated)
        self.list_choices(choices)
        if self._listed:
            self.setCurrentIndex(0)

    def sizeHint(self) -> QSize:
        # What a size policy of Qt's own would give. Setting one makes the list that drops down, and its five widgets.
        option, metrics = QStyleOptionComboBox(), self.fontMetrics()
        self.initStyleOption(option)
        wide = metrics.horizontalAdvance("X") * _LEAST_CHARACTERS + self.iconSize().width() + _ICON_GAP_PX
        contents = QSize(wide, max(metrics.height(), self.iconSize().height()) + 2)
        style = self.style()
        assert style is not None
        return style.sizeFromContents(QStyle.ContentsType.CT_ComboBox, option, contents, self)

    def minimumSizeHint(self) -> QSize:
        return self.sizeHint()

    def list_choices(self, choices: Iterable[Choice], icons: Sequence[QIcon] = ()) -> None:
        """List entries; the chosen value stays chosen where it is still listed, else nothing is."""
        listed = list(choices)
        if listed == self._listed:
            return
        kept = self.value
        self._listed = listed
        self.clear()
        for place, (words, _) in enumerate(listed):
            self.addItem(icons[place], words) if icons else self.addItem(words)
        self.set_value(kept)

    @property
    def value(self) -> Any:
        """Value of the chosen entry; None where nothing is chosen."""
        index = self.currentIndex()
        return self._listed[index][1] if 0 <= index < len(self._listed) else None

    def set_value(self, value: Any) -> None:
        """Show the entry of a value; nothing where there is none."""
        self.setCurrentIndex(next((place for place, (_, known) in enumerate(self._listed) if known == value), -1))

    def _on_activated(self, index: int) -> None:
        # A click can arrive when the list it was made on is no longer there.
        if 0 <= index < len(self._listed):
            self.chosen.emit(self._listed[index][1])


class ColourChooser(Choices):
    """Choose one of the job's colours; `chosen` carries its key."""

    def __init__(self, name: str) -> None:
        super().__init__(name)
        self._palette: Sequence[BalloonColour] = ()
        self.setIconSize(QSize(30, 20))

    def show_colours(self, palette: Sequence[BalloonColour], current: str) -> None:
        """List a palette and show the colour with key `current`."""
        if palette != self._palette:
            self._palette = palette
            self._listed = []
            self.list_choices([(colour.name, colour.key) for colour in palette], [chip_icon(c) for c in palette])
        self.set_value(current)


def nominal_choices(sizes: Iterable[NominalSize]) -> list[Choice]:
    """Nominal sizes to choose from, as on the bags."""
    return [(format_nominal(size.nominal_in), size.nominal_in) for size in sizes]
