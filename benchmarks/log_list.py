"""Time to read 20,000 entries of the log, filter them and work out what is learnt.

Run: .venv/bin/python benchmarks/log_list.py [--entries N]
"""

from __future__ import annotations

import argparse
import datetime as dt
import tempfile
import time
from pathlib import Path

import numpy as np
from sqlalchemy import insert

from kakushi.formats.store.log_store import LogStore, columns_of, pops_of, ratios_of
from kakushi.formats.store.studio_store import StudioStore
from kakushi.formats.store.studio_tables import ENTRIES, POPS, RATIOS
from kakushi.log.overview import matches, ratios_over_time
from kakushi.model.log import BuiltCount, LogEntry, LoggedPiece, PopCount, WorkCount
from kakushi.model.units import UnitSystem
from kakushi.words.log import LOG_COLUMNS, log_cell


def entries(count: int) -> list[LogEntry]:
    """Made-up jobs of twenty years."""
    chance = np.random.default_rng(1)
    made = []
    for number in range(count):
        built = tuple(BuiltCount(nominal_in=size, count=int(chance.integers(20, 90))) for size in (5, 9, 11))
        pops = (PopCount(nominal_in=11, count=int(chance.integers(0, 4))),)
        work = (WorkCount(kind="row", person="Ann", count=12, minutes=float(chance.uniform(8, 20))),)
        piece = LoggedPiece(piece="Gate", planned_mm=2000, height_mm=1990, built=built, pops=pops, minutes=work)
        date = dt.date(2005, 1, 1) + dt.timedelta(days=number % 7300)
        made.append(LogEntry(key=f"{number:x}", date=date, job=f"Job {number}", pieces=(piece,), planned_minutes=15))
    return made


def main() -> None:
    """Fill a file, then time what the Log stage does with it."""
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("--entries", type=int, default=20_000)
    arguments = parser.parse_args()
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / "studio.sqlite3"
        made = entries(arguments.entries)
        with StudioStore(path).connection() as connection:
            connection.execute(insert(ENTRIES), [{"id": n, **columns_of(entry)} for n, entry in enumerate(made, 1)])
            for table, lines in ((POPS, pops_of), (RATIOS, ratios_of)):
                rows = [{"entry": n, **line} for n, entry in enumerate(made, 1) for line in lines(entry)]
                connection.execute(insert(table), rows)
        store = LogStore(path)
        begun = time.perf_counter()
        listed = store.lines()
        print(f"read {len(listed)} lines: {1000 * (time.perf_counter() - begun):.0f} ms")
        begun = time.perf_counter()
        kept = [line for line in listed if matches(line, ["gate", "2010"])]
        ratios_over_time(kept)
        shown = [log_cell(line, column.key, UnitSystem.METRIC) for line in kept[:40] for column in LOG_COLUMNS]
        print(f"filter to {len(kept)}, chart, {len(shown)} cells: {1000 * (time.perf_counter() - begun):.0f} ms")
        begun = time.perf_counter()
        ratios_over_time(listed)
        print(f"chart of all: {1000 * (time.perf_counter() - begun):.0f} ms")
        begun = time.perf_counter()
        store.add(made[0])
        size = path.stat().st_size / 2**20
        print(f"one more entry, learnt from: {1000 * (time.perf_counter() - begun):.0f} ms; file {size:.0f} MB")


if __name__ == "__main__":
    main()
