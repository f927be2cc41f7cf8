"""Where files of the program and of its user lie."""

from __future__ import annotations

from importlib.resources import files
from pathlib import Path

import platformdirs

_APP = "kakushi"


def data_path(*parts: str) -> Path:
    """A file shipped with the program."""
    return Path(str(files("kakushi"))).joinpath("data", *parts)


def preferences_path() -> Path:
    """The preferences file of this user."""
    return platformdirs.user_config_path(_APP) / "preferences.json"


def studio_path() -> Path:
    """The studio's own data: catalogue, measured packings, outlines."""
    return platformdirs.user_data_path(_APP) / "studio.sqlite3"


def recipes_folder() -> Path:
    """The studio's shelf of recipes."""
    return platformdirs.user_data_path(_APP) / "recipes"


def shipped_recipes() -> Path:
    """The recipes that come with the program."""
    return data_path("recipes")


def recovery_folder() -> Path:
    """Where recovery copies are kept."""
    return platformdirs.user_state_path(_APP) / "recovery"


def demo_job_path() -> Path:
    """The Lantern Quay demo job."""
    return data_path("demo", "lantern-quay.kakushi")


def start_pictures() -> Path:
    """Pictures of the start page's cards, one for each recipe that ships with the program."""
    return data_path("start")


def manual_folder() -> Path:
    """The pages of the manual with their pictures."""
    return data_path("manual")
