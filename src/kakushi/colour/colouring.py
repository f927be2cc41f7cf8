"""All layers of a piece together: base pattern, motif, hand paint; and what colour every balloon has in the end."""

from __future__ import annotations

from collections.abc import Callable, Sequence

from kakushi.colour.layer_kind import NONE
from kakushi.colour.layer_table import kind_of, laid
from kakushi.colour.surface import Surface
from kakushi.model.groups import Row
from kakushi.model.layers import ColourLayer

Colouring = tuple[tuple[str, ...], ...]


def colour_rows(
    rows: Sequence[Row], surface: Surface, layers: Sequence[ColourLayer], fallback: str = NONE, painted: bool = True
) -> Colouring:
    """Colour keys in slot order for every row, foot first.

    Later layers cover earlier ones; a slot's own colour covers all of them unless not `painted`;
    `fallback` fills what is bare. A free mix leaves out what is covered.
    """
    shown = tuple(layer for layer in layers if layer.shown)
    paint = tuple(tuple((slot.colour or NONE) if painted else NONE for slot in row.slots) for row in rows)
    colours = [[fallback] * row.count for row in rows]
    for index, layer in enumerate(shown):
        _cover(colours, laid(layer, surface, _over(shown[index + 1 :], surface, paint)))
    _cover(colours, paint)
    return tuple(tuple(line) for line in colours)


def pattern_of(rows: Sequence[Row], surface: Surface, layers: Sequence[ColourLayer], fallback: str = NONE) -> Colouring:
    """What the layers say without any hand paint."""
    return colour_rows(rows, surface, layers, fallback, painted=False)


def rows_of_mix(rows: Sequence[Row], surface: Surface, layers: Sequence[ColourLayer]) -> tuple[bool, ...]:
    """For every row whether all its colours come from a free mix, so that any of its balloons may go anywhere."""
    shown = tuple(layer for layer in layers if layer.shown)
    if not any(kind_of(layer).mixes for layer in shown):
        return (False,) * len(rows)
    paint = tuple(tuple(slot.colour or NONE for slot in row.slots) for row in rows)
    mixes = [[NONE] * row.count for row in rows]
    for index, layer in enumerate(shown):
        lines = laid(layer, surface, _over(shown[index + 1 :], surface, paint))
        what = _MIXED if kind_of(layer).mixes else _FIXED
        _cover(mixes, [[what if colour else NONE for colour in line] for line in lines])
    _cover(mixes, [[_FIXED if colour else NONE for colour in line] for line in paint])
    return tuple(all(what == _MIXED for what in line) for line in mixes)


_MIXED, _FIXED = "mixed", "fixed"
"""What a balloon's colour comes from: a free mix, or something that puts it in its place."""


def _cover(colours: list[list[str]], over: Sequence[Sequence[str]]) -> None:
    for line, laid_on in zip(colours, over, strict=True):
        line[:] = [new or old for new, old in zip(laid_on, line, strict=True)]


def _over(above: tuple[ColourLayer, ...], surface: Surface, paint: Colouring) -> Callable[[], Sequence[Sequence[str]]]:
    """Colours that cover a layer: the layers above it and hand paint, without other mixes, which give way too."""

    def cover() -> Sequence[Sequence[str]]:
        colours: list[list[str]] = [[NONE] * n for n in surface.counts]
        for other in above:
            # Two mixes that gave way to each other would never end.
            if not kind_of(other).mixes:
                _cover(colours, laid(other, surface, lambda: paint))
        _cover(colours, paint)
        return colours

    return cover


def colour_conflicts(colouring: Colouring, surface: Surface) -> list[tuple[int, int]]:
    """Touching balloons of one colour, as pairs of balloon indices."""
    flat = [key for line in colouring for key in line]
    return [(int(a), int(b)) for a, b in surface.pairs if flat[a] == flat[b]]
