"""What is known of a kind of colour layer, as one record; each kind fills it in a module of its own."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from typing import Generic, NamedTuple, TypeVar

from kakushi.colour.surface import Surface
from kakushi.model.layers import Side

L = TypeVar("L")
NONE = ""
"""Colour key of a balloon a layer leaves alone."""
Lines = Sequence[Sequence[str]]
"""Colour keys in slot order for every row, foot first."""


class Palette(NamedTuple):
    """Colour keys to begin a new layer with: two that are used, one that is not, a third; and the side that is seen."""

    first: str
    second: str
    accent: str
    third: str
    side: Side


@dataclass(frozen=True, slots=True, kw_only=True)
class LayerKind(Generic[L]):
    """A kind of layer. Functions take a layer of that kind.

    `explained`: what it does, in one or two sentences; `made(palette)`: a new one; `colours(layer)`: the keys it uses;
    `said(layer)`: what tells it from others of its kind, "" where the number of colours does;
    `laid(layer, surface, cover)`: a colour key for every balloon, NONE where it lays nothing; `cover()` tells what
    lies over it, for kinds that make room for that.
    `climbs`: it has a hand, so that a row out of step is a fault; `mixes`: touching balloons should differ.
    """

    value: type[L]
    explained: str
    made: Callable[[Palette], L]
    colours: Callable[[L], Sequence[str]]
    laid: Callable[[L, Surface, Callable[[], Lines]], Lines]
    said: Callable[[L], str] = lambda _layer: ""
    climbs: bool = False
    mixes: bool = False
