"""What shows of a planned piece's mechanics, and filler clusters placed where they hide most of it."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Sequence

import numpy as np
from numpy.typing import NDArray

from kakushi.colour.rgb import luma
from kakushi.dress.collars import PlacedRing, place_ring
from kakushi.dress.kinds.fillers import STRIP_SHARE
from kakushi.dress.placing import PlacedClusters, SettledColumn, Sketch, place_fillers
from kakushi.dress.shows import Showing, eyes_of, mechanics_of, what_shows
from kakushi.dress.table import kind_of, sized_mm
from kakushi.model.arrays import Floats
from kakushi.model.catalogue import BalloonColour
from kakushi.model.groups import BallGroup, rows_groups
from kakushi.model.memo import Cancelled, never, remembered
from kakushi.model.parts import Collar, Extended, Fillers, Fixing
from kakushi.packing.groups.table import wrappings_of
from kakushi.plan.dressing import seated_fillers
from kakushi.plan.geometry import group_ranges
from kakushi.plan.values import PiecePlan


@remembered(32, lambda piece_plan: len(piece_plan.geometry.radii))
def showing_of(piece_plan: PiecePlan, *, cancelled: Cancelled = never) -> Showing:
    """What shows of a piece from its eyes, as it is dressed. Raises `errors.Cancelled`."""
    drawn = piece_plan.drawn
    return _shown(piece_plan, np.ones(len(drawn.radii), dtype=bool), cancelled)


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
    return place_fillers(part, column, _shown(piece_plan, there, cancelled), most, progress, cancelled, sketch)


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
    colours = piece_plan.drawn_colours()
    column = SettledColumn(
        piece.rows,
        piece_plan.geometry,
        drawn.centres[there],
        drawn.shape_radii[there],
        [colour for colour, kept in zip(colours, there, strict=True) if kept],
        piece.frame.pole_radius_mm,
        {colour.key: luma(colour.hex) for colour in palette},
        tuple(bare_pole(piece_plan)),
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
