"""Shared fixtures: a window on throw-away folders, a demo job, hypothesis settings."""

from __future__ import annotations

import gc
import os
import sys
import threading
from collections.abc import Callable, Iterator
from pathlib import Path

import pytest
from hypothesis import HealthCheck, settings

from kakushi.formats.store.job_file import load_job
from kakushi.formats.store.paths import demo_job_path
from kakushi.formats.store.recovery import RecoveryStore
from kakushi.model.values import replace

os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")
if os.environ.get("KAKUSHI_WITHOUT_QT"):
    # The core's tests must pass where Qt cannot be imported; the desktop's are left out.
    sys.modules["PyQt6"] = None  # type: ignore[assignment]  # Python's own way to forbid an import
    collect_ignore_glob = ["test_desktop*", "attack/test_random_user.py"]
else:
    from PyQt6 import sip
    from PyQt6.QtCore import QEvent, QThreadPool, QTimer
    from PyQt6.QtWidgets import QApplication

    from kakushi.desktop.app import build_application, build_window
    from kakushi.desktop.dialogs.dialog import Dialog

settings.register_profile("suite", deadline=None, max_examples=20, suppress_health_check=[HealthCheck.too_slow])
# The same examples every time where a failure must mean a change; new ones at every run elsewhere.
settings.register_profile("ci", settings.get_profile("suite"), derandomize=True)
settings.register_profile("long", settings.get_profile("suite"), max_examples=600)
settings.load_profile(os.environ.get("HYPOTHESIS_PROFILE", "ci" if os.environ.get("CI") else "suite"))


def pytest_addoption(parser: pytest.Parser) -> None:
    parser.addoption("--attack", action="store_true", help="run tests/attack at length: hours rather than seconds")


@pytest.fixture
def attack(request: pytest.FixtureRequest) -> bool:
    """Whether tests/attack run at length."""
    return bool(request.config.getoption("--attack"))


@pytest.fixture(scope="session")
def qapp_cls():
    return lambda _arguments: build_application(["kakushi"])


@pytest.fixture(autouse=True)
def nothing_leaks(request: pytest.FixtureRequest) -> Iterator[None]:
    """No test leaves a thread, a window or a running timer behind."""
    threads = set(threading.enumerate())
    uses_qt = "qtbot" in request.fixturenames and not os.environ.get("KAKUSHI_WITHOUT_QT")
    if uses_qt:
        request.getfixturevalue("qapp")
    widgets = set(QApplication.topLevelWidgets()) if uses_qt else set()
    yield
    assert not (left := set(threading.enumerate()) - threads), f"threads left behind: {left}"
    if uses_qt:
        QApplication.sendPostedEvents(None, QEvent.Type.DeferredDelete)
        QApplication.processEvents()
        gc.collect()
        new = [w for w in QApplication.topLevelWidgets() if w not in widgets and w.parent() is None]
        assert not new, f"widgets left behind: {new}"
        alive = [o for o in gc.get_objects() if type(o) in (QTimer, QThreadPool) and not sip.isdeleted(o)]
        timers = [o for o in alive if isinstance(o, QTimer) and o.isActive()]
        assert not timers, f"timers still running: {[(t, t.parent(), t.interval()) for t in timers]}"
        pools = [o for o in alive if isinstance(o, QThreadPool) and o.activeThreadCount()]
        assert not pools, f"threads still running: {[(p, p.parent()) for p in pools]}"
        # What is alive now stays: the next test's garbage is found without going through all of it again.
        gc.freeze()


@pytest.fixture
def make_window(qtbot, tmp_path: Path, monkeypatch) -> Iterator[Callable[[], object]]:
    made = []
    # A question would wait for somebody; tests that are about it put their own answer here.
    monkeypatch.setattr(Dialog, "ask_to_leave", lambda _dialog: True)

    def make(worker=None):
        window = build_window(
            RecoveryStore(tmp_path / "recovery"), tmp_path / "preferences.json", tmp_path / "studio.sqlite3", worker
        )
        window.files.ask_replace = lambda _there: True
        window.files.ask_reload = lambda _path: False
        window.resize(1280, 800)
        window.show()
        qtbot.waitExposed(window)
        made.append(window)
        return window

    yield make
    for window in made:
        window.files.ask_unsaved = lambda: "discard"
        window.close()
        window.deleteLater()


@pytest.fixture
def window(make_window):
    return make_window()


@pytest.fixture
def planned(qtbot):
    """Wait until a window's plan is that of its job."""

    def wait(window) -> None:
        qtbot.waitUntil(lambda: window.document.is_planned, timeout=20_000)

    return wait


@pytest.fixture
def whole_demo(window, planned):
    """The window with the demo job, planned."""
    window.files.open_demo()
    planned(window)
    return window


@pytest.fixture
def demo(window, planned):
    """The window with the first four pieces of the demo job, planned: all of it takes five times as long."""
    job = load_job(demo_job_path())
    window.document.open_job(replace(job, pieces=job.pieces[:4]), None)
    planned(window)
    return window


@pytest.fixture
def packed(qtbot):
    """Wait until everything for the workshop is worked out."""

    def wait(window) -> None:
        qtbot.waitUntil(lambda: window.document.is_dossier_ready, timeout=20_000)

    return wait
