"""What is installed beside the package: launcher, file type, AppStream data, one version."""

from __future__ import annotations

import os
import re
import subprocess
import sys
import tomllib
from configparser import ConfigParser
from pathlib import Path

from defusedxml import ElementTree

import kakushi

ROOT = Path(__file__).parents[1]
METAINFO = ROOT / "packaging" / "io.kakushi.Kakushi.metainfo.xml"


def integrate(action: str, checkout: Path, home: Path) -> str:
    """What it says on standard error; nothing where it went well."""
    script = ROOT / "scripts" / "integrate.py"
    environment = {**os.environ, "XDG_DATA_HOME": str(home)}
    command = [sys.executable, script, action, checkout]
    done = subprocess.run(command, env=environment, capture_output=True, text=True, check=False)
    assert (done.returncode == 0) == (not done.stderr), done.stderr
    return done.stderr


def made_checkout(folder: Path) -> Path:
    (folder / "src" / "kakushi" / "data").mkdir(parents=True)
    (folder / "src" / "kakushi" / "data" / "io.kakushi.Kakushi.svg").write_text("<svg/>")
    (folder / "packaging").symlink_to(ROOT / "packaging")
    return folder


def test_the_version_stands_in_one_place() -> None:
    project = tomllib.loads((ROOT / "pyproject.toml").read_text("utf-8"))
    assert project["tool"]["setuptools"]["dynamic"]["version"] == {"attr": "kakushi.__version__"}
    release = ElementTree.parse(METAINFO).getroot().find("releases/release")
    assert release.get("version") == kakushi.__version__


def test_a_wheel_carries_what_a_desktop_needs() -> None:
    project = tomllib.loads((ROOT / "pyproject.toml").read_text("utf-8"))
    carried = project["tool"]["setuptools"]["data-files"]
    packaged = {path for paths in carried.values() for path in paths}
    assert {f"packaging/{path.name}" for path in METAINFO.parent.iterdir()} <= packaged
    assert all((ROOT / path).is_file() for path in packaged)


def test_appstream_names_what_is_there() -> None:
    root = ElementTree.parse(METAINFO).getroot()
    name = root.findtext("id")
    assert root.findtext("launchable") == f"{name}.desktop"
    assert (METAINFO.parent / f"{name}.desktop").is_file()
    assert len(root.findtext("summary")) < 80
    pictures = [image.text.partition(".invalid/")[2] for image in root.iter("image")]
    assert pictures
    assert all((ROOT / picture).is_file() for picture in pictures)


def test_installing_writes_a_launcher_that_starts_this_checkout_and_uninstalling_leaves_nothing(tmp_path: Path) -> None:
    checkout = made_checkout(tmp_path / 'a "checkout" with $pace 100%')
    home = tmp_path / "home data"
    integrate("install", checkout, home)
    launcher = ConfigParser(interpolation=None)
    launcher.optionxform = str
    launcher.read(home / "applications" / "io.kakushi.Kakushi.desktop")
    line = launcher["Desktop Entry"]["Exec"].replace("\\\\", "\\").replace("%%", "%")
    quoted, argument = re.fullmatch(r'"((?:[^"\\]|\\.)*)" (.*)', line).groups()
    assert (Path(re.sub(r"\\(.)", r"\1", quoted)), argument) == (checkout / "start", "%f")
    written = [path for path in home.rglob("io.kakushi*") if path.is_file()]
    assert len(written) == 4
    assert (home / "man" / "man1" / "kakushi.1").read_text().startswith(".TH KAKUSHI 1")
    others = home / "applications" / "other.desktop"
    others.write_text("[Desktop Entry]")
    assert not integrate("uninstall", checkout, home)
    assert [path for path in home.rglob("*") if path.is_file() and path.name != "mimeinfo.cache"] == [others]
    others.unlink()
    assert not integrate("uninstall", checkout, home)
    assert not list(home.iterdir()), "nothing is left behind"


def test_what_is_in_the_way_of_installing_is_said_in_a_sentence_and_links_are_not_written_through(tmp_path: Path):
    checkout, home = made_checkout(tmp_path / "checkout"), tmp_path / "home"
    home.mkdir()
    (home / "mime").write_text("a file")
    assert integrate("install", checkout, home).endswith("home/mime” is a file where a folder belongs.\n")
    (home / "mime").unlink()
    launcher = home / "applications" / "io.kakushi.Kakushi.desktop"
    launcher.unlink()
    launcher.mkdir()
    assert integrate("install", checkout, home).endswith("Kakushi.desktop” is a folder where a file belongs.\n")
    launcher.rmdir()
    precious = tmp_path / "precious"
    precious.write_text("precious")
    launcher.symlink_to(precious)
    assert not integrate("install", checkout, home)
    assert precious.read_text() == "precious"
    assert not launcher.is_symlink()
    launcher.unlink()
    launcher.symlink_to(tmp_path / "nowhere")
    assert not integrate("uninstall", checkout, home)
    assert not list(home.iterdir())
    assert "line end in its name" in integrate("install", made_checkout(tmp_path / "two\nlines"), home)
    (tmp_path / "file").write_text("")
    assert integrate("install", checkout, tmp_path / "file").endswith("/file” is a file where a folder belongs.\n")
