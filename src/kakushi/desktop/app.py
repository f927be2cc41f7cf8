"""The composition root of the window: builds studio, document and window, and runs Qt."""

from __future__ import annotations

import argparse
import locale
import sys
import traceback
from collections.abc import Callable, Sequence
from pathlib import Path
from types import TracebackType
from typing import TYPE_CHECKING

from PyQt6.QtCore import QT_VERSION_STR, QLocale, Qt, QTimer
from PyQt6.QtGui import QGuiApplication, QIcon
from PyQt6.QtWidgets import QApplication

from kakushi import __version__
from kakushi.desktop.commands import window_commands
from kakushi.desktop.document.collecting import GarbageCollector
from kakushi.desktop.document.document import Document
from kakushi.desktop.document.worker_process import Worker, WorkerProcess
from kakushi.desktop.main_window import MainWindow
from kakushi.desktop.stages.host import WORKING_STAGE
from kakushi.desktop.warm_up import WarmUp
from kakushi.desktop.widgets.theme import THEMES, apply_theme, load_fonts
from kakushi.formats.store.paths import data_path, preferences_path, recovery_folder, studio_path
from kakushi.formats.store.preferences import load_preferences, save_preferences, shown_path
from kakushi.formats.store.recent_pictures import RecentPictures
from kakushi.formats.store.recovery import RecoveryStore
from kakushi.model.catalogue import Studio

if TYPE_CHECKING:
    from kakushi.formats.store.studio_store import LoadedStudio


_SWITCH_S = 0.001
"""Python's thread switch interval, s. Its default of 5 ms would slow painting, which waits dozens of times per frame,
to a crawl beside planning."""


def run_window(arguments: Sequence[str]) -> int:
    """Open the window; `arguments` are a job or --demo, and perhaps a photograph. The exit code."""
    parser = argparse.ArgumentParser(prog="kakushi")
    parser.add_argument("job", nargs="?", type=Path, help="a job to open")
    parser.add_argument("--demo", action="store_true", help="open the demo job")
    parser.add_argument("--photo", type=Path, help="a photograph to check: JPEG, PNG or WebP")
    parser.add_argument("--piece", default="", help="the piece in the photograph (default: the first one)")
    parsed = parser.parse_args(list(arguments))
    if parsed.photo is not None and parsed.job is None and not parsed.demo:
        parser.error("--photo needs the job whose piece it shows")
    worker = WorkerProcess()
    app = build_application(["kakushi"])
    window = build_window(RecoveryStore(recovery_folder()), preferences_path(), studio_path(), worker)
    _hook_exceptions(window)

    def open_job() -> None:
        if parsed.demo:
            window.files.open_demo()
        else:
            window.files.load(parsed.job)
        if parsed.photo is not None and window.document.job.pieces:
            check_photograph(window, parsed.photo, parsed.piece)

    if parsed.demo or parsed.job is not None:
        name = "the demo job" if parsed.demo else f"“{shown_path(parsed.job.name)}”"
        open_when_loaded(window, name, open_job)
    else:
        WarmUp(window)
    window.show()
    return app.exec()


def open_when_loaded(window: MainWindow, name: str, open_job: Callable[[], object]) -> None:
    """Open a job once all that shows it is loaded; the window stays alive meanwhile, and says what it does."""

    def begin() -> None:
        # Its tools first, by themselves: both together would hold the window up twice as long.
        window.stage(WORKING_STAGE)
        QTimer.singleShot(0, go_on)

    def go_on() -> None:
        if window.isVisible():
            open_job()
            window.start_page.wait_for("")

    window.start_page.wait_for(name)
    WarmUp(window, begin)


def check_photograph(window: MainWindow, photo: Path, name: str = "") -> None:
    """Check a photograph of the piece of that name, or of the first one, as soon as the job is planned."""
    document = window.document
    piece = next((each for each in document.job.pieces if name in ("", each.name)), None)
    if piece is None:
        document.refused.emit(f"No piece of this job is called “{name}”.")
        return
    document.selection.select_piece(piece.key)
    window.show_stage("check")

    def begin() -> None:
        if document.is_planned:
            document.plan_changed.disconnect(begin)
            document.checker.open(photo)

    document.plan_changed.connect(begin)
    begin()


def build_application(arguments: list[str]) -> QApplication:
    """The QApplication with the program's name, icon and typeface."""
    QGuiApplication.setHighDpiScaleFactorRoundingPolicy(Qt.HighDpiScaleFactorRoundingPolicy.PassThrough)
    QLocale.setDefault(QLocale(QLocale.Language.English, QLocale.Country.UnitedKingdom))
    sys.setswitchinterval(_SWITCH_S)
    app = QApplication(arguments)
    # Qt takes the desktop's language; names of days and months stay in the language of the sentences they stand in.
    locale.setlocale(locale.LC_TIME, "C")
    app.setApplicationName("kakushi")
    app.setApplicationDisplayName("Kakushi")
    app.setDesktopFileName("io.kakushi.Kakushi")
    app.setWindowIcon(QIcon(str(data_path("io.kakushi.Kakushi.svg"))))
    app.setStyle("Fusion")
    GarbageCollector(app)
    load_fonts()
    return app


def build_window(
    recovery: RecoveryStore, preferences_file: Path, studio_file: Path, worker: Worker | None = None
) -> MainWindow:
    """A window on an empty job. Preferences and the studio are kept in the files named; `worker` as `Document`."""
    preferences = load_preferences(preferences_file)
    app = QApplication.instance()
    if isinstance(app, QApplication):
        apply_theme(app, THEMES[preferences.theme])
    loaded = _studio(studio_file)
    document = Document(loaded.studio if loaded else Studio(), preferences, recovery, worker=worker)
    document.studio_file = studio_file
    document.studio_keeper.begin(studio_file, is_stand_in=loaded is not None and loaded.is_stand_in)
    window = MainWindow(document, recovery.abandoned(), RecentPictures(recovery.folder.parent / "recent"))
    window.fill_menus(window_commands(window))
    document.setParent(window)
    if loaded and loaded.problem:
        document.refused.emit(loaded.problem)
    document.preferences_changed.connect(lambda: save_preferences(document.preferences, preferences_file))
    return window


def _studio(path: Path) -> LoadedStudio | None:
    """The studio in a file; None, and no database loaded, where there is no file yet."""
    if not path.exists():
        return None
    from kakushi.formats.store.studio_store import load_studio

    return load_studio(path)


def _hook_exceptions(window: MainWindow) -> None:
    """Report unexpected errors: say so, write a report, keep a copy of the job, and leave the job open."""

    def hook(kind: type[BaseException], error: BaseException, trace: TracebackType | None) -> None:
        lines = traceback.format_exception(kind, error, trace)
        sys.stderr.writelines(lines)
        recovery = window.document.recovery
        was_kept = window.document.is_dirty and recovery.keep_now()
        report = recovery.report(failure_report(lines))
        kept = "a copy of it was kept" if was_kept else "it has no unsaved changes"
        where = f" What happened is written down in “{report}”." if report else ""
        window.document.refused.emit(f"Something went wrong. Your job is still open, and {kept}.{where}")

    sys.excepthook = hook


def failure_report(lines: Sequence[str]) -> str:
    """What a report of a failure holds: versions and the trace, without the name of the user's folder."""
    trace = "".join(lines).replace(str(Path.home()), "~")
    return f"Kakushi {__version__}, Python {sys.version.split()[0]}, Qt {QT_VERSION_STR}\n\n{trace}"
