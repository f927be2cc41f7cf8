"""Landing algebra: where tied balloons come to lie round the pole. Derivation in `docs/tying.md`.

The balloons of a crossed cluster are numbered 0 to n - 1 anticlockwise from above, beginning at the gap that will
take the pole; places are numbered the same way after the cluster is on the pole. A landing is the
permutation between the two.
"""

from __future__ import annotations

from dataclasses import dataclass

from kakushi.model.catalogue import Studio
from kakushi.model.piece import LandingSchool

Groups = tuple[tuple[int, ...], ...]


@dataclass(frozen=True, slots=True)
class Landing:
    """`order[p]` is the number of the balloon that lies at place p; `groups` the numbers that are tied together."""

    order: tuple[int, ...]
    groups: Groups
    learnt: bool = False


@dataclass(frozen=True, slots=True)
class RowTying:
    """How one row is tied and brought to the pole; slots from 0.

    `groups` tied together; `crossed` the slots that the balloons end in, anticlockwise as they lie before the
    wrap; the first of them begins in slot `first`, the first after the gap that takes the pole; `gap` the two
    slots between which the pole is in the end, None where nothing is
    wrapped; `lock` the two slots exchanged last, on line those that are pulled across each other.
    """

    school: LandingSchool
    groups: Groups
    crossed: tuple[int, ...]
    gap: tuple[int, int] | None
    half_turns: int
    lock: tuple[int, int] | None
    first: int
    learnt: bool = False

    def moved(self, by: int) -> RowTying:
        """The same cluster put on `by` slots further anticlockwise."""
        n = len(self.crossed)

        def pair(of: tuple[int, int] | None) -> tuple[int, int] | None:
            return None if of is None else ((of[0] + by) % n, (of[1] + by) % n)

        return RowTying(
            school=self.school,
            groups=tuple(tuple((slot + by) % n for slot in group) for group in self.groups),
            crossed=tuple((slot + by) % n for slot in self.crossed),
            gap=pair(self.gap),
            half_turns=self.half_turns,
            lock=pair(self.lock),
            first=(self.first + by) % n,
            learnt=self.learnt,
        )


def crossed_groups(count: int) -> Groups:
    """Which balloons of a crossed cluster are mates: duplets, with one triplet where the count is odd.

    Mates lie as far apart as can be: the groups take turns going round.
    """
    # A single balloon is a group of its own.
    groups = max(count // 2, 1)
    return tuple(tuple(range(first, count, groups)) for first in range(groups))


def laid_groups(count: int) -> Groups:
    """Which places are mates where groups are laid on one after the other, each filling its part of the row."""
    # The triplet of an odd count is laid on first: it is hardest to place once others are there.
    first = 3 if count % 2 and count > 1 else 2
    starts = [0, *range(first, count, 2)]
    return tuple(tuple(range(a, b)) for a, b in zip(starts, [*starts[1:], count], strict=True))


def usual_landing(school: LandingSchool, count: int, half_turns: int) -> Landing:
    """The landing our derivation gives, without a lock.

    Cluster first: an odd number of half turns exchanges the two balloons beside the gap that takes the
    pole. Duplets laid on: each fills its part. Line-built: nothing is exchanged.
    """
    order = list(range(count))
    if school is LandingSchool.DUPLETS_LAID_ON:
        return Landing(tuple(order), laid_groups(count))
    if school is LandingSchool.CLUSTER_FIRST and half_turns % 2:
        # Two half turns bring both balloons back: only an odd number shows.
        order[0], order[-1] = order[-1], order[0]
    return Landing(tuple(order), crossed_groups(count))


def landing_for(studio: Studio, school: LandingSchool, count: int, half_turns: int, locked: bool) -> Landing:
    """The landing the studio's trial taught for this school and count, else the usual one."""
    taught = studio.landing(school.value, count, locked)
    usual = usual_landing(school, count, half_turns)
    return usual if taught is None else Landing(taught.order, usual.groups, learnt=True)


def ways(landing: Landing, school: LandingSchool, half_turns: int, locked: bool) -> list[RowTying]:
    """Every way to tie a row: any gap may take the pole, the lock may go beside any other gap.

    A taught landing with a lock has the lock in it already. On line nothing is wrapped: two neighbours may be pulled
    across each other, so that mixed duplets come to lie as planned; ways without come first.
    """
    count = len(landing.order)
    locks: list[int | None] = [None]
    if locked and not landing.learnt and school is not LandingSchool.LINE_BUILT and count > 2:
        # Not beside the gap with the pole in it: there the wrap itself has crossed them.
        locks = list(range(count - 1))
    if school is LandingSchool.LINE_BUILT and not landing.learnt and count > 2:
        locks = [None, *range(count - 1)]
    tyings = []
    for lock in locks:
        for first in range(count):
            order = list(landing.order)
            if lock is not None:
                order[lock], order[lock + 1] = order[lock + 1], order[lock]
            slot_of = {number: (first + place) % count for place, number in enumerate(order)}
            # Only a finished cluster has a gap that takes the pole; the other schools close the row on it.
            wrapped = school is LandingSchool.CLUSTER_FIRST
            tyings.append(
                RowTying(
                    school=school,
                    groups=tuple(tuple(slot_of[number] for number in group) for group in landing.groups),
                    crossed=tuple(slot_of[number] for number in range(count)),
                    gap=((first - 1) % count, first) if wrapped else None,
                    half_turns=half_turns if wrapped else 0,
                    lock=None if lock is None else ((first + lock) % count, (first + lock + 1) % count),
                    first=first,
                    learnt=landing.learnt,
                )
            )
    return tyings
