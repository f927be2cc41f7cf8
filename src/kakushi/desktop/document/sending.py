"""Values sent between the window and its worker process.

Plans of pieces and settled columns that the worker sent lately are named by number, not sent again: pieces that an edit
left alone stay the same objects in the window, and nothing of them is drawn or worked out anew.
"""

from __future__ import annotations

import io
import pickle
from typing import Any

from kakushi.packing.assembly import Assembly
from kakushi.packing.stack import Geometry
from kakushi.plan.values import PiecePlan

_SHARED = (PiecePlan, Assembly, Geometry)
_KEPT_MESSAGES = 3
"""Messages after which a value that none of them used is forgotten: a draft, its plan and the lists of that."""


class StaleName(Exception):
    """A request names a value that the worker has forgotten."""


class WorkerEnd:
    """The worker's end: packs answers, unpacks requests. Answers must be sent in the order they are packed."""

    def __init__(self) -> None:
        self._numbers: dict[int, int] = {}
        self._kept: dict[int, tuple[Any, int]] = {}
        self._next = self._messages = 0

    def packed(self, answer: object) -> bytes:
        """An answer, and the numbers that are forgotten after it."""
        used: set[int] = set()
        buffer = io.BytesIO()
        _Pickler(buffer, lambda value: self._name(value, used)).dump(answer)
        if used:
            self._messages += 1
            for number in used:
                self._kept[number] = self._kept[number][0], self._messages
        gone = [number for number, (_, last) in self._kept.items() if last <= self._messages - _KEPT_MESSAGES]
        for number in gone:
            del self._numbers[id(self._kept.pop(number)[0])]
        return pickle.dumps((buffer.getvalue(), gone))

    def _name(self, value: object, used: set[int]) -> tuple[Any, ...]:
        number = self._numbers.get(id(value))
        if number is not None:
            used.add(number)
            return _named, (number,)
        self._next += 1
        self._numbers[id(value)] = self._next
        # Kept from now on: its id must not go to another value.
        self._kept[self._next] = value, self._messages
        used.add(self._next)
        return _made, (self._next, value.__reduce_ex__(pickle.HIGHEST_PROTOCOL))

    def unpacked(self, request: bytes) -> Any:
        """A request. Raises StaleName."""
        return _Unpickler(io.BytesIO(request), {"_named": self._value}).load()

    def _value(self, number: int) -> object:
        if number not in self._kept:
            raise StaleName
        return self._kept[number][0]


class WindowEnd:
    """The window's end: unpacks answers in the order they come, packs requests."""

    def __init__(self) -> None:
        self._values: dict[int, object] = {}
        self._numbers: dict[int, int] = {}

    def unpacked(self, answer: bytes) -> Any:
        """An answer."""
        body, gone = pickle.loads(answer)
        value = _Unpickler(io.BytesIO(body), {"_named": self._values.__getitem__, "_made": self._make}).load()
        for number in gone:
            self._numbers.pop(id(self._values.pop(number)), None)
        return value

    def _make(self, number: int, reduced: tuple[Any, ...]) -> object:
        make, arguments, state = reduced[:3]
        value = make(*arguments)
        value.__setstate__(state)
        self._values[number] = value
        self._numbers[id(value)] = number
        return value

    def packed(self, request: object, by_name: bool = True) -> bytes:
        """A request; without `by_name` everything in it is sent."""
        buffer = io.BytesIO()
        _Pickler(buffer, self._name if by_name else lambda _: NotImplemented).dump(request)
        return buffer.getvalue()

    def _name(self, value: object) -> Any:
        number = self._numbers.get(id(value))
        return NotImplemented if number is None else (_named, (number,))


def _named(number: int) -> object:
    """Stands in a message for the value of that number."""
    raise NotImplementedError


def _made(number: int, reduced: tuple[Any, ...]) -> object:
    """Stands in a message for a value that is given that number."""
    raise NotImplementedError


class _Pickler(pickle.Pickler):
    def __init__(self, file: io.BytesIO, name: Any) -> None:
        super().__init__(file, pickle.HIGHEST_PROTOCOL)
        self._name = name

    def reducer_override(self, value: object) -> Any:
        return self._name(value) if isinstance(value, _SHARED) else NotImplemented


class _Unpickler(pickle.Unpickler):
    def __init__(self, file: io.BytesIO, here: dict[str, Any]) -> None:
        super().__init__(file)
        self._here = here

    def find_class(self, module: str, name: str) -> Any:
        return self._here[name] if module == __name__ and name in self._here else super().find_class(module, name)
