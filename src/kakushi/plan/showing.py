"""What shows of a planned piece's mechanics, and filler clusters placed where they hide most of it."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Sequence

import numpy as np
from numpy.typing import NDArray

from kakushi.colour.rgb import luma
from kakushi.dress.collars import PlacedRing, place_ring
from kakushi.dress.kinds.fillers import STRIP_SHARE
from kakushi.dress.placing import Column, Placed, Sketch, place_fillers
from kakushi.dress.shows import HIDEABLE, Mechanic, Showing, eyes_of, mechanics_of, side_name, what_shows
from kakushi.dress.table import kind_of, sized_mm
from kakushi.model.arrays import Floats
from kakushi.model.catalogue import BalloonColour
from kakushi.model.groups import Row
from kakushi.model.memo import Cancelled, never, remembered
from kakushi.model.parts import Collar, Extended, Fillers, Fixing
from kakushi.plan.dressing import seated_fillers
from kakushi.plan.geometry import drawn_parts, group_ranges
from kakushi.plan.parts import bodies_of
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
    mechanics = mechanics_of(piece, piece_plan.geometry, group_ranges(piece), list(_strips(piece_plan)))
    balloons = drawn.centres[there], drawn.shape_radii[there]
    return what_shows(mechanics, eyes_of(piece), piece_plan.geometry, balloons, cancelled=cancelled)


def _strips(piece_plan: PiecePlan) -> Iterator[tuple[Floats, Floats]]:
    """Strips from clusters in to the pole or line, and from what stands on top down to the second row's knot."""
    pole, knots = piece_plan.packing.pole_radius, piece_plan.geometry.knots
    for cluster in seated_fillers(piece_plan.piece, piece_plan.assembly):
        if STRIP_SHARE[cluster.part.tie]:
            middle = cluster.centres.mean(axis=0)
            out = max(float(np.hypot(*middle[:2])), 1.0)
            yield middle, np.array([*(middle[:2] * min(pole / out, 1.0)), middle[2]])
    for part, body in bodies_of(piece_plan.piece, piece_plan.assembly):
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
) -> Placed:
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


def _without(piece_plan: PiecePlan, key: int, palette: Sequence[BalloonColour]) -> tuple[Column, NDArray[np.bool_]]:
    """A piece without one of its parts: what others lie on, and which drawn balloons are left."""
    piece, drawn = piece_plan.piece, piece_plan.drawn
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
        {colour.key: luma(colour.hex) for colour in palette},
    )
    return column, there


def ring_words(placed: PlacedRing, rows: Sequence[Row]) -> str:
    """Where a collar was placed, in a sentence."""
    row = next(index for index, row in enumerate(rows) if row.key == placed.row)
    where = "below row 1" if row == 0 else f"between rows {row} and {row + 1}"
    hides = f"hides {placed.hidden:.0%} of what shows" if placed.hidden >= _NOTHING else "hides nothing that shows"
    return f"{placed.count} balloons close a ring {where}: it {hides}."


def showing_words(showing: Showing) -> Iterator[str]:
    """What shows, in sentences: the whole, then what of it."""
    if not showing.whole_cm2:
        yield "There is nothing to hide before there are two rows."
        return
    if showing.share < _NOTHING:
        yield f"From {_eyes(showing)} nothing of pole, knots and necks shows between the rows."
    else:
        parts = [_told(showing, mechanic) for mechanic in HIDEABLE if showing.share_of(mechanic) >= _NOTHING]
        yield f"From {_eyes(showing)} {_area(showing.total_cm2)} shows on average ({_percent(showing.share)}): " + (
            ", ".join(parts) + "."
        )
    beside = [_told(showing, each) for each in (Mechanic.STRIPS, Mechanic.BASE) if showing.share_of(each) >= _NOTHING]
    if beside:
        yield f"Besides that {' and '.join(beside)}."


def _told(showing: Showing, mechanic: Mechanic) -> str:
    return f"{mechanic.value} {_area(showing.seen_cm2[mechanic])} ({_percent(showing.share_of(mechanic))})"


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
