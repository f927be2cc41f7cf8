"""What the first window loads: counted in modules, never in seconds."""

from __future__ import annotations

from pathlib import Path

from driving import words
from kakushi.desktop.app import open_when_loaded
from kakushi.formats.store.job_file import save_job
from kakushi.model.job import Job
from kakushi.model.piece import Piece
from test_start import loaded_by

AFTER_WINDOW = """
import pathlib, sys
from kakushi.desktop.app import build_application, build_window
from kakushi.formats.store.recovery import RecoveryStore
app = build_application(["kakushi"])
folder = pathlib.Path(sys.argv[1])
window = build_window(RecoveryStore(folder / "r"), folder / "p.json", folder / "s.sqlite3")
print(" ".join(sys.modules), flush=True)
window.files.ask_unsaved = lambda: "discard"
window.close()
"""


def test_the_first_window_loads_no_solver_no_print_no_picture_library(tmp_path: Path) -> None:
    loaded = loaded_by("-c", AFTER_WINDOW, str(tmp_path))
    late = {"numpy", "scipy.optimize", "scipy.linalg", "reportlab", "skimage", "sqlalchemy", "openpyxl", "pyqtgraph"}
    assert loaded.isdisjoint(late)
    assert "kakushi.packing.settle" not in loaded


def test_a_job_named_at_the_start_is_opened_once_its_tools_stand(make_window, qtbot, tmp_path: Path) -> None:
    job = Job(pieces=(Piece(key=1, name="Gate"),))
    save_job(job, tmp_path / "quay.kakushi")
    window = make_window()
    open_when_loaded(window, "“quay.kakushi”", lambda: window.files.load(tmp_path / "quay.kakushi"))
    assert "Opening “quay.kakushi”…" in words(window.start_page)
    assert not window.start_page.add.isVisible()
    qtbot.waitUntil(lambda: window.document.job == job, timeout=20_000)
    assert window.host.is_built("shape")
    missing = make_window()
    open_when_loaded(missing, "“gone.kakushi”", lambda: missing.files.load(tmp_path / "gone.kakushi"))
    qtbot.waitUntil(missing.start_page.add.isVisible, timeout=20_000)
    assert "Opening" not in words(missing.start_page)
