"""Remembering what pure functions answered; a `cancelled` callable is no part of the question."""

from __future__ import annotations

import threading
from collections import OrderedDict
from collections.abc import Callable, Hashable
from functools import wraps
from typing import Any, ParamSpec, TypeVar

from kakushi.model import errors
from kakushi.model.limits import MAX_JOB_BALLOONS

P = ParamSpec("P")
R = TypeVar("R")
Cancelled = Callable[[], bool]

MOST_BALLOONS = 2 * MAX_JOB_BALLOONS
"""That the answers of one function may be about: the largest job, and the same before its last edit. A thousand small
pieces fit; of a piece of a thousand rows the last fifty, some 200 MB with all that follows from them."""


def never() -> bool:
    """Work that nobody stops."""
    return False


def stop_if(cancelled: Cancelled) -> None:
    """Raise `errors.Cancelled` when `cancelled()` answers True."""
    if cancelled():
        raise errors.Cancelled


def nothing(_: Any) -> int:
    """The balloons of an answer that takes no memory to speak of."""
    return 0


def remembered(maxsize: int, balloons_of: Callable[[Any], int] = nothing) -> Callable[[Callable[P, R]], Callable[P, R]]:
    """Keep the last `maxsize` answers of a function of hashable arguments, the least recently asked going first.

    `balloons_of` the first argument says how large a question is; all kept together have `MOST_BALLOONS` at most, but
    the last answer is always kept. The keyword argument `cancelled` is handed on and is not part of what is
    remembered; whatever is raised is not remembered either. Safe to call from several threads; two that ask at once may
    both work it out.
    """

    def remember(function: Callable[P, R]) -> Callable[P, R]:
        answers: OrderedDict[Hashable, tuple[R, int]] = OrderedDict()
        lock = threading.Lock()
        held = 0

        @wraps(function)
        def ask(*args: P.args, **kwargs: P.kwargs) -> R:
            key = (args, tuple((name, value) for name, value in sorted(kwargs.items()) if name != "cancelled"))
            nonlocal held
            with lock:
                if key in answers:
                    answers.move_to_end(key)
                    return answers[key][0]
            answer = function(*args, **kwargs)
            size = balloons_of(args[0])
            with lock:
                held += size - answers.pop(key, (answer, 0))[1]
                answers[key] = answer, size
                while len(answers) > 1 and (len(answers) > maxsize or held > MOST_BALLOONS):
                    held -= answers.popitem(last=False)[1][1]
            return answer

        return ask

    return remember
