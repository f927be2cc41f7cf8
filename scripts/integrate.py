"""Put Kakushi into a user's desktop, or take it away: launcher, icon, file type, AppStream data.

./start --install and ./start --uninstall run this; it needs nothing but Python.
"""

from __future__ import annotations

import os
import shutil
import subprocess
import sys
from pathlib import Path

APP_ID = "io.kakushi.Kakushi"
PLACES = {
    "applications": f"{APP_ID}.desktop",
    "icons/hicolor/scalable/apps": f"{APP_ID}.svg",
    "mime/packages": f"{APP_ID}.xml",
    "metainfo": f"{APP_ID}.metainfo.xml",
}
"""Folders below XDG_DATA_HOME, and the file in each."""


def data_home() -> Path:
    """Where this user's data lies (XDG base directories)."""
    told = os.environ.get("XDG_DATA_HOME", "")
    return Path(told) if told.startswith("/") else Path.home() / ".local" / "share"


def quoted(word: str) -> str:
    """A word of an Exec line in quotes: these characters behind a backslash, percents doubled.

    Backslashes are written twice, since values of a launcher are unescaped once before (Desktop Entry Specification).
    """
    for character in '\\"`$':
        word = word.replace(character, "\\" + character)
    return '"' + word.replace("\\", "\\\\").replace("%", "%%") + '"'


def install(checkout: Path) -> None:
    """Write the files, overwriting earlier ones of ours."""
    source, home = checkout / "packaging", data_home()
    for folder, name in PLACES.items():
        target = home / folder / name
        target.parent.mkdir(parents=True, exist_ok=True)
        if name.endswith(".svg"):
            shutil.copyfile(checkout / "src" / "kakushi" / "data" / "kakushi.svg", target)
            continue
        text = (source / name).read_text("utf-8")
        if name.endswith(".desktop"):
            text = text.replace("Exec=kakushi %f", f"Exec={quoted(str(checkout / 'start'))} %f")
        target.write_text(text, "utf-8")
        print(f"Written: {target}")
    refresh(home)


def uninstall() -> None:
    """Remove the files; what is not there is no reason to stop."""
    home = data_home()
    for folder, name in PLACES.items():
        target = home / folder / name
        if target.exists():
            target.unlink()
            print(f"Removed: {target}")
    refresh(home)


def refresh(home: Path) -> None:
    """Let the desktop look again, with the tools that are there."""
    for command in (
        ["update-desktop-database", str(home / "applications")],
        ["update-mime-database", str(home / "mime")],
        ["gtk-update-icon-cache", "--quiet", "--ignore-theme-index", str(home / "icons" / "hicolor")],
    ):
        if shutil.which(command[0]):
            subprocess.run(command, check=False, capture_output=True)


def main() -> int:
    """Run as install or uninstall; the exit code."""
    match sys.argv[1:]:
        case ["install", checkout]:
            install(Path(checkout).resolve())
        case ["uninstall", _]:
            uninstall()
        case _:
            print("usage: integrate.py install|uninstall CHECKOUT", file=sys.stderr)
            return 2
    return 0


if __name__ == "__main__":
    sys.exit(main())
