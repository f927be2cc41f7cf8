"""Ties between rows that are no neighbours: where strands meet, or are held."""

from __future__ import annotations

from typing import Literal

from kakushi.model.limits import Key
from kakushi.model.values import Value

Mount = Literal["pole top", "floor", "wall", "hook above"]


class Tie(Value):
    """A strip that joins a row (key) to another one (key), or to a mount where `other` is None.

    `loose`: tied with room, so that the joint can still be bent.
    """

    row: Key
    other: Key | None = None
    mount: Mount = "floor"
    loose: bool = False
