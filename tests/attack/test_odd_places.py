"""Time zones, languages and homes as odd as they come."""

from __future__ import annotations

import os
import subprocess
import sys
from pathlib import Path

import pytest

from kakushi.formats.store.job_file import save_job
from kakushi.model.groups import RowsGroup, uniform_row
from kakushi.model.job import Job
from kakushi.model.piece import Piece

_IN_A_WINDOW = """
import sys
from kakushi.desktop.app import build_application, build_window
from kakushi.formats.store.paths import preferences_path, recovery_folder, studio_path
from kakushi.formats.store.recovery import RecoveryStore
from kakushi.model.catalogue import Studio
from kakushi.session import edits
app = build_application(["kakushi"])
said = []
window = build_window(RecoveryStore(recovery_folder()), preferences_path(), studio_path())
window.document.refused.connect(said.append)
window.show()
window.document.apply(edits.add_new_piece(1))
window.document.set_preferences(theme="dark")
window.document.set_studio(Studio(sizing_scatter_mm=3.0))
window.document.recovery.keep_now()
for stage in ("brief", "build", "shape"):
    window.show_stage(stage)
    app.processEvents()
window.files.ask_unsaved = lambda: "discard"
window.close()
app.processEvents()
print("fine", said)
sys.stdout.flush()
import os
os._exit(0)
"""
_ODD = {
    "a zone and a language that do not exist, no home": {
        "TZ": ":No/Such_Zone", "LC_ALL": "xx_YY.UTF-8", "LANGUAGE": "xx", "HOME": None, "USER": None, "LOGNAME": None,
    },
    "plain C, a home that does not exist": {
        "TZ": "XXX-13:45", "LC_ALL": "C", "HOME": "/no/such/home", "XDG_DATA_HOME": "", "XDG_CONFIG_HOME": "",
    },
    "Turkish letters, a home that is a file, folders that are relative": {
        "LC_ALL": "tr_TR.UTF-8", "HOME": "FILE", "XDG_DATA_HOME": "here/and/there", "XDG_CONFIG_HOME": ".",
    },
}  # fmt: skip


@pytest.mark.parametrize("place", _ODD)
def test_commands_and_window_work_in_odd_places(place: str, tmp_path: Path) -> None:
    (tmp_path / "file").write_text("")
    group = RowsGroup(rows=(uniform_row(1, 4, 11, 230.0),))
    save_job(Job(pieces=(Piece(key=1, name="Small", groups=(group,)),)), tmp_path / "small.kakushi")
    odd = {name: value if value != "FILE" else str(tmp_path / "file") for name, value in _ODD[place].items()}
    # Nothing of the home of whoever runs this is touched.
    own = {f"XDG_{what}_HOME": str(tmp_path / what.lower()) for what in ("STATE", "DATA", "CONFIG")}
    environment = {**os.environ, **own, "QT_QPA_PLATFORM": "offscreen", **odd}
    environment = {name: value for name, value in environment.items() if value is not None}
    done = {}
    for what, arguments in (
        ("command", ["-m", "kakushi", "steps", str(tmp_path / "small.kakushi"), "--json"]),
        ("window", ["-c", _IN_A_WINDOW]),
    ):
        done[what] = subprocess.run(
            [sys.executable, *arguments], env=environment, cwd=tmp_path, capture_output=True, text=True, check=False
        )
        assert "Traceback" not in done[what].stderr, done[what].stderr
        assert done[what].returncode == 0, done[what].stderr
    assert done["command"].stdout.startswith(("{", "["))
    assert done["window"].stdout.startswith("fine")
