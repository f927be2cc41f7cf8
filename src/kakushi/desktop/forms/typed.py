"""Fields that are typed into: what cannot be read stays as typed, is marked and says why."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtGui import QKeyEvent
from PyQt6.QtWidgets import QLineEdit, QWidget

from kakushi.desktop.document.document import Document
from kakushi.desktop.widgets.painting import restyle
from kakushi.model.errors import BadInput
from kakushi.model.quantities import COUNT, DIAMETER, LENGTH, Quantity
from kakushi.model.units import UnitSystem
from kakushi.words.wording import error_words

_SHOWN = 40
"""Most characters of a text that a message repeats."""


class TypedField(QLineEdit):
    """A value typed as text. `entered` carries it once it is read; `problem` says why it cannot be.

    `read(text)` raises BadInput; `shown(value)` writes the value. Retyping what is shown changes nothing.
    """

    entered = pyqtSignal(object)
    problem = pyqtSignal(str)

    def __init__(
        self, name: str, read: Callable[[str], Any], shown: Callable[[Any], str], units: Callable[[], UnitSystem]
    ):
        super().__init__()
        self._read, self._shown, self._units = read, shown, units
        self._value: Any = None
        self._written = self._fault = self._tip = ""
        self.setAccessibleName(name)
        self.editingFinished.connect(self.take)
        self.textEdited.connect(lambda _: self._mark(""))

    @property
    def value(self) -> Any:
        """Current value; typed text counts at once where it can be read."""
        self.take()
        return self._value

    @property
    def fault(self) -> str:
        """Why the text that stands there is not taken; empty where it is."""
        return self._fault

    @property
    def is_typed(self) -> bool:
        """Whether another text stands there than the value's own."""
        return self.text() != self._written

    def set_value(self, value: Any, of_another: bool = False) -> None:
        """Show a value. Typed text stays, unless the value has changed or is `of_another` thing."""
        if value == self._value and not of_another and (self._fault or (self.is_typed and self.hasFocus())):
            return
        fault, text = self._fault, self.text().strip()
        self._value = value
        self.write()
        if fault:
            self.problem.emit(f"“{text[:_SHOWN]}” was not taken: {fault}")

    def write(self) -> None:
        """Write the value anew: the units may be others."""
        written = self._shown(self._value)
        if written != self.text() or self.isUndoAvailable():
            # What was typed before is no longer this field's to undo.
            place = self.cursorPosition()
            self.setText(written)
            self.setCursorPosition(place)
        self._written = written
        self._mark("")

    def take(self) -> None:
        """Take the typed text."""
        if not self.is_typed:
            return
        if self.text().strip() == self._written.strip():
            self.write()
            return
        try:
            value = self._read(self.text())
        except BadInput as error:
            self._mark(error_words(error, self._units()))
            self.problem.emit(self._fault)
            return
        self.problem.emit("")
        is_new, self._value = value != self._value, value
        self.write()
        if is_new:
            self.entered.emit(value)

    def refuse(self, value: Any, fault: str) -> None:
        """Refuse the typed text: `value` holds, the text stays and is marked."""
        self._value, self._written = value, self._shown(value)
        self._mark(fault)

    def setToolTip(self, tip: str | None) -> None:
        self._tip = tip or ""
        super().setToolTip(self._fault or self._tip)

    def _mark(self, fault: str) -> None:
        was_wrong, self._fault = bool(self._fault), fault
        if was_wrong and not fault:
            # Old words go with the next attempt.
            self.problem.emit("")
        super().setToolTip(fault or self._tip)
        restyle(self, "wrong", bool(fault))

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        if event is not None and event.key() == Qt.Key.Key_Escape and self.is_typed:
            self.escape()
            self.selectAll()
            return
        super().keyPressEvent(event)

    def escape(self) -> None:
        """Put the value back that was there: a number is retyped at once."""
        self.write()


class TextField(TypedField):
    """A line of words, at most `limit` characters; `required` is what is said where there is none."""

    def __init__(self, document: Document, name: str, limit: int, required: str = "") -> None:
        super().__init__(name, self._words, lambda words: words or "", lambda: document.units)
        self.limit, self._required = limit, required

    def escape(self) -> None:
        """Keep what was typed: words are work, and undo takes them back."""
        self.take()

    def _words(self, text: str) -> str:
        words = text.strip()
        if not words and self._required:
            raise BadInput(self._required)
        if len(words) > self.limit:
            raise BadInput(f"That is {len(words)} characters; at most {self.limit} are kept.")
        return words


class QuantityField(TypedField):
    """A quantity in any unit, within bounds. `none`: what is shown for no value, and the value that stands for.

    Up and Down move it by a step. `suffix` follows the number and may be typed or not.
    """

    def __init__(
        self,
        document: Document | None,
        quantity: Quantity,
        name: str,
        low: Any = None,
        high: Any = None,
        suffix: str = "",
        none: tuple[str, Any] | None = None,
        what: str = "",
        step: Any = None,
    ) -> None:
        self._document, self._quantity, self._none = document, quantity, none
        self.suffix, self.step = suffix, step
        self._what = what or name[:1].lower() + name[1:]
        self.low, self.high = low, high
        super().__init__(name, self._read_text, self._show_text, self._system)
        if document is not None:
            document.preferences_changed.connect(self._on_units)

    def _system(self) -> UnitSystem:
        return self._document.units if self._document is not None else UnitSystem.METRIC

    def _on_units(self) -> None:
        if not self.is_typed:
            self.write()

    def _read_text(self, text: str) -> Any:
        typed = text.strip()
        if self._none and (not typed or typed.lower() == self._none[0].lower()):
            return self._none[1]
        suffix = self.suffix.strip().lower()
        for words in (suffix, suffix[:-1]):
            if words and typed.lower().endswith(words):
                typed = typed[: -len(words)].strip()
                break
        return self._quantity.read_between(typed, self.low, self.high, self._system(), self._what)

    def _show_text(self, value: Any) -> str:
        if self._none and value == self._none[1]:
            return self._none[0]
        suffix = (
            self.suffix[:-1] if value == 1 and self._quantity is COUNT and self.suffix.endswith("s") else self.suffix
        )
        return "" if value is None else self._quantity.show(value, self._system()) + suffix

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        steps = {Qt.Key.Key_Up: 1, Qt.Key.Key_Down: -1}.get(Qt.Key(event.key()) if event else Qt.Key.Key_unknown, 0)
        if event is None or not steps or event.modifiers() & ~Qt.KeyboardModifier.KeypadModifier:
            super().keyPressEvent(event)
            return
        self.take()
        if self._fault:
            return
        start = self._value if self._value is not None else self.low
        if start is None or isinstance(start, str):
            return
        step = self.step
        if self._quantity is DIAMETER and self._document is not None:
            step = self._document.studio.sizer.step_mm
        moved = self._quantity.stepped(start, steps, self.low, self.high, step, self._system())
        if moved != self._value:
            self._value = moved
            self.write()
            self.entered.emit(moved)


def length_field(document: Document, what: str, low_mm: float, high_mm: float) -> QuantityField:
    """A field for a length, mm."""
    return QuantityField(document, LENGTH, what, low_mm, high_mm)


def diameter_field(document: Document, what: str, low_mm: float, high_mm: float) -> QuantityField:
    """A field for a sized diameter, mm; keys move it by the sizer's step."""
    return QuantityField(document, DIAMETER, what, low_mm, high_mm)


def count_field(name: str, low: int, high: int, suffix: str = "", none: tuple[str, Any] | None = None) -> QuantityField:
    """A field for a whole number."""
    return QuantityField(None, COUNT, name, low, high, suffix, none)


def faults_of(root: QWidget) -> list[str]:
    """Texts in visible fields that cannot be taken, with the reasons."""
    fields = [field for field in root.findChildren(TypedField) if field.fault and field.isVisible()]
    return [f"“{field.text().strip()[:_SHOWN]}” is not taken: {field.fault}" for field in fields]
