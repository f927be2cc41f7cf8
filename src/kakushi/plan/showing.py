"""What shows of a planned piece's mechanics, and filler clusters placed where they hide most of it."""

from __future__ import annotations

import dataclasses
from collections.abc import Callable, Iterator, Sequence

import numpy as np
from numpy.typing import NDArray

from kakushi.colour.colouring import pattern_of
from kakushi.colour.rgb import luma
from kakushi.dress.collars import PlacedRing, place_ring
from kakushi.dress.kinds.fillers import STRIP_SHARE
from kakushi.dress.main_things import MainThing, looks_at, seen_things
from kakushi.dress.placing import PlacedClusters, SettledColumn, Sketch, place_fillers
from kakushi.dress.shows import Showing, eyes_of, mechanics_of, what_shows
from kakushi.dress.table import kind_of, name_of, sized_mm
from kakushi.model.arrays import Floats
from kakushi.model.catalogue import BalloonColour
from kakushi.model.groups import BallGroup, rows_groups
from kakushi.model.layers import MotifLayer
from kakushi.model.memo import Cancelled, never, remembered
from kakushi.model.parts import Collar, Extended, Fillers, Fixing
from kakushi.packing.groups.table import wrappings_of
from kakushi.plan.dressing import seated_fillers
from kakushi.plan.geometry import group_ranges
from kakushi.plan.values import PiecePlan
from kakushi.plan.words_on_balloons import words_on_balloons


@remembered(32, lambda piece_plan: len(piece_plan.geometry.radii))
def showing_of(piece_plan: PiecePlan, *, cancelled: Cancelled = never) -> Showing:
    """What shows of a piece from its eyes, as it is dressed. Raises `errors.Cancelled`."""
    drawn = piece_plan.drawn
    shown = _shown(piece_plan, np.ones(len(drawn.radii), dtype=bool), cancelled)
    things, before = main_things(piece_plan)
    return dataclasses.replace(shown, things=seen_things(things, shown.eyes, before, cancelled))


def main_things(
    piece_plan: PiecePlan, without: int | None = None
) -> tuple[list[MainThing], list[tuple[Floats, Floats]]]:
    """The things of a piece that are to stay in sight, and for each what else is drawn: centres and radii, mm.

    Parts that are marked or usually are, the balloon that words are on, and the balloons of motifs. `without`: key of a
    part that is left out.
    """
    drawn, listed = piece_plan.drawn, piece_plan.drawn_parts
    owner = np.full(len(drawn.radii), -1)
    owner[len(owner) - sum(count for _, count in listed) :] = np.repeat(
        [part.key for part, _ in listed], [count for _, count in listed]
    )
    kept = owner != without if without is not None else np.ones(len(owner), dtype=bool)
    lettered = {words.balloon for words in words_on_balloons(piece_plan)}
    found = []
    for part in piece_plan.piece.parts:
        is_main = getattr(part, "in_sight", None)
        if is_main if is_main is not None else kind_of(part).is_main:
            found.append((name_of(part), owner == part.key))
    found += [("words", np.arange(len(owner)) == balloon) for balloon in sorted(lettered)]
    found += [("motif", mask)] if (mask := _motif(piece_plan, len(owner))).any() else []
    things, before = [], []
    # Of the links of a frame only the thickest ball is among what is drawn.
    links = [frame.bodies for _, frame in piece_plan.assembly.frames]
    for name, mask in found:
        if mask.any():
            things.append(MainThing(name, drawn.centres[mask], drawn.shape_radii[mask]))
            others = kept & ~mask
            before.append(
                (
                    np.concatenate([drawn.centres[others], *(centres for centres, _ in links)]),
                    np.concatenate([drawn.shape_radii[others], *(radii for _, radii in links)]),
                )
            )
    return things, before


def _motif(piece_plan: PiecePlan, balloons: int) -> NDArray[np.bool_]:
    """Which drawn balloons of rows a motif colours, (n,)."""
    piece, mask = piece_plan.piece, np.zeros(balloons, dtype=bool)
    motifs = [layer for layer in piece.layers if isinstance(layer, MotifLayer) and layer.shown]
    if not motifs:
        return mask
    plain = tuple(layer for layer in piece.layers if layer not in motifs)
    without = pattern_of(piece.rows, piece_plan.surface, plain, piece_plan.fallback)
    whole = pattern_of(piece.rows, piece_plan.surface, piece.layers, piece_plan.fallback)
    place = 0
    for now, then in zip(whole, without, strict=True):
        for slot, (shown, plainly) in enumerate(zip(now, then, strict=True)):
            mask[place + slot] = shown != plainly
        place += len(now)
    return mask


def _shown(piece_plan: PiecePlan, there: np.ndarray, cancelled: Cancelled) -> Showing:
    piece, drawn = piece_plan.piece, piece_plan.drawn
    ranges, strips = group_ranges(piece), list(_strips(piece_plan))
    mechanics = mechanics_of(piece, piece_plan.geometry, ranges, strips, bare_pole(piece_plan))
    balloons = drawn.centres[there], drawn.shape_radii[there]
    return what_shows(mechanics, eyes_of(piece), piece_plan.geometry, balloons, cancelled=cancelled)


def bare_pole(piece_plan: PiecePlan) -> list[tuple[float, float]]:
    """Lengths of pole that no balloons stand round, from and to, mm above the floor: below groups, between and above.

    Each is told from knot to knot, since what shows of a pole goes on between the balloons beside it. What is wrapped
    is left out; above the last group the pole counts as far as it is known to go.
    """
    piece, assembly = piece_plan.piece, piece_plan.assembly
    knots = assembly.rows.knots
    if not piece.frame.has_pole or not len(knots):
        return []
    places = [place for place, group in rows_groups(piece.groups) if group.rows]
    ranges = [r for r in group_ranges(piece) if len(r)]
    # Lowest and highest point, first and last knot of everything on the pole, what wraps it included.
    on_pole = [
        (*assembly.spans[place], float(knots[r.start]), float(knots[r.stop - 1]))
        for place, r in zip(places, ranges, strict=True)
    ]
    others = [k for k, group in enumerate(piece.groups) if isinstance(group, BallGroup)]
    others += [place for place, wrapped in wrappings_of(piece.groups) if wrapped.style != "none"]
    on_pole += [(*assembly.spans[place], *assembly.spans[place]) for place in others]
    low, knot = piece.frame.base_height_mm, piece.frame.base_height_mm
    bare = []
    for bottom, top, first, last in sorted(on_pole):
        if bottom - low > _LEAST_BARE_MM:
            bare.append((knot, first))
        low, knot = (top, last) if top > low else (low, knot)
    if assembly.pole_end - low > _LEAST_BARE_MM:
        bare.append((knot, assembly.pole_end))
    return bare


def _strips(piece_plan: PiecePlan) -> Iterator[tuple[Floats, Floats]]:
    """Strips from clusters to the pole or line, and from a topper down to the second row's knot."""
    pole, knots = piece_plan.packing.pole_radius, piece_plan.geometry.knots
    for cluster in seated_fillers(piece_plan.piece, piece_plan.assembly):
        if STRIP_SHARE[cluster.part.tie]:
            middle = cluster.centres.mean(axis=0)
            out = max(float(np.hypot(*middle[:2])), 1.0)
            yield middle, np.array([*(middle[:2] * min(pole / out, 1.0)), middle[2]])
    for part, body in piece_plan.bodies:
        held = isinstance(part, Extended) and part.fixing in (Fixing.STRIP, Fixing.VALVE)
        if held and len(knots) > 1 and kind_of(part).standing(part):
            foot = float((body.centres[:, 2] - body.radii).min())
            yield np.array([0.0, 0.0, foot]), np.array([0.0, 0.0, float(knots[-2])])


def placed_fillers(
    piece_plan: PiecePlan,
    key: int,
    progress: Callable[[float], None] = lambda _: None,
    cancelled: Cancelled = never,
    most: int | None = None,
    palette: Sequence[BalloonColour] = (),
    sketch: Callable[[Sketch], None] = lambda _: None,
) -> PlacedClusters:
    """Seats for the set of fillers with that key, on everything else that is on the piece.

    `most` clusters, as many as the set wants without it; `palette`: the colours, where dark ones go below.
    `sketch`: as of `place_fillers`. Raises `errors.Cancelled`, KeyError without such a set.
    """
    part = {part.key: part for part in piece_plan.piece.parts if isinstance(part, Fillers)}[key]
    column, there = _without(piece_plan, key, palette)
    showing = _shown(piece_plan, there, cancelled)
    things, before = main_things(piece_plan, key)
    looks = looks_at(things, showing.eyes, before)
    return place_fillers(part, column, showing, most, progress, cancelled, sketch, looks)


def placed_ring(piece_plan: PiecePlan, key: int, cancelled: Cancelled = never) -> PlacedRing | None:
    """Where the collar with that key hides most of what shows without it; None without rows or balloons.

    Raises `errors.Cancelled`, KeyError without such a collar.
    """
    part = {part.key: part for part in piece_plan.piece.parts if isinstance(part, Collar)}[key]
    if not part.balloons:
        return None
    column, there = _without(piece_plan, key, ())
    line = part.balloons[0]
    sized = line.model_copy(update={"count": 1, "diameter_mm": sized_mm(part, line)})
    return place_ring(sized, column, _shown(piece_plan, there, cancelled), cancelled)


def _without(
    piece_plan: PiecePlan, key: int, palette: Sequence[BalloonColour]
) -> tuple[SettledColumn, NDArray[np.bool_]]:
    """A piece without one of its parts: what others lie on, and which drawn balloons are left."""
    piece, drawn = piece_plan.piece, piece_plan.drawn
    listed = piece_plan.drawn_parts
    owner = np.repeat([other.key for other, _ in listed], [count for _, count in listed])
    there = np.ones(len(drawn.radii), dtype=bool)
    # The column is never left out, whatever the key.
    there[len(drawn.radii) - len(owner) :] = owner != key
    # Clusters lie on rows and balls; other parts are in their way.
    of_column = slice(0, len(drawn.radii) - len(owner))
    beside = np.flatnonzero(there)[of_column.stop :]
    column = SettledColumn(
        piece.rows,
        piece_plan.geometry,
        drawn.centres[of_column],
        drawn.shape_radii[of_column],
        piece_plan.drawn_colours()[of_column],
        piece.frame.pole_radius_mm,
        {colour.key: luma(colour.hex) for colour in palette},
        tuple(bare_pole(piece_plan)),
        (drawn.centres[beside], drawn.shape_radii[beside]),
        piece_plan.assembly.balls,
    )
    return column, there


def side_counts(piece_plan: PiecePlan) -> tuple[int, int]:
    """Clusters left and right of the middle, seen from the front."""
    middles = [each.centres[:, 0].mean() for each in seated_fillers(piece_plan.piece, piece_plan.assembly)]
    return sum(1 for x in middles if x < -_MIDDLE_MM), sum(1 for x in middles if x > _MIDDLE_MM)


_LEAST_BARE_MM = 5.0
"""Length of pole, mm, below which nothing is bare: a finger's width goes unnoticed."""
_MIDDLE_MM = 20.0
"""Distance from the middle, mm, within which a cluster is neither left nor right."""
