"""How long the event loop of the window was away, and waiting with it alive."""

from __future__ import annotations

import time
from collections.abc import Callable

from PyQt6.QtCore import QTimer
from PyQt6.QtTest import QTest


class Gaps:
    """The longest time in which the event loop did not come round."""

    def __init__(self) -> None:
        self._last, self.longest = time.monotonic(), 0.0
        self._timer = QTimer()
        self._timer.timeout.connect(self._tick)
        self._timer.start(5)

    def _tick(self) -> None:
        now = time.monotonic()
        self.longest, self._last = max(self.longest, now - self._last), now

    def taken(self) -> float:
        """The longest since it was last asked, s."""
        longest, self.longest = self.longest, 0.0
        return longest


def until(done: Callable[[], bool]) -> float:
    """Wait until something holds; how long that took, s."""
    begun = time.monotonic()
    while not done():
        QTest.qWait(5)
    return time.monotonic() - begun
