"""A form bound to a value of the model: a table says of each field its label, control and tooltip.

Bounds are the model's own. What is entered is given to the owner as changes of the value, which sends an edit.
"""

from __future__ import annotations

import dataclasses
from collections.abc import Callable, Collection, Iterable, Mapping, Sequence
from dataclasses import dataclass
from enum import StrEnum
from functools import cache
from typing import Any, get_args

from pydantic import ValidationError
from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QCheckBox, QPushButton, QToolButton, QWidget

from kakushi.desktop.document.document import Document
from kakushi.desktop.forms.choices import Choice, Choices, ColourChooser
from kakushi.desktop.forms.sliders import ColourList, NumberSlider
from kakushi.desktop.forms.typed import QuantityField, TextField, TypedField
from kakushi.desktop.widgets.fields import form, tip_button
from kakushi.model.quantities import Quantity
from kakushi.model.values import Value, first_fault, replace

Show = Callable[[Any], None]
Bound = Callable[[Any, Any], None]


@dataclass(frozen=True, slots=True)
class Control:
    """A widget that shows and gives one field of a value; `bound` sets its limits where it has any."""

    widget: QWidget
    show: Show
    bound: Bound | None = None


@dataclass(frozen=True, slots=True)
class Line:
    """One line of a form: the field of the value (“base.mass_g” lies deeper), its label, how it is made.

    `spoken`: its accessible name, the label where it is empty. `usual`: the values with which it is folded away.
    """

    name: str
    label: str
    make: Callable[[BoundForm, Line], Control]
    spoken: str = ""
    tip: str = ""
    usual: tuple[object, ...] = ()

    @property
    def said(self) -> str:
        """The accessible name."""
        return self.spoken or self.label


def seldom(line: Line, *usual: object) -> Line:
    """A line that is folded away while its field has a usual value."""
    return dataclasses.replace(line, usual=usual)


class BoundForm(QWidget):
    """Fields of one value. `changed` carries the changed fields by name; `problem` a message.

    What is set seldom is folded away behind a button, unless it is set.
    """

    changed = pyqtSignal(dict)
    problem = pyqtSignal(str)

    def __init__(self, document: Document, lines: Iterable[Line], stroke: str = "") -> None:
        super().__init__()
        self.document = document
        self.stroke = stroke
        """What a drag of a slider is called in the history."""
        self._value: Value | None = None
        self._extra: Mapping[str, object] = {}
        self._owner: object = None
        self.rows = form()
        self.lines = {line.name: line for line in lines}
        self.controls: dict[str, Control] = {}
        for line in self.lines.values():
            control = self.controls[line.name] = line.make(self, line)
            widget = control.widget
            if not widget.accessibleName():
                widget.setAccessibleName(line.said)
            if line.tip:
                widget.setToolTip(line.tip)
            self.rows.addRow(line.label, widget)
            if line.tip and (label := self.rows.labelForField(widget)) is not None:
                label.setToolTip(line.tip)
        self._there: set[str] = set()
        self._more = QToolButton()
        self._more.setCheckable(True)
        self._more.setToolTip("What is set seldom")
        self._more.toggled.connect(self._fold)
        self._folds = any(line.usual for line in self.lines.values())
        if self._folds:
            self.rows.addRow(self._more)
        else:
            self._more.setParent(self)
            self._more.hide()
        self.setLayout(self.rows)

    # --- showing ------------------------------------------------------------------------------

    def show_value(
        self, value: Value | None, hidden: Collection[str] = (), place: object = None, **extra: object
    ) -> None:
        """Show a value of the selected piece or the job, and `extra` fields that it does not have.

        Fields that it lacks are hidden, and those `hidden`. `place`: which of several it is, where it has no key.
        Half-typed text does not stay when another one is shown.
        """
        piece = self.document.piece
        owner = piece.key if piece else None, getattr(value, "key", place)
        is_other, self._owner = owner != self._owner, owner
        self._value, self._extra = value, extra
        for name, control in self.controls.items():
            has = name in extra or (value is not None and _has(type(value), name))
            (self._there.add if has and name not in hidden else self._there.discard)(name)
            if not has:
                continue
            if control.bound is not None and value is not None and name not in extra:
                control.bound(*limits_of(type(value), name))
            if is_other and isinstance(control.widget, TypedField):
                control.widget.set_value(self.shown(name), of_another=True)
            control.show(self.shown(name))
        self._fold()

    def _fold(self) -> None:
        """Show the rows that there are, without those folded away."""
        folded = {name for name, line in self.lines.items() if name in self._there and self.shown(name) in line.usual}
        is_open = self._more.isChecked()
        for name, control in self.controls.items():
            self.rows.setRowVisible(control.widget, name in self._there and (is_open or name not in folded))
        self._more.setText("Fewer" if is_open else "More…")
        if self._folds:
            self.rows.setRowVisible(self._more, bool(folded))

    def shown(self, name: str) -> Any:
        """The stored value of a field."""
        if name in self._extra:
            return self._extra[name]
        value: Any = self._value
        for part in name.split("."):
            value = getattr(value, part)
        return value

    def widget(self, name: str) -> QWidget:
        """The widget of a field."""
        return self.controls[name].widget

    def value(self, name: str) -> Any:
        """What a field shows now, typed text included."""
        widget = self.widget(name)
        return widget.value if isinstance(widget, TypedField | Choices) else self.shown(name)

    def put_row(self, before: str, widget: QWidget, label: str = "") -> None:
        """Put a widget of the owner's before the line of a field."""
        place = self.rows.getWidgetPosition(self.widget(before))[0] if before else self.rows.rowCount()
        if label:
            self.rows.insertRow(place, label, widget)
        else:
            self.rows.insertRow(place, widget)

    # --- giving -------------------------------------------------------------------------------

    def give(self, name: str, stored: object) -> None:
        """A field was given a value: tell the owner where it is another one."""
        if (self._value is None and name not in self._extra) or self.shown(name) == stored:
            return
        try:
            changes = self._changes(name, stored)
        except ValidationError as error:
            self._refuse(name, f"{first_fault(error)[1].capitalize()}.")
            return
        self.changed.emit(changes)
        # An edit may have been refused, or have come to something else.
        self.controls[name].show(self.shown(name))

    def _refuse(self, name: str, fault: str) -> None:
        """What the model does not take stays as it is typed, and says why."""
        widget = self.widget(name)
        if isinstance(widget, TypedField):
            widget.refuse(self.shown(name), fault)
        else:
            self.controls[name].show(self.shown(name))
        self.problem.emit(fault)

    def _changes(self, name: str, stored: object) -> dict[str, object]:
        """The change of the value, which the model must take. Raises ValidationError."""
        outer, _, inner = name.partition(".")
        if name in self._extra or self._value is None:
            return {name: stored}
        changed = replace(getattr(self._value, outer), **{inner: stored}) if inner else stored
        replace(self._value, **{outer: changed})
        return {outer: changed}

    def follow_drag(self, on: bool) -> None:
        """A slider is held or let go: what it changes until then is one step of the history."""
        if on:
            self.document.stroke.begin(self.stroke)
        else:
            self.document.stroke.end()


def _has(kind: type[Value], name: str) -> bool:
    return name.partition(".")[0] in kind.model_fields


@cache
def limits_of(kind: type[Value], name: str) -> tuple[Any, Any]:
    """The bounds that the model sets to a field; None where there is none."""
    outer, _, inner = name.partition(".")
    field = kind.model_fields[outer]
    if inner:
        inside = field.annotation
        assert isinstance(inside, type)
        assert issubclass(inside, Value)
        return limits_of(inside, inner)
    limits: list[Any] = [*field.metadata]
    # Of “Length | None” the bounds are those of Length.
    for option in get_args(field.annotation):
        for given in getattr(option, "__metadata__", ()):
            limits += getattr(given, "metadata", ())
    return _limit_in(limits, "ge", "gt"), _limit_in(limits, "le", "lt", "max_length")


def _limit_in(rules: list[Any], *names: str) -> Any:
    return next((getattr(rule, name) for rule in rules for name in names if hasattr(rule, name)), None)


# --- kinds of line ----------------------------------------------------------------------------------


def quantity(
    name: str,
    label: str,
    kind: Quantity,
    spoken: str = "",
    suffix: str = "",
    none: tuple[str, Any] | None = None,
    low: Any = None,
    high: Any = None,
    tip: str = "",
    step: Any = None,
) -> Line:
    """A quantity that is typed; its bounds are the model's but for those given here, which are narrower."""

    def make(owner: BoundForm, line: Line) -> Control:
        field = QuantityField(owner.document, kind, line.said, low, high, suffix, none, step=step)
        field.entered.connect(lambda value: owner.give(name, value))
        field.problem.connect(owner.problem)

        def bound(least: Any, most: Any) -> None:
            field.low = least if low is None else low
            field.high = most if high is None else high

        return Control(field, field.set_value, bound)

    return Line(name, label, make, spoken, tip)


def slider(
    name: str,
    label: str,
    low: int | None = None,
    high: int | None = None,
    suffix: str = "",
    zero: str = "",
    per: float = 1,
    spoken: str = "",
) -> Line:
    """A whole number on a slider; the stored value is `per` times it. `zero`: what 0 is called.

    It runs over what the model allows, or less where that is given here.
    """

    def make(owner: BoundForm, line: Line) -> Control:
        widget = NumberSlider(line.said, low or 0, high or 1, suffix, zero)
        widget.moved.connect(lambda value: owner.give(name, value if per == 1 else round(value * per, 6)))
        widget.held.connect(owner.follow_drag)
        widget.number.problem.connect(owner.problem)

        def bound(least: Any, most: Any) -> None:
            widget.set_range(round(least / per) if low is None else low, round(most / per) if high is None else high)

        return Control(widget, lambda value: widget.show_value(round(value / per)), bound)

    return Line(name, label, make, spoken)


def check(name: str, words: str, tip: str = "") -> Line:
    """A box to tick."""

    def make(owner: BoundForm, _line: Line) -> Control:
        box = QCheckBox(words)
        box.clicked.connect(lambda on: owner.give(name, on))
        return Control(box, box.setChecked)

    return Line(name, "", make, words, tip)


def choice(
    name: str,
    label: str,
    choices: Sequence[Choice] | Callable[[Document], Iterable[Choice]],
    spoken: str = "",
    tip: str = "",
) -> Line:
    """One of several, listed once or, where they depend on the document, whenever the form is shown."""

    def make(owner: BoundForm, line: Line) -> Control:
        box = Choices(line.said, () if callable(choices) else choices)
        box.chosen.connect(lambda value: owner.give(name, value))

        def show(value: Any) -> None:
            if callable(choices):
                box.list_choices(choices(owner.document))
            box.set_value(value)

        return Control(box, show)

    return Line(name, label, make, spoken, tip)


def options(kind: type[StrEnum] | Any, suffix: str = "") -> list[Choice]:
    """The members of an enumeration, or the words of a Literal, to choose from."""
    if isinstance(kind, type) and issubclass(kind, StrEnum):
        return [(member.value + suffix, member) for member in kind]
    return [(words + suffix, words) for words in get_args(kind)]


def colour(name: str, label: str, spoken: str = "", tip: str = "") -> Line:
    """One colour of the job's palette; the first where none is kept."""

    def make(owner: BoundForm, line: Line) -> Control:
        box = ColourChooser(line.said)
        box.chosen.connect(lambda key: owner.give(name, key))

        def show(key: Any) -> None:
            palette = owner.document.job.palette
            box.show_colours(palette, key or palette[0].key)

        return Control(box, show)

    return Line(name, label, make, spoken, tip)


def _unnumbered(keys: Sequence[str]) -> list[tuple[str, int]]:
    return [(key, 1) for key in keys]


def _keys_of(entries: Sequence[tuple[str, int]]) -> tuple[str, ...]:
    return tuple(key for key, _ in entries)


def colours(
    name: str,
    spoken: str,
    least: int,
    most: int,
    read: Callable[[Any], Sequence[tuple[str, int]]] = _unnumbered,
    write: Callable[[Sequence[tuple[str, int]]], object] = _keys_of,
    unit: str | None = None,
    largest: int = 1,
    label: str = "",
) -> Line:
    """Several colours of the palette, with a number each where there is a `unit`."""

    def make(owner: BoundForm, _line: Line) -> Control:
        widget = ColourList(spoken, least, most, unit, largest)
        widget.changed.connect(lambda entries: owner.give(name, write(entries)))
        return Control(widget, lambda value: widget.show_entries(owner.document.job.palette, read(value)))

    return Line(name, label, make, spoken)


def text(
    name: str, label: str, spoken: str = "", required: str = "", hint: str = "", tip: str = "", limit: int = 120
) -> Line:
    """A line of words, as long as the model allows; `required` is what is said where there is none."""

    def make(owner: BoundForm, line: Line) -> Control:
        field = TextField(owner.document, line.said, limit, required)
        field.setPlaceholderText(hint)

        def bound(_least: Any, most: Any) -> None:
            field.limit = most

        return dataclasses.replace(_typed(owner, name, field), bound=bound)

    return Line(name, label, make, spoken, tip)


def written(
    name: str,
    label: str,
    read: Callable[[str], Any],
    shown: Callable[[Any], str],
    spoken: str = "",
    hint: str = "",
    tip: str = "",
) -> Line:
    """Anything with a notation of its own: `read` raises BadInput."""

    def make(owner: BoundForm, line: Line) -> Control:
        field = TypedField(line.said, read, shown, lambda: owner.document.units)
        field.setPlaceholderText(hint)
        return _typed(owner, name, field)

    return Line(name, label, make, spoken, tip)


def _typed(owner: BoundForm, name: str, field: TypedField) -> Control:
    field.entered.connect(lambda value: owner.give(name, value))
    field.problem.connect(owner.problem)
    return Control(field, field.set_value)


def push_button(words: str, run: Callable[[], None], tip: str = "") -> QPushButton:
    """A button that does something to what the form shows."""
    made = tip_button(words, tip)
    made.clicked.connect(lambda _checked: run())
    return made
