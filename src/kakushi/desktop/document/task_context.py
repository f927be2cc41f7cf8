"""What a task that works in the background is given to talk to whoever waits for it. No Qt."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import Any


@dataclass(frozen=True, slots=True)
class TaskContext:
    """Says how far a task is (0 to 1), asks whether it is still wanted, shows drafts of its answer."""

    progress: Callable[[float], None]
    cancelled: Callable[[], bool]
    drafted: Callable[[Any], None] = lambda _: None
