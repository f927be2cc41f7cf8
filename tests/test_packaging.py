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


def integrate(action: str, checkout: Path, home: Path) -> None:
    script = ROOT / "scripts" / "integrate.py"
    environment = {**os.environ, "XDG_DATA_HOME": str(home)}
    subprocess.run([sys.executable, script, action, str(checkout)], check=True, env=environment, capture_output=True)


def test_the_version_stands_in_one_place() -> None:
    project = tomllib.loads((ROOT / "pyproject.toml").read_text("utf-8"))
    assert project["tool"]["setuptools"]["dynamic"]["version"] == {"attr": "kakushi.__version__"}
    release = ElementTree.parse(METAINFO).getroot().find("releases/release")
    assert release.get("version") == kakushi.__version__


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
    checkout = tmp_path / 'a "checkout" with $pace 100%'
    (checkout / "src" / "kakushi" / "data").mkdir(parents=True)
    (checkout / "src" / "kakushi" / "data" / "kakushi.svg").write_text("<svg/>")
    (checkout / "packaging").symlink_to(ROOT / "packaging")
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
    integrate("uninstall", checkout, home)
    assert not [path for path in home.rglob("io.kakushi*") if path.is_file()]
    integrate("uninstall", checkout, home)
