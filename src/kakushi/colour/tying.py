"""Tying cards: which balloons are tied together so that the planned slots come out, over a whole job."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterable, Sequence
from dataclasses import dataclass

from kakushi.colour.landing import RowTying, landing_for, ways
from kakushi.model.catalogue import Studio
from kakushi.model.piece import LandingSchool, Piece

# Rounds of the search for the fewest kinds.
_ROUNDS = 12


@dataclass(frozen=True, slots=True, order=True)
class Balloon:
    """One balloon to inflate: nominal size (in), sized diameter (mm, to the hundredth), colour key."""

    nominal_in: float
    diameter_mm: float
    colour: str


Kind = tuple[Balloon, ...]
"""Balloons tied together, sorted: one is a single, two a duplet, three a triplet."""


@dataclass(frozen=True, slots=True)
class Habits:
    """How a piece's clusters are brought to the pole."""

    school: LandingSchool
    half_turns: int
    locked: bool
    mixed: bool


def habits_of(piece: Piece) -> Habits:
    """The habits set for a piece."""
    return Habits(piece.landing_school, piece.half_turns, piece.locked, piece.tie_mixed)


@dataclass(frozen=True, slots=True)
class Cluster:
    """A kind of cluster: its balloons anticlockwise from above, in the rotation that sorts first."""

    habits: Habits
    balloons: Kind


@dataclass(frozen=True, slots=True)
class RowAt:
    """A row that takes a cluster: its balloon 0 lies in slot `shift`; `many` such rows over all copies."""

    piece: int
    label: str
    row: int
    shift: int
    many: int


@dataclass(frozen=True, slots=True)
class Card:
    """One kind of cluster, how it is tied, and the rows it is for, foot first."""

    cluster: Cluster
    tying: RowTying
    rows: tuple[RowAt, ...]

    @property
    def many(self) -> int:
        """Clusters of this kind over all copies."""
        return sum(row.many for row in self.rows)

    def kinds(self) -> tuple[Kind, ...]:
        """Bunches in the order of the tying's groups."""
        return kinds_of(self.cluster.balloons, self.tying)


@dataclass(frozen=True, slots=True)
class PlannedRow:
    """A row as it is to come out: its place, its habits and its balloons in slot order."""

    piece: int
    label: str
    row: int
    many: int
    habits: Habits
    balloons: Kind


def kinds_of(balloons: Sequence[Balloon], tying: RowTying) -> tuple[Kind, ...]:
    """Bunches to tie for balloons in slot order."""
    return tuple(tuple(sorted(balloons[slot] for slot in group)) for group in tying.groups)


def cluster_of(row: PlannedRow) -> tuple[Cluster, int]:
    """Kind of cluster that a row takes, and the slot of its balloon 0."""
    n = len(row.balloons)
    # Rotations of one ring are one kind of cluster: the one that sorts first stands for them.
    shift = min(range(n), key=lambda s: (row.balloons[s:] + row.balloons[:s], s))
    return Cluster(row.habits, row.balloons[shift:] + row.balloons[:shift]), shift


def cards_for(rows: Iterable[PlannedRow], studio: Studio) -> tuple[Card, ...]:
    """Cards for all `rows` of a job with the fewest kinds of duplets.

    Of equally few, plain duplets are preferred, or mixed ones where a piece's habits say so.
    """
    takers: dict[Cluster, list[RowAt]] = {}
    for row in rows:
        cluster, shift = cluster_of(row)
        takers.setdefault(cluster, []).append(RowAt(row.piece, row.label, row.row, shift, row.many))
    chosen = fewest_kinds({cluster: _ways(cluster, studio) for cluster in takers})
    return tuple(Card(cluster, chosen[cluster], tuple(at)) for cluster, at in takers.items())


def tying_of_row(cards: Iterable[Card], piece: int, row: int) -> RowTying | None:
    """How a row (from 0) of a piece's main design is tied; slots as in the plan."""
    for card in cards:
        for at in card.rows:
            if (at.piece, at.row, at.label) == (piece, row, ""):
                return card.tying.moved(at.shift)
    return None


def in_bunches(balloons: Kind) -> tuple[Kind, ...]:
    """Balloons that are laid on no pole as they are tied: duplets in their order, an odd one makes a triplet."""
    ends = list(range(2, len(balloons), 2))[: -1 if len(balloons) % 2 else None] if len(balloons) > 3 else []
    return tuple(balloons[first:last] for first, last in zip([0, *ends], [*ends, len(balloons)], strict=True))


def _ways(cluster: Cluster, studio: Studio) -> list[RowTying]:
    """Different ways to tie a cluster, the preferred first."""
    habits, n = cluster.habits, len(cluster.balloons)
    landing = landing_for(studio, habits.school, n, habits.half_turns, habits.locked)
    tyings: dict[tuple[Kind, ...], RowTying] = {}
    for tying in ways(landing, habits.school, habits.half_turns, habits.locked):
        # Ways with the same duplets differ only in where they begin; the first is the easiest to say.
        tyings.setdefault(tuple(sorted(kinds_of(cluster.balloons, tying))), tying)
    # One setting of the sizer a duplet, wherever the pattern lets it be.
    fewest = min(map(_unlike_sizes, tyings), default=0)
    tyings = {kinds: tying for kinds, tying in tyings.items() if _unlike_sizes(kinds) == fewest}
    on_line = habits.school is LandingSchool.LINE_BUILT
    # A balloon that has to be pulled across is one more thing to do.
    return sorted(tyings.values(), key=lambda tying: (on_line and tying.lock is not None, _unlike_wish(cluster, tying)))


def _unlike_sizes(kinds: Iterable[Kind]) -> int:
    """Number of bunches whose balloons are not all of one size."""
    return sum(len({(balloon.nominal_in, balloon.diameter_mm) for balloon in kind}) > 1 for kind in kinds)


def _unlike_wish(cluster: Cluster, tying: RowTying) -> int:
    """Number of groups that are mixed where plain ones are preferred, or plain where mixed ones are."""
    kinds = kinds_of(cluster.balloons, tying)
    plain = sum(len(set(kind)) == 1 for kind in kinds)
    return plain if cluster.habits.mixed else len(kinds) - plain


def fewest_kinds(choices: dict[Cluster, list[RowTying]]) -> dict[Cluster, RowTying]:
    """One way for every cluster so that few different kinds are tied; of equal ones the first listed.

    A kind that goes against a cluster's habits counts twice: two plain kinds are as good as one mixed. Each cluster
    in turn takes the way that adds least to what the others use, until nothing changes;
    begun from the wishes and from the kinds most clusters could use, the better is kept.
    """
    if not choices:
        return {}
    kinds = {c: [frozenset(kinds_of(c.balloons, tying)) for tying in settled] for c, settled in choices.items()}
    common = Counter(kind for settled in kinds.values() for kind in frozenset().union(*settled))
    # A descent ends in the nearest valley: two beginnings that lie far apart are tried.
    by_wish = dict.fromkeys(choices, 0)
    by_use = {cluster: _most_common(sets, common) for cluster, sets in kinds.items()}
    settled = [_settled(choices, kinds, start) for start in (by_wish, by_use)]
    best = min(settled, key=lambda pick: (_cost_of_all(pick, kinds), sum(pick.values())))
    return {c: choices[c][i] for c, i in best.items()}


def _cost(cluster: Cluster, kind: Kind) -> int:
    is_plain = len(set(kind)) == 1
    return 2 if is_plain == cluster.habits.mixed else 1


def _cost_of_all(pick: dict[Cluster, int], kinds: dict[Cluster, list[frozenset[Kind]]]) -> int:
    costs: dict[Kind, int] = {}
    for cluster, tying in pick.items():
        for kind in kinds[cluster][tying]:
            costs[kind] = min(_cost(cluster, kind), costs.get(kind, 2))
    return sum(costs.values())


def _most_common(sets: list[frozenset[Kind]], common: Counter[Kind]) -> int:
    """The way of tying whose rarest kind most other clusters can use."""
    return max(range(len(sets)), key=lambda i: (min(common[kind] for kind in sets[i]), -i))


def _settled(
    choices: dict[Cluster, list[RowTying]], kinds: dict[Cluster, list[frozenset[Kind]]], pick: dict[Cluster, int]
) -> dict[Cluster, int]:
    # Coordinate descent; the sum of costs never rises, so it ends.
    used = Counter(kind for c, i in pick.items() for kind in kinds[c][i])
    for _ in range(_ROUNDS):
        changed = False
        for cluster in choices:
            choices_here = kinds[cluster]
            # Without its own kinds: what the cluster alone uses is no saving.
            used.subtract(choices_here[pick[cluster]])
            added = [sum(_cost(cluster, kind) for kind in tying if used[kind] <= 0) for tying in choices_here]
            new = min(range(len(choices_here)), key=lambda i: (added[i], i))
            changed = changed or new != pick[cluster]
            pick[cluster] = new
            used.update(choices_here[new])
        if not changed:
            break
    return pick
