"""Many entries of the log at once: which of them are meant, and how times went."""

from __future__ import annotations

import datetime as dt
from collections.abc import Iterable, Sequence

from kakushi.model.log import LogLine


def matches(line: LogLine, words: Sequence[str]) -> bool:
    """Whether an entry has all of some words, in small letters, in its date, job or pieces."""
    if not words:
        return True
    text = f"{line.date} {line.job} {line.pieces}".casefold()
    return all(word in text for word in words)


def ratios_over_time(lines: Iterable[LogLine]) -> list[tuple[float, float]]:
    """When (days of the calendar as years) and how measured working time compared with the planned one."""
    times = []
    for line in lines:
        if line.minutes and line.planned_minutes:
            day = dt.date.fromisoformat(line.date)
            times.append((day.year + day.timetuple().tm_yday / 366, line.minutes / line.planned_minutes))
    return times
