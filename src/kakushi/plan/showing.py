"""What shows of a planned piece's mechanics, and filler clusters placed where they hide most of it."""

from __future__ import annotations

from collections.abc import Callable, Iterator

import numpy as np

from kakushi.dress.placing import Column, Placed, place_fillers
from kakushi.dress.shows import Mechanic, Showing, eyes_of, mechanics_of, side_name, what_shows
from kakushi.model.memo import Cancelled, never, remembered
from kakushi.model.parts import Fillers
from kakushi.plan.dressing import seated_fillers
from kakushi.plan.geometry import drawn_parts, group_ranges
from kakushi.plan.values import PiecePlan

_NOTHING = 0.0005
"""A share that is told as none."""


@remembered(32, lambda piece_plan: len(piece_plan.geometry.radii))
def showing_of(piece_plan: PiecePlan, *, cancelled: Cancelled = never) -> Showing:
    """What shows of a piece from its eyes, as it is dressed. Raises `errors.Cancelled`."""
    drawn = piece_plan.drawn
    return _shown(piece_plan, np.ones(len(drawn.radii), dtype=bool), cancelled)


def _shown(piece_plan: PiecePlan, there: np.ndarray, cancelled: Cancelled) -> Showing:
    piece, drawn = piece_plan.piece, piece_plan.drawn
    mechanics = mechanics_of(piece, piece_plan.geometry, group_ranges(piece))
    balloons = drawn.centres[there], drawn.shape_radii[there]
    return what_shows(mechanics, eyes_of(piece), piece_plan.geometry, balloons, cancelled=cancelled)


def placed_fillers(
    piece_plan: PiecePlan,
    key: int,
    progress: Callable[[float], None] = lambda _: None,
    cancelled: Cancelled = never,
    most: int | None = None,
) -> Placed:
    """Seats for the set of fillers with that key, on everything else that is on the piece.

    `most` clusters, as many as the set wants without it. Raises `errors.Cancelled`, KeyError without such a set.
    """
    piece, drawn = piece_plan.piece, piece_plan.drawn
    part = {part.key: part for part in piece.parts if isinstance(part, Fillers)}[key]
    listed = drawn_parts(piece, piece_plan.assembly)
    owner = np.repeat([other.key for other, _ in listed], [count for _, count in listed])
    there = np.ones(len(drawn.radii), dtype=bool)
    there[len(drawn.radii) - len(owner) :] = owner != key
    colours = piece_plan.drawn_colours()
    column = Column(
        piece.rows,
        piece_plan.geometry,
        drawn.centres[there],
        drawn.shape_radii[there],
        [colour for colour, kept in zip(colours, there, strict=True) if kept],
        piece.frame.pole_radius_mm,
    )
    return place_fillers(part, column, _shown(piece_plan, there, cancelled), most, progress, cancelled)


def showing_words(showing: Showing) -> Iterator[str]:
    """What shows, in sentences: the whole, then what of it."""
    if not showing.all_cm2 or not sum(showing.all_cm2.values()):
        yield "There is nothing to hide before there are two rows."
        return
    if showing.share < _NOTHING:
        yield f"From {_eyes(showing)} nothing of pole, knots and necks shows between the rows."
        return
    parts = [
        f"{mechanic.value} {_area(showing.seen_cm2[mechanic])} ({_percent(showing.share_of(mechanic))})"
        for mechanic in Mechanic
        if showing.share_of(mechanic) >= _NOTHING
    ]
    yield f"From {_eyes(showing)} {_area(showing.total_cm2)} shows on average ({_percent(showing.share)}): " + (
        ", ".join(parts) + "."
    )


def _eyes(showing: Showing) -> str:
    many = len(showing.eyes)
    return "one eye" if many == 1 else f"{many} sides"


def _area(cm2: float) -> str:
    return f"{cm2:.0f} cm²" if cm2 >= 10 else f"{cm2:.1f} cm²"


def _percent(share: float) -> str:
    return f"{share:.0%}" if share >= 0.1 else f"{share:.1%}"


def spot_words(showing: Showing) -> list[str]:
    """The worst spots, each in a line."""
    return [
        f"Row {spot.row + 1}, {side_name(np.degrees(spot.azimuth))}: {spot.mechanic.value}, {_area(spot.seen_cm2)}"
        for spot in showing.spots
    ]


def curve_words(placed: Placed) -> str:
    """How many clusters hide how much, in a sentence."""
    steps = [(share, many) for share in (0.5, 0.8, 0.95) if (many := placed.enough_for(share)) is not None and many > 0]
    most = placed.hidden[-1]
    if not steps and most < _NOTHING:
        return "Nothing shows that clusters could hide: they are spread evenly."
    told = ", ".join(f"{many} hide {share:.0%}" for share, many in steps)
    if most < 0.95 or placed.is_full:
        last = f"{len(placed.seats)} hide {most:.0%}"
        told = ", ".join(filter(None, [told, f"{last}, and there is no room for more" if placed.is_full else last]))
    return f"Of what shows {told}."


def side_counts(piece_plan: PiecePlan) -> tuple[int, int]:
    """Clusters left and right of the middle, seen from the front."""
    middles = [each.centres[:, 0].mean() for each in seated_fillers(piece_plan.piece, piece_plan.assembly)]
    return sum(1 for x in middles if x < -_MIDDLE_MM), sum(1 for x in middles if x > _MIDDLE_MM)


_MIDDLE_MM = 20.0
"""Nearer than that a cluster is neither left nor right."""
