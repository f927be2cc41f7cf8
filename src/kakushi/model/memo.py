"""Remembering what pure functions answered; a `cancelled` callable is no part of the question."""

from __future__ import annotations

import threading
from collections import OrderedDict
from collections.abc import Callable, Hashable
from functools import wraps
from typing import ParamSpec, TypeVar

P = ParamSpec("P")
R = TypeVar("R")
Cancelled = Callable[[], bool]


def never() -> bool:
    """Work that nobody stops."""
    return False


def remembered(maxsize: int) -> Callable[[Callable[P, R]], Callable[P, R]]:
    """Keep the last `maxsize` answers of a function of hashable arguments, the least recently asked going first.

    The keyword argument `cancelled` is handed on and is not part of what is remembered; whatever is raised is not
    remembered either. Safe to call from several threads; two that ask at once may both work it out.
    """

    def remember(function: Callable[P, R]) -> Callable[P, R]:
        answers: OrderedDict[Hashable, R] = OrderedDict()
        lock = threading.Lock()

        @wraps(function)
        def ask(*args: P.args, **kwargs: P.kwargs) -> R:
            key = (args, tuple((name, value) for name, value in sorted(kwargs.items()) if name != "cancelled"))
            with lock:
                if key in answers:
                    answers.move_to_end(key)
                    return answers[key]
            answer = function(*args, **kwargs)
            with lock:
                answers[key] = answer
                while len(answers) > maxsize:
                    answers.popitem(last=False)
            return answer

        return ask

    return remember
