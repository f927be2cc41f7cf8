"""What is loaded when: counted in modules, never in seconds."""

from __future__ import annotations

import subprocess
import sys
from pathlib import Path

import pytest

AFTER_WINDOW = """
import pathlib, sys
from kakushi.desktop.app import build_application, build_window
from kakushi.formats.recovery import RecoveryStore
app = build_application(["kakushi"])
folder = pathlib.Path(sys.argv[1])
window = build_window(RecoveryStore(folder / "r"), folder / "p.json", folder / "s.sqlite3")
print(" ".join(sys.modules), flush=True)
window.files.ask_unsaved = lambda: "discard"
window.close()
"""


def loaded_by(*arguments: str) -> set[str]:
    """Modules that a Python process says it has loaded, on its last line."""
    done = subprocess.run([sys.executable, *arguments], capture_output=True, text=True, check=True)
    return set(done.stdout.strip().splitlines()[-1].split())


@pytest.mark.parametrize("flag", ["--help", "--version"])
def test_help_and_version_load_neither_arrays_nor_values_nor_qt(flag: str) -> None:
    script = (
        "import atexit, sys; atexit.register(lambda: print('\\n' + ' '.join(sys.modules)));"
        f"sys.argv[1:] = ['{flag}']; from kakushi.__main__ import main; main()"
    )
    assert loaded_by("-c", script).isdisjoint({"numpy", "scipy", "pydantic", "PyQt6", "sqlalchemy", "PIL"})


def test_the_first_window_loads_no_solver_no_print_no_picture_library(tmp_path: Path) -> None:
    loaded = loaded_by("-c", AFTER_WINDOW, str(tmp_path))
    late = {"numpy", "scipy.optimize", "scipy.linalg", "reportlab", "skimage", "sqlalchemy", "openpyxl", "pyqtgraph"}
    assert loaded.isdisjoint(late)
    assert "kakushi.packing.settle" not in loaded
