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
    "man/man1": "kakushi.1",
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


class NotPossible(Exception):
    """Why it could not be done, in a sentence."""


def install(checkout: Path) -> None:
    """Write the files, replacing what is there under their names."""
    if any(ord(character) < 32 for character in str(checkout)):
        raise NotPossible("The folder of this checkout has a line end in its name; no launcher can start it.")
    source, home = checkout / "packaging", data_home()
    for folder, name in PLACES.items():
        if name.endswith(".svg"):
            data = (checkout / "src" / "kakushi" / "data" / "io.kakushi.Kakushi.svg").read_bytes()
        else:
            data = (source / name).read_bytes()
        if name.endswith(".desktop"):
            text = data.decode().replace("Exec=kakushi %f", f"Exec={quoted(str(checkout / 'start'))} %f")
            data = text.encode("utf-8", "surrogateescape")
        put(home / folder / name, data)
        print(f"Written: {shown(home / folder / name)}")
    refresh(home)


def put(target: Path, data: bytes) -> None:
    """Write a file under a name of its own, then give it its name: a link there is replaced, not written through."""
    try:
        target.parent.mkdir(parents=True, exist_ok=True)
        new = target.with_name(f".{target.name}.new")
        new.unlink(missing_ok=True)
        new.write_bytes(data)
        new.replace(target)
    except (FileExistsError, NotADirectoryError):
        above = (target.parent, *target.parent.parents)
        in_the_way = next((path for path in above if path.exists() and not path.is_dir()), target.parent)
        raise NotPossible(f"“{shown(in_the_way)}” is a file where a folder belongs.") from None
    except IsADirectoryError:
        new.unlink(missing_ok=True)
        raise NotPossible(f"“{shown(target)}” is a folder where a file belongs.") from None


def uninstall() -> None:
    """Remove the files; what is not there is no reason to stop."""
    home = data_home()
    for folder, name in PLACES.items():
        target = home / folder / name
        if target.is_dir() and not target.is_symlink():
            print(f"Left: {shown(target)} is a folder, and not one of ours.")
        elif os.path.lexists(target):
            target.unlink()
            print(f"Removed: {shown(target)}")
    refresh(home)
    tidy(home)


def tidy(home: Path) -> None:
    """Remove folders that hold nothing any more, and lists that the desktop made of what they held."""
    for folder in PLACES:
        path = home / folder
        while path != home and path.is_dir() and not path.is_symlink():
            left = list(path.iterdir())
            empty = [each for each in left if each.is_dir() and not each.is_symlink() and not any(each.iterdir())]
            if any(each.name not in MADE_OF_THEM and each not in empty for each in left):
                break
            for each in left:
                each.rmdir() if each in empty else each.unlink()
            path.rmdir()
            path = path.parent


MADE_OF_THEM = {
    "mimeinfo.cache", "icon-theme.cache", "XMLnamespaces", "aliases", "generic-icons", "globs", "globs2", "icons",
    "magic", "mime.cache", "subclasses", "treemagic", "types", "version",
}  # fmt: skip
"""What `update-desktop-database`, `update-mime-database` and `gtk-update-icon-cache` write beside the files."""


def shown(path: Path) -> str:
    """A path as it can be printed anywhere."""
    return str(path).encode("utf-8", "replace").decode("utf-8", "replace").replace("\n", "?")


def refresh(home: Path) -> None:
    """Let the desktop look again, with the tools that are there."""
    for folder, command in (
        ("applications", ["update-desktop-database"]),
        ("mime", ["update-mime-database"]),
        ("icons/hicolor", ["gtk-update-icon-cache", "--quiet", "--ignore-theme-index"]),
    ):
        if shutil.which(command[0]) and (home / folder).is_dir():
            subprocess.run([*command, str(home / folder)], check=False, capture_output=True)


def main() -> int:
    """Run as install or uninstall; the exit code."""
    try:
        match sys.argv[1:]:
            case ["install", checkout]:
                install(Path(checkout).resolve())
            case ["uninstall", _]:
                uninstall()
            case _:
                print("usage: integrate.py install|uninstall CHECKOUT", file=sys.stderr)
                return 2
    except NotPossible as why:
        print(f"kakushi: {why}", file=sys.stderr)
        return 1
    except OSError as error:
        where = f"“{shown(Path(error.filename))}”: " if isinstance(error.filename, str) else ""
        print(f"kakushi: {where}{(error.strerror or str(error)).lower()}.", file=sys.stderr)
        return 1
    return 0


if __name__ == "__main__":
    sys.exit(main())
