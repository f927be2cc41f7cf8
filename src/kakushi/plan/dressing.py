"""Fillers of a piece where they come to lie, what shows of its mechanics, and the clusters that would hide it."""

from __future__ import annotations

import threading
from collections import OrderedDict
from collections.abc import Iterator, Sequence
from dataclasses import dataclass

import numpy as np

from kakushi.dress.clusters import KnotLine, Shape, bubbles_of, line_of, settled_clusters, shape_of
from kakushi.dress.kinds.fillers import is_placeable
from kakushi.dress.placing import lost_seats
from kakushi.model.arrays import Floats
from kakushi.model.groups import Row
from kakushi.model.memo import remembered
from kakushi.model.parts import Fillers, Seat
from kakushi.model.piece import Piece
from kakushi.packing.assembly import Assembly
from kakushi.plan.facts import ClustersLost, ClustersPress, Note

_BESIDE_FROM = 0.05
"""Overlap of two clusters, as a share of the sum of radii, from which the later one makes way."""
_MOST_KEPT = 4000
"""Settled clusters kept one by one, so that moving one of 300 settles only that one."""


@dataclass(frozen=True, slots=True, eq=False)
class Seated:
    """One settled cluster: its set and seat (place in the set), centres (k, 3) and radii (k,), mm, colours (k,)."""

    part: Fillers
    place: int
    centres: Floats
    radii: Floats
    colours: tuple[str, ...]

    @property
    def seat(self) -> Seat:
        """Its seat."""
        return self.part.seats[self.place]


def fillers_of(piece: Piece) -> list[Fillers]:
    """The sets of fillers of a piece."""
    return [part for part in piece.parts if isinstance(part, Fillers)]


@remembered(64, lambda piece: sum(len(part.seats) for part in fillers_of(piece)))
def seated_fillers(piece: Piece, assembly: Assembly) -> tuple[Seated, ...]:
    """The placed clusters of all sets whose rows are there, on the settled groups of a piece."""
    # All at once: settled side by side they take little longer than one.
    wanted = [
        (part, place, line, shape_of(part, seat))
        for part in fillers_of(piece)
        if is_placeable(part)
        for place, (seat, line) in enumerate(_lines(part, piece.rows, assembly))
        if line is not None
    ]
    laid = [(line, shape) for _, _, line, shape in wanted]
    pole = piece.frame.pole_radius_mm
    centres = _beside_each_other(assembly, laid, settled_on(assembly, laid, pole), pole)
    return tuple(
        Seated(
            part,
            place,
            each,
            np.array(shape.radii),
            tuple(line.colour for line, _ in bubbles_of(part, part.seats[place])),
        )
        for (part, place, _, shape), each in zip(wanted, centres, strict=True)
    )


def _lines(part: Fillers, rows: Sequence[Row], assembly: Assembly) -> Iterator[tuple[Seat, KnotLine | None]]:
    for seat in part.seats:
        yield seat, line_of(seat, rows, assembly.rows, assembly.balls)


class _Kept:
    """Cache of settled clusters by column and seat, least recently used out first. Thread-safe.

    `model.memo` remembers one answer to one question; here all that are missing are settled side by side.
    """

    def __init__(self) -> None:
        self._answers: OrderedDict[tuple[Assembly, KnotLine, Shape, float], Floats] = OrderedDict()
        self._lock = threading.Lock()

    def get(self, assembly: Assembly, line: KnotLine, shape: Shape, pole: float) -> Floats | None:
        """What was kept for a seat."""
        with self._lock:
            seat = (assembly, line, shape, pole)
            if seat in self._answers:
                self._answers.move_to_end(seat)
            return self._answers.get(seat)

    def keep(self, assembly: Assembly, line: KnotLine, shape: Shape, pole: float, centres: Floats) -> None:
        """Keep where a cluster lies."""
        with self._lock:
            self._answers[assembly, line, shape, pole] = centres
            while len(self._answers) > _MOST_KEPT:
                self._answers.popitem(last=False)


_KEPT = _Kept()


def settled_on(assembly: Assembly, wanted: Sequence[tuple[KnotLine, Shape]], pole_radius: float) -> list[Floats]:
    """Settle clusters on the balloons of a piece; centres, (k, 3) mm each. Settled ones are cached."""
    clusters = [_KEPT.get(assembly, line, shape, pole_radius) for line, shape in wanted]
    missing = [index for index, centres in enumerate(clusters) if centres is None]
    if missing:
        new = settled_clusters(
            [wanted[i][0] for i in missing], [wanted[i][1] for i in missing], assembly.spheres, pole_radius
        )
        for index, centres in zip(missing, new, strict=True):
            _KEPT.keep(assembly, *wanted[index], pole_radius, centres)
            clusters[index] = centres
    return [centres for centres in clusters if centres is not None]


def _beside_each_other(
    assembly: Assembly, wanted: Sequence[tuple[KnotLine, Shape]], alone: Sequence[Floats], pole_radius: float
) -> list[Floats]:
    """Clusters that were settled `alone`, those that would lie in an earlier one settled again beside it."""
    if len(alone) < 2:
        return list(alone)
    from scipy.spatial import cKDTree  # noqa: PLC0415 - takes half a second, and few pieces need it

    radii = [np.array(shape.radii) for _, shape in wanted]
    middles = np.array([centres.mean(axis=0) for centres in alone])
    reach = np.array([
        float((np.linalg.norm(centres - middle, axis=1) + own).max())
        for centres, middle, own in zip(alone, middles, radii, strict=True)
    ])  # fmt: skip
    found = list(alone)
    tree = cKDTree(middles)
    for place, (line, shape) in enumerate(wanted):
        near = [k for k in sorted(tree.query_ball_point(middles[place], reach[place] + reach.max())) if k < place]
        met = [k for k in near if _overlap(found[place], radii[place], found[k], radii[k]) > _BESIDE_FROM]
        if met:
            column = assembly.spheres
            around = (
                np.concatenate([column[0], *(found[k] for k in near)]),
                np.concatenate([column[1], *(radii[k] for k in near)]),
            )
            found[place] = settled_clusters([line], [shape], around, pole_radius)[0]
    return found


def _overlap(centres: Floats, radii: Floats, others: Floats, of_others: Floats) -> float:
    """The deepest overlap of two clusters, as a share of the sum of radii."""
    away = np.linalg.norm(centres[:, None] - others[None], axis=2)
    return float((1 - away / (radii[:, None] + of_others[None])).max())


def fillers_warnings(piece: Piece, assembly: Assembly) -> Iterator[Note]:
    """Clusters whose row or slot is gone, and those that lie in each other."""
    for part in fillers_of(piece):
        if lost := len(lost_seats(part, piece.rows, len(assembly.balls))):
            yield ClustersLost(part.name or "fillers", lost)
    if pressed := _pressed_pairs(seated_fillers(piece, assembly)):
        yield ClustersPress(pressed)


_PRESSED = 0.15
"""Overlap of balloons of two clusters, as a share of the sum of radii, above which there is no room for both."""


def _pressed_pairs(clusters: Sequence[Seated]) -> int:
    """Pairs of clusters that lie deep in each other."""
    if len(clusters) < 2:
        return 0
    from scipy.spatial import cKDTree  # noqa: PLC0415 - takes half a second, and few pieces need it

    centres = np.concatenate([each.centres for each in clusters])
    radii = np.concatenate([each.radii for each in clusters])
    owner = np.repeat(np.arange(len(clusters)), [len(each.radii) for each in clusters])
    pairs = cKDTree(centres).query_pairs(2 * float(radii.max()), output_type="ndarray")
    reach = radii[pairs[:, 0]] + radii[pairs[:, 1]]
    deep = np.linalg.norm(centres[pairs[:, 0]] - centres[pairs[:, 1]], axis=1) < (1 - _PRESSED) * reach
    # Balloons of one cluster lie deep in each other: they are twisted together.
    met = owner[pairs[deep]]
    return len(np.unique(met[met[:, 0] != met[:, 1]], axis=0))
