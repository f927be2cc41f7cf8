"""Cards tell how to tie and wrap; a builder who does just that gets the planned slots.

The builder here is written from what hands do with balloons, not from the solver.
"""

from __future__ import annotations

from collections import Counter

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from added_up import needed, tied
from kakushi.colour.landing import RowTying, crossed_groups, laid_groups, usual_landing
from kakushi.colour.tying import Balloon, Card, Habits, PlannedRow, cards_for
from kakushi.formats.export.plan_json import plan_json
from kakushi.model.catalogue import Studio, TaughtLanding
from kakushi.model.job import Job
from kakushi.model.piece import LandingSchool
from kakushi.model.roles import BalloonRole
from kakushi.plan.pipeline import plan
from kakushi.workshop.dossier import Dossier
from strategies import jobs

CLUSTER, LAID, LINE = LandingSchool.CLUSTER_FIRST, LandingSchool.DUPLETS_LAID_ON, LandingSchool.LINE_BUILT
letters = st.sampled_from("abcd")


def balloon(colour: str) -> Balloon:
    return Balloon(11.0, 216.0, colour)


def built(card: Card, hand: tuple[int, ...] | None = None) -> list[Balloon]:
    """The balloons in slot order when a builder follows a card.

    `hand`: a builder whose wrap lands the balloon numbered hand[p] (round from the gap) at place p.
    """
    tying, wanted = card.tying, card.cluster.balloons
    n = len(wanted)
    # The builder has bunches tied the night before and takes one balloon after the other out of them.
    bunches = [[wanted[slot] for slot in group] for group in tying.groups]
    bunch_of = {slot: number for number, group in enumerate(tying.groups) for slot in group}
    assert sorted(slot for group in tying.groups for slot in group) == list(range(n))
    if tying.school is LAID:
        # One bunch after the other is laid against the pole, side by side, beginning where the card says.
        ring = [balloon for bunch in bunches for balloon in bunch]
    else:
        # Crossed on one knot: the bunches take turns going round. Numbers on the card say which balloon comes when.
        ring = []
        for slot in tying.crossed:
            bunch = bunches[bunch_of[slot]]
            ring.append(bunch.pop(bunch.index(wanted[slot])))
        assert not any(bunches)
    first = tying.first
    assert tying.gap is None or tying.gap == ((first - 1) % n, first)
    if hand is not None:
        ring = [ring[number] for number in hand]
    elif tying.school is CLUSTER:
        # The pole goes in between the last and the first; they are crossed behind it, half turn by half turn.
        for _ in range(tying.half_turns):
            ring[0], ring[-1] = ring[-1], ring[0]
    landed = {(first + place) % n: balloon for place, balloon in enumerate(ring)}
    if tying.lock is not None:
        a, b = tying.lock
        landed[a], landed[b] = landed[b], landed[a]
    return [landed[slot] for slot in range(n)]


def rows_of(patterns: list[str], habits: Habits) -> list[PlannedRow]:
    return [PlannedRow(1, "", k, 2, habits, tuple(map(balloon, pattern))) for k, pattern in enumerate(patterns)]


@given(
    st.lists(st.integers(2, 8).flatmap(lambda n: st.text(letters, min_size=n, max_size=n)), min_size=1, max_size=7),
    st.sampled_from(list(LandingSchool)),
    st.integers(0, 3),
    st.booleans(),
    st.booleans(),
)
def test_building_from_the_cards_gives_the_plan(
    patterns: list[str], school: LandingSchool, half_turns: int, locked: bool, mixed: bool
) -> None:
    habits = Habits(school, half_turns, locked, mixed)
    found = cards_for(rows_of(patterns, habits), Studio())
    assert sorted(at.row for card in found for at in card.rows) == list(range(len(patterns)))
    for card in found:
        assert tuple(built(card)) == card.cluster.balloons
        # On line two may be pulled across each other; elsewhere a lock is a habit.
        assert school is LINE or (card.tying.lock is not None) == (locked and len(card.cluster.balloons) > 2)
        for at in card.rows:
            n = len(card.cluster.balloons)
            slots = {(slot + at.shift) % n: b for slot, b in enumerate(card.cluster.balloons)}
            assert "".join(slots[slot].colour for slot in range(n)) == patterns[at.row]
    tied = sum(len(kind) * card.many for card in found for kind in card.kinds())
    assert tied == 2 * sum(map(len, patterns))


@given(
    st.integers(3, 6).flatmap(lambda n: st.tuples(st.permutations(range(n)), st.text(letters, min_size=n, max_size=n)))
)
def test_building_with_one_s_own_hands_gives_the_plan_once_they_are_taught(found: tuple[list[int], str]) -> None:
    order, pattern = found
    taught = TaughtLanding(school=CLUSTER.value, count=len(order), order=tuple(order))
    cards = cards_for(rows_of([pattern], Habits(CLUSTER, 1, False, False)), Studio(landings=(taught,)))
    assert cards[0].tying.learnt
    assert tuple(built(cards[0], tuple(order))) == cards[0].cluster.balloons


def partition(tying: RowTying) -> set[frozenset[int]]:
    return {frozenset(group) for group in tying.groups}


def test_a_quad_with_one_half_turn_ties_what_the_craft_says() -> None:
    """Target t1 t2 t3 t4, pole between t1 and t2: the duplets are {t2, t3} and {t4, t1}."""
    found = cards_for(rows_of(["abcd"], Habits(CLUSTER, 1, False, False)), Studio())[0].tying
    turned = found.moved((1 - (found.gap or (0, 0))[1]) % 4)
    assert turned.gap == (0, 1)
    assert partition(turned) == {frozenset({1, 2}), frozenset({3, 0})}


@pytest.mark.parametrize(
    ("pattern", "school", "half_turns", "mixed", "kinds"),
    [
        ("abab", CLUSTER, 1, False, {"ab"}),
        ("abac", CLUSTER, 1, False, {"ab", "ac"}),
        ("aabb", CLUSTER, 1, False, {"aa", "bb"}),
        ("aabb", CLUSTER, 1, True, {"ab"}),
        ("abab", CLUSTER, 2, False, {"aa", "bb"}),
        ("abab", LINE, 0, False, {"aa", "bb"}),
        ("aabb", LINE, 0, False, {"ab"}),
        ("aabb", LAID, 0, False, {"aa", "bb"}),
        ("abab", LINE, 0, True, {"ab"}),
        ("abac", LINE, 0, True, {"ab", "ac"}),
        ("abcabc", LINE, 0, False, {"aa", "bb", "cc"}),
        ("aabbcc", LAID, 0, False, {"aa", "bb", "cc"}),
        ("ababa", LINE, 0, False, {"aaa", "bb"}),
    ],
)
def test_usual_rows_need_the_usual_duplets(
    pattern: str, school: LandingSchool, half_turns: int, mixed: bool, kinds: set[str]
) -> None:
    found = cards_for(rows_of([pattern], Habits(school, half_turns, False, mixed)), Studio())
    assert {"".join(b.colour for b in kind) for card in found for kind in card.kinds()} == kinds


def test_fewest_kinds_are_looked_for_over_the_whole_job() -> None:
    # Alone, aabb would be tied plain; beside a column of abab the same mixed duplet serves both.
    found = cards_for(rows_of(["abab", "abab", "aabb"], Habits(CLUSTER, 1, False, False)), Studio())
    assert {"".join(b.colour for b in kind) for card in found for kind in card.kinds()} == {"ab"}


@pytest.mark.parametrize("count", range(2, 13))
def test_groups_cover_every_balloon_once_with_at_most_one_triplet(count: int) -> None:
    for groups in (crossed_groups(count), laid_groups(count)):
        assert sorted(number for group in groups for number in group) == list(range(count))
        assert Counter(map(len, groups))[3] == count % 2
        assert set(map(len, groups)) <= {2, 3}
    assert usual_landing(CLUSTER, count, 2).order == tuple(range(count))


@settings(max_examples=4)
@given(jobs())
def test_what_is_tied_is_what_is_consumed(job: Job) -> None:
    found = plan(job, Studio())
    counted: Counter[BalloonRole] = Counter()
    for kind in tied(found):
        counted[kind.part] += len(kind.balloons) * kind.count
    assert sum(counted.values()) == sum(line.needed for line in needed(found))
    told = plan_json(Dossier(found))
    assert (
        sum(len(d["colours"]) * d["count"] for d in told["duplets"] if d["part"] == "row") == counted[BalloonRole.ROW]
    )
    for piece in told["pieces"]:
        for row in piece["rows"] if piece["copies"] else ():
            groups = row["tying"]["groups"] if row["tying"] else [{"slots": [s["slot"] for s in row["slots"]]}]
            assert sorted(slot for group in groups for slot in group["slots"]) == [s["slot"] for s in row["slots"]]
