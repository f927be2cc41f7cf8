"""All layers of a piece together: base pattern, motif, hand paint; and what colour every balloon has in the end."""

from __future__ import annotations

from collections.abc import Sequence
from functools import lru_cache
from itertools import pairwise

import numpy as np

from kakushi.colour.mix import FREE, Mix, mended, mixed
from kakushi.colour.motif import laid_motif
from kakushi.colour.patterns import NONE, Lines, laid
from kakushi.colour.surface import Surface
from kakushi.model.groups import Row
from kakushi.model.layers import ColourLayer, MixLayer, MotifLayer

Colouring = tuple[tuple[str, ...], ...]
Pairs = tuple[tuple[int, ...], ...]


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
        _cover(colours, _laid(layer, surface, shown[index + 1 :], paint))
    _cover(colours, paint)
    return tuple(tuple(line) for line in colours)


def pattern_of(rows: Sequence[Row], surface: Surface, layers: Sequence[ColourLayer], fallback: str = NONE) -> Colouring:
    """What the layers say without any hand paint."""
    return colour_rows(rows, surface, layers, fallback, painted=False)


def _cover(colours: Lines, over: Sequence[Sequence[str]]) -> None:
    for line, laid_on in zip(colours, over, strict=True):
        line[:] = [new or old for new, old in zip(laid_on, line, strict=True)]


def _laid(
    layer: ColourLayer, surface: Surface, above: tuple[ColourLayer, ...], paint: Colouring
) -> Sequence[Sequence[str]]:
    if isinstance(layer, MixLayer):
        return _laid_mix(layer, surface, above, paint)
    if isinstance(layer, MotifLayer):
        return laid_motif(layer, surface)
    return laid(layer, surface)


@lru_cache(maxsize=64)
def _laid_mix(layer: MixLayer, surface: Surface, above: tuple[ColourLayer, ...], paint: Colouring) -> Colouring:
    """The mix in all balloons; those that are covered count with the colour that covers them."""
    keys = list(dict.fromkeys(share.colour for share in layer.shares))
    parts = [sum(share.parts for share in layer.shares if share.colour == key) for key in keys]
    cover: Lines = [[NONE] * n for n in surface.counts]
    for other in above:
        if not isinstance(other, MixLayer):
            _cover(cover, _laid(other, surface, (), paint))
    _cover(cover, paint)
    pinned = np.array(
        [FREE if not key else (keys.index(key) if key in keys else len(keys)) for line in cover for key in line],
        dtype=int,
    )
    mix = _free_mix(surface, tuple(parts), layer.seed)
    if (pinned != FREE).any():
        mix = mended(mix, surface.pairs, parts, layer.seed, pinned)
    names = [*keys, NONE]
    each = [names[min(int(i), len(keys))] for i in mix.colours]
    return tuple(tuple(each[a:b]) for a, b in pairwise(surface.firsts))


def _free_mix(surface: Surface, parts: tuple[float, ...], seed: int) -> Mix:
    touching, beside = (tuple(map(tuple, pairs.tolist())) for pairs in (surface.pairs, surface.beside))
    return _mixed_once(sum(surface.counts), touching, beside, parts, seed)


@lru_cache(maxsize=64)
def _mixed_once(size: int, touching: Pairs, beside: Pairs, parts: tuple[float, ...], seed: int) -> Mix:
    """The mix hangs on who touches whom only: a little more or less air leaves it."""
    return mixed(
        size, np.array(touching, dtype=int).reshape(-1, 2), parts, seed, np.array(beside, dtype=int).reshape(-1, 2)
    )


def colour_conflicts(colouring: Colouring, surface: Surface) -> list[tuple[int, int]]:
    """Touching balloons of one colour, as pairs of balloon indices."""
    flat = [key for line in colouring for key in line]
    return [(int(a), int(b)) for a, b in surface.pairs if flat[a] == flat[b]]
