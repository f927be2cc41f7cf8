"""Free mixes: exact shares, as few touching balloons alike as can be; what is covered is worked round."""

from __future__ import annotations

from collections.abc import Callable
from functools import lru_cache
from itertools import pairwise

import numpy as np

from kakushi.colour.layer_kind import NONE, LayerKind, Lines, Palette
from kakushi.colour.mix import FREE, Mix, mended, mixed
from kakushi.colour.surface import Surface
from kakushi.model.layers import MixLayer, Share

Pairs = tuple[tuple[int, ...], ...]


def laid(layer: MixLayer, surface: Surface, cover: Callable[[], Lines]) -> Lines:
    """The mix in all balloons; those that are covered count with the colour that covers them."""
    return _laid(layer, surface, tuple(tuple(line) for line in cover()))


@lru_cache(maxsize=64)
def _laid(layer: MixLayer, surface: Surface, cover: tuple[tuple[str, ...], ...]) -> tuple[tuple[str, ...], ...]:
    keys = list(dict.fromkeys(share.colour for share in layer.shares))
    parts = [sum(share.parts for share in layer.shares if share.colour == key) for key in keys]
    pinned = np.array(
        [FREE if not key else (keys.index(key) if key in keys else len(keys)) for line in cover for key in line],
        dtype=int,
    )
    mix = _free_mix(surface, tuple(parts), layer.seed)
    # Mended, not mixed anew: a painted balloon must not change the rest of the piece.
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


def _made(palette: Palette) -> MixLayer:
    keys = dict.fromkeys((palette.first, palette.second, palette.third))
    return MixLayer(shares=tuple(Share(colour=key, parts=1) for key in keys))


KIND = LayerKind(
    value=MixLayer,
    explained="Exact shares, no two touching balloons alike where that can be.",
    made=_made,
    colours=lambda layer: [share.colour for share in layer.shares],
    laid=laid,
    mixes=True,
)
