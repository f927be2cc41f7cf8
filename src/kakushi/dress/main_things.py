"""The main things of a piece, like a toy, a board, words or a motif, and how much of them each eye sees."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from kakushi.dress.shows import SeenThing, Visible
from kakushi.model.arrays import Floats
from kakushi.model.memo import Cancelled, never, stop_if
from kakushi.sight.eyes import Eye, sight

_PIXEL_MM = 4.0
"""Pixel, mm, at which things are looked at: a hand's width has 25 of them."""
_LEAST_SHARE = 0.1
"""Of what the eye sees most of a thing that sees it best: an eye that could see less does not look at it."""
_MOST_RAYS = 400
"""Most rays from an eye to a thing: one stands for a quarter of a per cent."""
_MOST_LINES = 800
"""Most lines of pixels, so that a large thing is looked at as quickly."""


@dataclass(frozen=True, slots=True, eq=False)
class MainThing:
    """A thing that is to stay in sight: what it is called, and what is drawn of it, (k, 3) and (k,) mm."""

    name: str
    centres: Floats
    radii: Floats


def seen_things(
    things: Sequence[MainThing],
    eyes: Sequence[Eye],
    before: Sequence[tuple[Floats, Floats]],
    cancelled: Cancelled = never,
) -> tuple[SeenThing, ...]:
    """How much of each thing each eye sees, of what it would see without anything before it. Raises Cancelled.

    `before`: for each thing the centres (n, 3) and radii (n,) of everything else, mm.
    """
    found = []
    for thing, others in zip(things, before, strict=True):
        looks = []
        for eye in eyes:
            stop_if(cancelled)
            visible, alone = _look(thing, eye, others)
            looks.append((float(visible.weights.sum()), alone))
        best = max((alone for _, alone in looks), default=0.0)
        shares = tuple(seen / alone if alone > _LEAST_SHARE * best > 0 else None for seen, alone in looks)
        found.append(SeenThing(thing.name, shares))
    return tuple(found)


def looks_at(
    things: Sequence[MainThing], eyes: Sequence[Eye], before: Sequence[tuple[Floats, Floats]]
) -> list[Visible]:
    """What every eye that looks at a thing sees of it, the rays thinned out; weights of each look together 1."""
    looks = []
    for thing, others in zip(things, before, strict=True):
        seen = [_look(thing, eye, others) for eye in eyes]
        best = max((alone for _, alone in seen), default=0.0)
        for visible, alone in seen:
            if alone <= _LEAST_SHARE * best or not len(visible.weights):
                continue
            every = np.linspace(0, len(visible.weights) - 1, min(len(visible.weights), _MOST_RAYS)).astype(int)
            weights = visible.weights[every]
            looks.append(Visible(visible.origin, visible.rays[every], visible.ends[every], weights / weights.sum()))
    return looks


def _look(thing: MainThing, eye: Eye, others: tuple[Floats, Floats]) -> tuple[Visible, float]:
    """What an eye sees of a thing, and how much it would see without the others, mm²."""
    local = eye.local(thing.centres)
    # On the plane through the pole what is nearer is seen larger.
    scale = eye.distance_mm / np.maximum(local[:, 1] - thing.radii, eye.distance_mm / 10)
    half = float((np.abs(local[:, 0]) + thing.radii).max() * scale.max()) + _PIXEL_MM
    up = np.concatenate([local[:, 2] - thing.radii, local[:, 2] + thing.radii]) * np.tile(scale, 2)
    window = (half, eye.height_mm + float(up.min()) - _PIXEL_MM, eye.height_mm + float(up.max()) + _PIXEL_MM)
    pixel = max(_PIXEL_MM, (window[2] - window[1]) / _MOST_LINES, 2 * half / _MOST_LINES)
    bare = sight(eye, thing.centres, thing.radii, (), window, pixel)
    dressed = bare.behind(*others, first=len(thing.radii))
    met = (dressed.identity >= 0) & (dressed.identity < len(thing.radii))
    rays, ends = dressed.rays[met], dressed.distance[met]
    turned = eye.world(rays) - eye.world(np.zeros((1, 3)))
    areas = dressed.pixel[0] * dressed.pixel[1] * ends**2
    return Visible(eye.place, turned, ends, areas), float(bare.areas().sum())
