"""What the first window loads: counted in modules, never in seconds."""

from __future__ import annotations

from pathlib import Path

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
