"""Where filler clusters hide most: one after the other, each to the place where it hides most of what still shows.

Greedy choice is within 1 − 1/e of the best possible (Nemhauser, Wolsey and Fisher 1978), in practice within a few per
cent. Where nothing shows any more, clusters are spread as evenly as they can be.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Iterator, Mapping, Sequence
from dataclasses import dataclass, field

import numpy as np

from kakushi.dress.choice import Choice, covers, in_the_way, quarter_of
from kakushi.dress.clusters import ROUND_A_BALL, KnotLine, Shape, line_of, settled_clusters, shape_of
from kakushi.dress.kinds.fillers import asked_for, is_placeable
from kakushi.dress.rays import Progress, Rays
from kakushi.dress.shows import Showing, Visible
from kakushi.model.arrays import Floats
from kakushi.model.groups import Row
from kakushi.model.memo import Cancelled, never
from kakushi.model.parts import FillerLook, Fillers, Seat
from kakushi.packing.ball import BallGeometry
from kakushi.packing.stack import Geometry

MOST_CLUSTERS = 1000
"""Most clusters of one set."""
_PLACES = ((0.5, 0.0), (0.25, 0.35), (0.75, 0.35))
"""Seats tried at each balloon, as (`along`, `up`): the gap beside it, and the two hollows under the row above."""
_BETWEEN = ((0.35, 0.0), (0.65, 0.0), (0.5, 0.25), (0.5, -0.25), (0.1, 0.3), (0.9, 0.3), (0.3, -0.3), (0.7, -0.3))
"""More seats, tried where something is to stay in sight: a little aside a cluster may hide as much, and cover nothing
of that."""
_ON_BALL = (-0.4, 0.0, 0.4)
"""How far above or below its middle seats on a ball are tried, in diameters of its balloons."""
_MOST_UP = 3.0
"""Furthest a seat is from its row, in diameters of the row: as `model.parts.Seat` has it."""
_SEEN_FROM = math.radians(80)
"""Angle from every eye, radians, beyond which a cluster is at the edge of the piece and hides nothing."""
_AT_ONCE = 200
"""Clusters settled between two reports of progress: about half a second."""

Sketch = tuple[tuple[Floats, Floats], ...]
"""Clusters as centres (k, 3) and radii (k,), mm."""


@dataclass(frozen=True, slots=True)
class PlacedClusters:
    """Clusters in the order of what they hide; `hidden[n]`: share of the visible mechanics that the first n hide.

    The first `kept` are locked ones. `is_full`: there is no room for more.
    """

    seats: tuple[Seat, ...]
    hidden: tuple[float, ...]
    kept: int
    is_full: bool = False

    def enough_for(self, share: float) -> int | None:
        """Smallest number of clusters that hides a wanted share; None where all together hide less."""
        return next((n for n, hidden in enumerate(self.hidden) if hidden >= share), None)


@dataclass(frozen=True, slots=True)
class SettledColumn:
    """What clusters are placed on: rows with their settled geometry, all balloons and the pole's radius, mm.

    Centres (n, 3), swollen radii (n,) and colour keys (n,) are those of all balloons; `lightness` of colours by key.
    `bare`: lengths of pole beyond the rows, from and to, mm above the floor. `beside`: centres and radii of what else
    is on the piece, mm. `balls`: the balls among them.
    """

    rows: tuple[Row, ...]
    geometry: Geometry
    centres: Floats
    radii: Floats
    colours: Sequence[str]
    pole_radius: float
    lightness: Mapping[str, float] = field(default_factory=dict)
    bare: tuple[tuple[float, float], ...] = ()
    beside: tuple[Floats, Floats] = (np.zeros((0, 3)), np.zeros(0))
    balls: tuple[BallGeometry, ...] = ()

    def line_of(self, seat: Seat) -> KnotLine | None:
        """The line of a seat; None where what it is on is gone."""
        return line_of(seat, self.rows, self.geometry, self.balls)


def places_of(part: Fillers, column: SettledColumn, showing: Showing, closely: bool = False) -> list[Seat]:
    """Seats worth trying: in the set's zone, where an eye can see them; `closely`: with more in between."""
    places = (*_PLACES, *_BETWEEN) if closely else _PLACES
    keys = [row.key for row in column.rows]
    first = keys.index(part.zone.first_row) if part.zone.first_row in keys else 0
    last = keys.index(part.zone.last_row) if part.zone.last_row in keys else len(keys) - 1
    seats = []
    for row in column.rows[first : last + 1]:
        seats += [Seat(row=row.key, slot=slot, along=a, up=u) for slot in range(row.count) for a, u in places]
    seats += _on_bare_pole(part, column, range(first, last + 1))
    if column.rows[first : last + 1] == column.rows or not column.rows:
        # Balls are not among the rows that a set may be kept to.
        seats += [
            Seat(row=1, slot=slot, along=0.0, up=up, ball=ball)
            for ball in range(len(column.balls))
            for slot in range(ROUND_A_BALL)
            for up in _ON_BALL
        ]
    return [seat for seat in seats if _is_wanted(part, column.line_of(seat), showing)]


def _on_bare_pole(part: Fillers, column: SettledColumn, wanted: range) -> Iterator[Seat]:
    """Seats along bare pole, each counted from the nearest row, where that is wanted and near enough."""
    knots = column.geometry.knots
    apart = 2 * max(shape_of(part).radii, default=0.0)
    for low, high in column.bare if len(knots) and apart else ():
        for height in np.arange(low + apart / 2, high, apart).tolist():
            index = int(np.abs(knots - height).argmin())
            row = column.rows[index]
            up = (height - float(knots[index])) / row.diameter_mm
            if index in wanted and abs(up) <= _MOST_UP:
                yield from (Seat(row=row.key, slot=slot, along=0.5, up=up) for slot in range(row.count))


def _is_wanted(part: Fillers, line: KnotLine | None, showing: Showing) -> bool:
    if line is None:
        return False
    zone = part.zone
    if zone.from_deg is not None and zone.to_deg is not None:
        wide = (zone.to_deg - zone.from_deg) % 360 or 360.0
        return (math.degrees(line.azimuth) - zone.from_deg) % 360 <= wide + 1e-6
    if part.look is FillerLook.SCATTERED and any(part.shares.anticlockwise):
        return part.shares.anticlockwise[int(quarter_of(np.array(line.azimuth)))] > 0
    turns = [abs((line.azimuth - eye.azimuth + math.pi) % (2 * math.pi) - math.pi) for eye in showing.eyes]
    return min(turns, default=0.0) <= _SEEN_FROM


def place_fillers(
    part: Fillers,
    column: SettledColumn,
    showing: Showing,
    most: int | None = None,
    progress: Progress = lambda _: None,
    cancelled: Cancelled = never,
    sketch: Callable[[Sketch], None] = lambda _: None,
    looks: Sequence[Visible] = (),
) -> PlacedClusters:
    """Seats for the clusters of a set, `most` of them (default: as many as are wanted); locked ones stay, first.

    `showing`: what shows without this set. `sketch` is told once where clusters would sit if only some places were
    looked at, to be seen until all are. `looks`: what is to stay in sight, one for each thing and eye, weights together
    1: no more than _COVERED of each is covered. Raises `errors.Cancelled`.
    """
    if not is_placeable(part):
        return PlacedClusters((), (0.0,), 0)
    kept = [seat for seat in part.seats if seat.locked and column.line_of(seat)]
    seats = [*kept, *places_of(part, column, showing, closely=bool(looks) or part.look is FillerLook.SCATTERED)]
    lines = [line for seat in seats if (line := column.line_of(seat))]
    shapes = [shape_of(part, seat) for seat in kept] + [_shape(part, n) for n in range(len(seats) - len(kept))]
    radii = [np.array(shape.radii) for shape in shapes]
    rays, wanted = Rays(showing.visible), min(asked_for(part, most), MOST_CLUSTERS)
    settled: dict[int, Floats] = {}
    for block in _blocks(len(seats)):
        clusters = settled_clusters(
            [lines[k] for k in block], [shapes[k] for k in block], (column.centres, column.radii), column.pole_radius,
            cancelled,
        )  # fmt: skip
        settled.update(zip(block, clusters, strict=True))
        if len(settled) < len(seats) and len(settled) == len(block):
            few = [settled[k] for k in block], [radii[k] for k in block]
            first = Choice(part, rays.hidden_by(*few, cancelled, lambda _: None), rays, *few)
            first.take_best(wanted)
            sketch(tuple((few[0][place], few[1][place]) for place in first.taken))
        progress(0.6 * len(settled) / max(len(seats), 1))
    balloons = [settled[k] for k in range(len(seats))]
    hides = rays.hidden_by(balloons, radii, cancelled, lambda share: progress(0.6 + 0.3 * share))
    choice = Choice(part, hides, rays, balloons, radii, covers(looks, balloons, radii, cancelled))
    for place in range(len(kept)):
        choice.take(place)
    choice.leave_out(in_the_way(balloons, radii, column.beside))
    choice.take_best(wanted, cancelled)
    progress(1.0)
    chosen = [_dressed(part, seats[place], place < len(kept), balloons[place], column, number)
              for number, place in enumerate(choice.taken)]  # fmt: skip
    if part.dark_below and not part.bridges:
        heights = [float(balloons[place][:, 2].mean()) for place in choice.taken]
        chosen = _darker_below(part, chosen, heights, column.lightness, len(kept))
    if part.other_each:
        chosen = in_pairs(chosen, column.rows, column.geometry, column.balls)
    return PlacedClusters(tuple(chosen), tuple(choice.hidden), len(kept), is_full=choice.best() is None)


def in_pairs(
    seats: Sequence[Seat], rows: Sequence[Row], geometry: Geometry, balls: Sequence[BallGeometry] = ()
) -> list[Seat]:
    """Seats of which, row by row and going round, every second one is the other end of a strip."""
    lines = [line_of(seat, rows, geometry, balls) for seat in seats]
    turn = sorted(
        range(len(seats)), key=lambda k: (line.height, line.azimuth % math.tau) if (line := lines[k]) else (math.inf, k)
    )
    paired = list(seats)
    for number, place in enumerate(turn):
        paired[place] = seats[place].model_copy(update={"is_other": number % 2 == 1})
    return paired


def _blocks(count: int) -> list[list[int]]:
    """Places in blocks of `_AT_ONCE`, the first one spread evenly over all of them."""
    first = sorted({round(k * (count - 1) / (_AT_ONCE - 1)) for k in range(_AT_ONCE)}) if count > _AT_ONCE else []
    chosen = set(first)
    rest = [k for k in range(count) if k not in chosen]
    return [block for block in (first, *(rest[k : k + _AT_ONCE] for k in range(0, len(rest), _AT_ONCE))) if block]


def _darker_below(
    part: Fillers, seats: Sequence[Seat], heights: Sequence[float], lightness: Mapping[str, float], kept: int
) -> list[Seat]:
    """Seats with the colours of the set shared out by height, the darkest lowest; neighbours in a cluster differ."""
    keys = sorted(dict.fromkeys(line.colour for line in part.balloons), key=lambda key: lightness.get(key, 0.5))
    order = sorted(range(len(seats)), key=lambda place: heights[place])
    count = sum(line.count for line in part.balloons)
    dressed = list(seats)
    for rank, place in enumerate(order):
        if place < kept:
            continue
        at = rank / max(len(seats) - 1, 1) * (len(keys) - 1)
        # Between two colours, more of the nearer one.
        low = min(int(at), len(keys) - 1)
        high = min(low + 1, len(keys) - 1)
        steps = round((at - low) * count)
        colours = [keys[high] if (k + 1) * steps // count > k * steps // count else keys[low] for k in range(count)]
        dressed[place] = seats[place].model_copy(update={"colours": tuple(colours[:12])})
    return dressed


def _shape(part: Fillers, number: int) -> Shape:
    return shape_of(part, Seat(row=1, slot=0, diameters_mm=_sizes(part, number)))


def _sizes(part: Fillers, number: int) -> tuple[float, ...]:
    """Sizes of the balloons of the cluster with that number, of an assorted set: each different from the next."""
    if not part.sizes_mm:
        return ()
    count = sum(line.count for line in part.balloons)
    return tuple(part.sizes_mm[(number * 2 + place * 3) % len(part.sizes_mm)] for place in range(min(count, 12)))


def _dressed(part: Fillers, seat: Seat, is_kept: bool, centres: Floats, column: SettledColumn, number: int) -> Seat:
    """A chosen seat with its own colours and sizes, where the set asks for them."""
    if is_kept:
        return seat
    changes: dict[str, object] = {"diameters_mm": _sizes(part, number)}
    if part.bridges and len(column.radii):
        per_balloon = 2 if part.is_split else 1
        nearest = np.linalg.norm(column.centres[None] - centres[::per_balloon, None], axis=2) - column.radii
        changes["colours"] = tuple(column.colours[index] for index in nearest.argmin(axis=1)[:12].tolist())
    return seat.model_copy(update=changes)


def lost_seats(part: Fillers, rows: Sequence[Row], balls: int = 0) -> list[Seat]:
    """Seats whose row or slot is gone, or whose ball of so many."""
    counts = {row.key: row.count for row in rows}
    return [
        seat
        for seat in part.seats
        if (seat.slot >= counts.get(seat.row, 0) if seat.ball is None else seat.ball >= balls)
    ]
