"""What is loaded when: counted in modules, never in seconds."""

from __future__ import annotations

import subprocess
import sys

import pytest


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
