"""Colours that a piece names, counted and exchanged: in layers, hand paint, balls, links and parts."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterator, Mapping
from typing import Any

from kakushi.model.piece import Piece

_COLOUR_FIELDS = frozenset({"colour", "inner_colour", "middle_colour", "colours", "lanes", "cells"})
"""Fields of a piece that hold keys of colours."""


def with_colours(piece: Piece, instead: Mapping[str, str]) -> Piece:
    """A piece with other colours: keys given `instead` of some keys."""
    return Piece.model_validate(_with(piece.model_dump(), instead, ""))


def _with(value: Any, instead: Mapping[str, str], field: str) -> Any:
    if isinstance(value, dict):
        return {name: _with(inner, instead, name) for name, inner in value.items()}
    if isinstance(value, list | tuple):
        return [_with(inner, instead, field) for inner in value]
    return instead.get(value, value) if field in _COLOUR_FIELDS and isinstance(value, str) else value


def colours_named(piece: Piece) -> Counter[str]:
    """How often a piece names each colour."""
    return Counter(_named(piece.model_dump(), ""))


def _named(value: Any, field: str) -> Iterator[str]:
    if isinstance(value, dict):
        for name, inner in value.items():
            yield from _named(inner, name)
    elif isinstance(value, list | tuple):
        for inner in value:
            yield from _named(inner, field)
    elif field in _COLOUR_FIELDS and isinstance(value, str) and value:
        yield value
