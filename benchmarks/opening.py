"""Opening the demo in the real window as `./start --demo` does: when what is there, gaps, CPU time by kind of work.

Run from the checkout: QT_QPA_PLATFORM=offscreen .venv/bin/python benchmarks/opening.py [JOB]
"""

from __future__ import annotations

import resource
import sys
import tempfile
import threading
import time
from collections import defaultdict
from pathlib import Path
from typing import Any

from event_loop import Gaps, until
from PyQt6.QtTest import QTest

from kakushi.desktop import app as application
from kakushi.desktop.document import background
from kakushi.desktop.document.worker_process import WorkerProcess
from kakushi.formats.store.recovery import RecoveryStore

_STILL_S = 3.0
"""After everything is ready: fine pictures follow."""


def _measured(spent: dict[str, float]) -> None:
    """Add up the CPU time of background work by the module and name of what is run."""
    task = background._Task
    run = task.run

    def timed(self: Any) -> None:
        begun = time.thread_time()
        run(self)
        work = self._work
        spent[f"{work.__module__.removeprefix('kakushi.')}:{work.__qualname__}"] += time.thread_time() - begun

    task.run = timed  # type: ignore[method-assign]  # only to be timed


def main() -> None:
    """Open, wait, and print."""
    started = time.monotonic()
    spent: dict[str, float] = defaultdict(float)
    _measured(spent)
    worker = WorkerProcess()
    app = application.build_application(["kakushi"])
    with tempfile.TemporaryDirectory() as folder:
        place = Path(folder)
        window = application.build_window(RecoveryStore(place), place / "p.json", place / "studio.sqlite3", worker)
        if len(sys.argv) > 1:
            job = Path(sys.argv[1])
            application.open_when_loaded(window, job.name, lambda: window.files.load(job))
        else:
            application.open_when_loaded(window, "the demo job", window.files.open_demo)
        window.show()
        gaps, document = Gaps(), window.document
        shown = time.monotonic()
        until(lambda: bool(document.job.pieces))
        opened = time.monotonic()
        until(lambda: window.host.workbench is not None and window.workbench.elevation.has_picture)
        drawn = time.monotonic()
        until(lambda: document.is_planned)
        planned = time.monotonic()
        until(lambda: document.is_dossier_ready)
        lists = time.monotonic()
        opening = gaps.taken()
        QTest.qWait(int(_STILL_S * 1000))
        print(
            f"window {shown - started:.2f} s; from then: opened {opened - shown:.2f}, first piece drawn "
            f"{drawn - shown:.2f}, planned {planned - shown:.2f}, lists {lists - shown:.2f} s; longest gap "
            f"{opening * 1000:.0f} ms until then, {gaps.taken() * 1000:.0f} ms after; "
            f"{resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1024:.0f} MB"
        )
        print(f"interface's thread {time.thread_time():.2f} s of CPU, {threading.active_count()} threads")
        for name, seconds in sorted(spent.items(), key=lambda item: -item[1]):
            print(f"{seconds:6.2f} s  {name}")
        document.close()
        app.quit()


if __name__ == "__main__":
    main()
