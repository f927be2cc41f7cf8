"""Cyclic garbage is collected in the GUI thread only."""

from __future__ import annotations

import gc

from PyQt6.QtCore import QObject, QTimerEvent

_LOOK_MS = 100
"""Time between looks at the counts: short enough that one collection of young objects never shows as a gap."""


class GarbageCollector(QObject):
    """Collects garbage from the event loop, by Python's own thresholds, and stops Python from doing it by itself.

    Python collects in whichever thread allocates. A plan worked out in a thread of its own would destroy the widgets,
    icons and signals of closed dialogs there, and Qt objects may only be destroyed in the thread they live in.
    """

    def __init__(self, parent: QObject) -> None:
        super().__init__(parent)
        gc.disable()
        self.startTimer(_LOOK_MS)

    def timerEvent(self, event: QTimerEvent | None) -> None:
        """Collect the oldest generation that is due; it takes the younger ones along."""
        due = [count > most for count, most in zip(gc.get_count(), gc.get_threshold(), strict=True)]
        if any(due):
            gc.collect(max(generation for generation, is_due in enumerate(due) if is_due))
