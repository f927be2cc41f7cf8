"""Where filler clusters hide most: one after the other, each to the place where it hides most of what still shows.

Greedy choice is within 1 − 1/e of the best possible (Nemhauser, Wolsey and Fisher 1978), in practice within a few per
cent. Where nothing shows any more, clusters are spread as evenly as they can be.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Iterator, Mapping, Sequence
from dataclasses import dataclass, field
from typing import TYPE_CHECKING

import numpy as np
from numpy.typing import NDArray

from kakushi.dress.clusters import ROUND_A_BALL, KnotLine, Shape, line_of, settled_clusters, shape_of
from kakushi.dress.kinds.fillers import asked_for, is_placeable
from kakushi.dress.shows import Showing, Visible
from kakushi.model.arrays import Floats, Ints
from kakushi.model.groups import Row
from kakushi.model.memo import Cancelled, never, stop_if
from kakushi.model.parts import FillerLook, Fillers, Seat
from kakushi.packing.ball import BallGeometry
from kakushi.packing.stack import Geometry

if TYPE_CHECKING:
    from scipy.sparse import csr_matrix

MOST_CLUSTERS = 1000
"""Most clusters of one set."""
_PLACES = ((0.5, 0.0), (0.25, 0.35), (0.75, 0.35))
"""Seats tried at each balloon, as (`along`, `up`): the gap beside it, and the two hollows under the row above."""
_BETWEEN = ((0.35, 0.0), (0.65, 0.0), (0.5, 0.25), (0.5, -0.25), (0.1, 0.3), (0.9, 0.3), (0.3, -0.3), (0.7, -0.3))
"""More seats, tried where something is to stay in sight: a little aside a cluster may hide as much, and cover nothing
of that."""
_ON_BALL = (-0.4, 0.0, 0.4)
"""How far above or below its middle seats on a ball are tried, in diameters of its balloons."""
_COVERED = 0.019
"""Share of a main thing that clusters together may cover from an eye: its edge, and not what it is."""
_MOST_UP = 3.0
"""Furthest a seat is from its row, in diameters of the row: as `model.parts.Seat` has it."""
_SEEN_FROM = math.radians(80)
"""Angle from every eye, radians, beyond which a cluster is at the edge of the piece and hides nothing."""
_MOST_RAYS = 20_000
"""Most rays to what shows; more are thinned out evenly."""
_RAYS_AT_ONCE, _SPHERES_AT_ONCE = 4000, 500
"""Rays and spheres tested against each other at once: a block of about 16 MB."""
_AT_ONCE = 200
"""Clusters settled between two reports of progress: about half a second."""
_NEARLY = {FillerLook.CLOUD: 0.5, FillerLook.ORGANIC: 0.5}
"""Of the most that can be hidden: those are as good as each other, 0.95 where the look is not to be full and loose."""
_NOTHING_MM2 = {FillerLook.CLOUD: 30.0, FillerLook.ORGANIC: 30.0}
"""What is not worth a cluster, to one eye: 2 mm², a pin's head, where the look does not want volume anyway."""
_TOUCH = 0.02
"""Overlap of two clusters, as a share of the sum of radii, that is allowed: less than in a column."""

Progress = Callable[[float], None]
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
    """Seats that are worth looking at: in the zone of the set, where an eye can see them; `closely`: more of them."""
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
    """Seats along bare pole, each told from the nearest row where that is wanted, as far as a seat can be from it."""
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
            first = _Choice(part, rays.hidden_by(*few, cancelled, lambda _: None), rays, *few)
            first.take_best(wanted)
            sketch(tuple((few[0][place], few[1][place]) for place in first.taken))
        progress(0.6 * len(settled) / max(len(seats), 1))
    balloons = [settled[k] for k in range(len(seats))]
    hides = rays.hidden_by(balloons, radii, cancelled, lambda share: progress(0.6 + 0.3 * share))
    choice = _Choice(part, hides, rays, balloons, radii, _covers(looks, balloons, radii, cancelled))
    for place in range(len(kept)):
        choice.take(place)
    choice.leave_out(_in_the_way(balloons, radii, column.beside))
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


class Rays:
    """The rays of all eyes that end on something that shows."""

    def __init__(self, visible: Sequence[Visible]) -> None:
        self.eyes = len(visible)
        parts = [part for part in visible if len(part.weights)]
        self.origins = _joined([np.broadcast_to(part.origin, part.rays.shape) for part in parts], 3)
        self.rays = _joined([part.rays for part in parts], 3)
        self.ends = _joined([part.ends for part in parts])
        self.weights = _joined([part.weights for part in parts])
        if len(self.weights) > _MOST_RAYS:
            every = np.linspace(0, len(self.weights) - 1, _MOST_RAYS).astype(int)
            whole = self.weights.sum()
            self.origins, self.rays, self.ends = self.origins[every], self.rays[every], self.ends[every]
            self.weights = self.weights[every]
            self.weights = self.weights * (whole / self.weights.sum())

    def hidden_by(
        self, balloons: Sequence[Floats], radii: Sequence[Floats], cancelled: Cancelled, progress: Progress
    ) -> csr_matrix:
        """Which rays each cluster cuts off, (clusters, rays)."""
        owner = np.repeat(np.arange(len(balloons)), [len(each) for each in radii])
        centres = np.concatenate([np.zeros((0, 3)), *balloons])
        reach = np.concatenate([np.zeros(0), *radii])
        rows, columns = [], []
        square = (self.rays**2).sum(axis=1)
        # A ray that passes nearer than the radius to the middle of a balloon, before its end.
        for begin in range(0, len(self.weights), _RAYS_AT_ONCE):
            stop_if(cancelled)
            part = slice(begin, begin + _RAYS_AT_ONCE)
            for first in range(0, len(reach), _SPHERES_AT_ONCE):
                block = slice(first, first + _SPHERES_AT_ONCE)
                ray, sphere = self._met(part, centres[block], reach[block], square[part])
                rows.append(owner[sphere + first])
                columns.append(ray + begin)
            progress(min(begin + _RAYS_AT_ONCE, len(self.weights)) / len(self.weights))
        where = (np.concatenate([np.zeros(0, int), *rows]), np.concatenate([np.zeros(0, int), *columns]))
        from scipy.sparse import csr_matrix  # noqa: PLC0415 - takes half a second, and few pieces need it

        matrix = csr_matrix((np.ones(len(where[0])), where), shape=(len(balloons), len(self.weights)))
        # A ray that two balloons of one cluster cut off is cut off once.
        matrix.data[:] = 1.0
        return matrix

    def _met(self, part: slice, centres: Floats, reach: Floats, square: Floats) -> tuple[Ints, Ints]:
        rays, origins = self.rays[part], self.origins[part]
        along = (rays @ centres.T - (rays * origins).sum(axis=1)[:, None]) / square[:, None]
        away = (origins**2).sum(axis=1)[:, None] - 2 * origins @ centres.T + (centres**2).sum(axis=1)[None]
        # Squared distance of the middle from the ray, and how far before it the skin begins.
        inside = reach[None] ** 2 - (away - along**2 * square[:, None])
        enters = along - np.sqrt(np.maximum(inside, 0.0) / square[:, None])
        ray, sphere = np.nonzero((inside > 0) & (enters > 0) & (enters < self.ends[part][:, None]))
        return np.asarray(ray), np.asarray(sphere)


def _joined(parts: Sequence[Floats], wide: int = 0) -> Floats:
    return np.concatenate([np.zeros((0, wide) if wide else 0), *parts])


def _covers(
    looks: Sequence[Visible], balloons: Sequence[Floats], radii: Sequence[Floats], cancelled: Cancelled
) -> list[tuple[csr_matrix, Floats]]:
    """For each look which of its rays each cluster cuts off, (clusters, rays), and the weights of the rays."""
    each = [Rays([look]) for look in looks]
    return [(rays.hidden_by(balloons, radii, cancelled, lambda _: None), rays.weights) for rays in each]


def _in_the_way(
    balloons: Sequence[Floats], radii: Sequence[Floats], beside: tuple[Floats, Floats]
) -> NDArray[np.bool_]:
    """Which clusters would lie in something that is on the piece already, (clusters,)."""
    pressed = np.zeros(len(balloons), dtype=bool)
    if not len(beside[1]) or not len(balloons):
        return pressed
    from scipy.spatial import cKDTree  # noqa: PLC0415 - as above

    tree, reach = cKDTree(beside[0]), float(beside[1].max())
    for place, (centres, own) in enumerate(zip(balloons, radii, strict=True)):
        for centre, radius in zip(centres, own.tolist(), strict=True):
            near = tree.query_ball_point(centre, radius + reach)
            away = np.linalg.norm(beside[0][near] - centre, axis=1)
            if (away < (1 - _TOUCH) * (radius + beside[1][near])).any():
                pressed[place] = True
                break
    return pressed


class _Choice:
    """Clusters taken one by one."""

    def __init__(
        self,
        part: Fillers,
        hides: csr_matrix,
        rays: Rays,
        balloons: Sequence[Floats],
        radii: Sequence[Floats],
        covers: Sequence[tuple[csr_matrix, Floats]] = (),
    ) -> None:
        weights, eyes = rays.weights, rays.eyes
        self._look, self._hides, self._left_over = part.look, hides, weights.copy()
        self._nearly = _NEARLY.get(part.look, 0.95)
        self._nothing = _NOTHING_MM2.get(part.look, 2.0) * eyes
        self._whole = float(weights.sum())
        self._middles = np.array([each.mean(axis=0) for each in balloons]).reshape(-1, 3)
        self._clash = _clashes(balloons, radii)
        self._free: NDArray[np.bool_] = np.ones(len(balloons), dtype=bool)
        self._nearest = np.full(len(balloons), np.inf)
        self._aside = 0.0
        self._covers = [(hidden, weights.copy()) for hidden, weights in covers]
        self.taken: list[int] = []
        self.hidden = [0.0]

    def best(self) -> int | None:
        """The cluster to take next; None where there is no place left."""
        free = self._free & self._keeps_in_sight()
        if not free.any():
            return None
        if self._look is FillerLook.SCATTERED:
            return self._farthest(np.flatnonzero(free))
        gains = np.where(free, self._hides @ self._left_over, -1.0)
        most = float(gains.max())
        good = np.flatnonzero(gains >= (most * self._nearly if most > self._nothing else 0.0))
        good = good[free[good]]
        # Of equally good ones: what balances left and right, and lies farthest from those that are there.
        x = self._middles[good, 0]
        apart = np.minimum(self._nearest[good], 4 * self._span)
        if self._look is FillerLook.DRIP and self.taken:
            apart = -self._below(good)
        balance = np.abs(self._aside + np.sign(np.round(x, 3)))
        return int(good[np.lexsort((good, -apart, balance if self._look is not FillerLook.DRIP else 0 * apart))[0]])

    def _keeps_in_sight(self) -> NDArray[np.bool_]:
        """Places from which no main thing is covered by more than it may be."""
        kept: NDArray[np.bool_] = np.ones(len(self._free), dtype=bool)
        for hidden, left in self._covers:
            # What is covered by now, and what each would cover more.
            kept &= 1 - left.sum() + hidden @ left <= _COVERED
        return kept

    def leave_out(self, places: NDArray[np.bool_]) -> None:
        """Take no cluster at these places, (clusters,) bool."""
        self._free &= ~places

    def take_best(self, wanted: int, cancelled: Cancelled = never) -> None:
        """Take the best one after the other until `wanted` are taken, or no place is left."""
        while len(self.taken) < wanted and (best := self.best()) is not None:
            stop_if(cancelled)
            self.take(best)

    def _farthest(self, free: Ints) -> int:
        """The place farthest from all that are taken: they lie evenly over what is seen, the first in the middle.

        Farthest-point sampling (Gonzalez 1985): no two lie nearer than half of what could be at best.
        """
        if not self.taken:
            middle = self._middles[free].mean(axis=0)
            return int(free[np.argmin(np.linalg.norm(self._middles[free] - middle, axis=1))])
        return int(free[np.argmax(np.round(self._nearest[free], 1))])

    @property
    def _span(self) -> float:
        return float(np.ptp(self._middles[:, 2])) + 1.0

    def _below(self, places: Ints) -> Floats:
        """How far places are from where the next drop would hang: straight under the last one."""
        last = self._middles[self.taken[-1]]
        down = last[2] - self._middles[places, 2]
        aside = np.linalg.norm(self._middles[places, :2] - last[:2], axis=1)
        return np.asarray(np.where(down > 0, down, self._span) + 3 * aside)

    def take(self, place: int) -> None:
        """Take a cluster, and what it hides."""
        self.taken.append(place)
        self._free[place] = False
        self._free[self._clash[place].indices] = False
        self._left_over[self._hides[place].indices] = 0.0
        for hidden, left in self._covers:
            left[hidden[place].indices] = 0.0
        self._nearest = np.minimum(self._nearest, np.linalg.norm(self._middles - self._middles[place], axis=1))
        self._aside += float(np.sign(np.round(self._middles[place, 0], 3)))
        gone = self._whole - float(self._left_over.sum())
        self.hidden.append(gone / self._whole if self._whole else 0.0)


def _clashes(balloons: Sequence[Floats], radii: Sequence[Floats]) -> csr_matrix:
    """Which clusters would press into each other."""
    from scipy.sparse import csr_matrix  # noqa: PLC0415 - as above
    from scipy.spatial import cKDTree  # noqa: PLC0415 - as above

    count = len(balloons)
    centres = np.concatenate([np.zeros((0, 3)), *balloons])
    reach = np.concatenate([np.zeros(0), *radii])
    owner = np.repeat(np.arange(count), [len(each) for each in radii])
    if not len(reach):
        return csr_matrix((count, count))
    pairs = cKDTree(centres).query_pairs(2 * float(reach.max()), output_type="ndarray")
    away = np.linalg.norm(centres[pairs[:, 0]] - centres[pairs[:, 1]], axis=1)
    pressed = away < (1 - _TOUCH) * (reach[pairs[:, 0]] + reach[pairs[:, 1]])
    a, b = owner[pairs[pressed, 0]], owner[pairs[pressed, 1]]
    return csr_matrix((np.ones(2 * len(a)), (np.append(a, b), np.append(b, a))), shape=(count, count))


def lost_seats(part: Fillers, rows: Sequence[Row], balls: int = 0) -> list[Seat]:
    """Seats whose row or slot is gone, or whose ball of so many."""
    counts = {row.key: row.count for row in rows}
    return [
        seat
        for seat in part.seats
        if (seat.slot >= counts.get(seat.row, 0) if seat.ball is None else seat.ball >= balls)
    ]
