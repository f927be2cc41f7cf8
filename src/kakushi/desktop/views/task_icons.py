"""Icons of the tasks before an event: the same in the strip of days and in the list under it."""

from __future__ import annotations

from collections.abc import Mapping
from functools import lru_cache

from PyQt6.QtGui import QIcon

from kakushi.building.tasks import Task
from kakushi.desktop.widgets.icons import icon

_ICONS: Mapping[str, str] = {
    "shop": "shopping-cart",
    "cut": "scissors",
    "paint": "paintbrush",
    "dry": "hourglass",
    "glue": "droplet",
    "set": "hourglass",
    "inflate": "wind",
    "build": "layers",
    "pack": "package",
    "bag": "package",
    "load tools": "package-open",
    "load pieces": "package-open",
    "drive": "truck",
    "drive and back": "truck",
    "set up": "flag",
}


def task_icon(task: Task, ink: str) -> QIcon:
    """The icon of a task in a colour (hex)."""
    return _drawn(_ICONS[task.what], ink)


@lru_cache(maxsize=64)
def _drawn(name: str, ink: str) -> QIcon:
    return icon(name, ink)
