"""Colours land on the right slots; supplies are what the drawn parts consume, times copies."""

from __future__ import annotations

import itertools
import math
from collections import Counter

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from kakushi.colour.patterns import colour_rows, letter_codes
from kakushi.model.catalogue import DEFAULT_PALETTE, Studio
from kakushi.model.job import (
    BallGroup,
    Band,
    BandsLayer,
    Hand,
    Job,
    PartKind,
    RowsGroup,
    SolidLayer,
    SpiralLayer,
    uniform_row,
)
from kakushi.model.values import replace
from kakushi.planning import plan
from kakushi.prep.supplies import Use, supply_lines
from strategies import jobs

QUADS = tuple(uniform_row(k + 1, 4, 11, 216) for k in range(9))
TURNS = [k * math.pi / 4 for k in range(9)]


@pytest.mark.parametrize(("hand", "way"), [(Hand.RIGHT, 1), (Hand.LEFT, -1)])
@pytest.mark.parametrize("n", [3, 4, 5, 6])
def test_a_spiral_climbs_half_a_slot_per_row_to_its_hand(n: int, hand: Hand, way: int) -> None:
    rows = tuple(uniform_row(k + 1, n, 11, 216) for k in range(8))
    turns = [k * math.pi / n for k in range(8)]
    lanes = ("signal-red", *("sail-white",) * (n - 1))
    found = colour_rows(rows, turns, (SpiralLayer(lanes=lanes, hand=hand),))
    angles = [turns[k] + line.index("signal-red") * 2 * math.pi / n for k, line in enumerate(found)]
    for before, after in itertools.pairwise(angles):
        step = math.remainder(after - before, 2 * math.pi)
        assert step == pytest.approx(way * math.pi / n)


def test_a_spiral_holds_its_lanes_where_the_count_changes() -> None:
    rows = tuple(uniform_row(k + 1, n, 11, 216) for k, n in enumerate((4, 4, 5, 5)))
    turns = [0, math.pi / 4, math.pi / 4 + 0.3, math.pi / 4 + 0.3 + math.pi / 5]
    for line in colour_rows(rows, turns, (SpiralLayer(lanes=("rope", "deep-teal")),)):
        halves = Counter(line)
        assert abs(halves["rope"] - halves["deep-teal"]) <= 1


def test_bands_repeat_and_layers_cover_in_order() -> None:
    bands = BandsLayer(bands=(Band(colour="a", rows=2), Band(colour="b", rows=1)))
    found = colour_rows(QUADS, TURNS, (SolidLayer(colour="z"), bands))
    assert [line[0] for line in found] == ["a", "a", "b"] * 3
    hidden = replace(bands, shown=False)
    assert {c for line in colour_rows(QUADS, TURNS, (SolidLayer(colour="z"), hidden)) for c in line} == {"z"}


def test_a_hand_painted_slot_covers_every_layer() -> None:
    slot = replace(QUADS[2].slots[1], colour="signal-red")
    painted = replace(QUADS[2], slots=(QUADS[2].slots[0], slot, *QUADS[2].slots[2:]))
    found = colour_rows((*QUADS[:2], painted, *QUADS[3:]), TURNS, (SolidLayer(colour="rope"),))
    assert found[2] == ("rope", "signal-red", "rope", "rope")


@given(st.lists(st.text(max_size=12), max_size=40))
def test_letter_codes_are_short_and_differ(names: list[str]) -> None:
    codes = letter_codes(names)
    assert len(set(codes)) == len(names)
    assert all(1 <= len(code) <= 4 for code in codes)


def test_the_palette_s_codes_are_made_from_its_names() -> None:
    assert letter_codes([c.name for c in DEFAULT_PALETTE]) == tuple(c.code for c in DEFAULT_PALETTE)


def consumed(job: Job) -> Counter[tuple[float, str]]:
    """What the copies use, counted by hand from the parts and the plan's own colours."""
    total: Counter[tuple[float, str]] = Counter()
    for piece in job.pieces:
        for copy in piece.copies:
            groups = copy.groups if copy.groups is not None else piece.groups
            shown = replace(piece, groups=groups, copies=piece.copies[:1])
            colouring = iter(plan(replace(job, pieces=(shown,)), Studio()).pieces[0].colouring)
            for group in groups:
                if isinstance(group, RowsGroup):
                    for row in group.rows:
                        for slot, colour in zip(row.slots, next(colouring), strict=True):
                            total[slot.nominal_in, colour] += 1
                            total[slot.nominal_in, slot.inner_colour or ""] += bool(slot.inner_colour)
                elif isinstance(group, BallGroup):
                    for slot in group.slots:
                        total[slot.nominal_in, slot.colour or job.palette[0].key] += 1
                        total[slot.nominal_in, slot.inner_colour or ""] += bool(slot.inner_colour)
            for part in piece.parts:
                for b in part.balloons:
                    total[b.nominal_in, b.colour] += b.count
    return +total


@settings(max_examples=15)
@given(jobs())
def test_supplies_equal_what_the_drawn_parts_consume_times_copies(job: Job) -> None:
    found = plan(job, Studio())
    assert Counter({(line.nominal_in, line.colour): line.needed for line in found.supplies}) == consumed(job)
    for piece in found.pieces:
        drawn = sum(u.count for u in piece.uses if u.kind is PartKind.ROW)
        assert drawn == len(piece.geometry.radii)
        assert sum(u.count for u in piece.uses if u.kind is PartKind.INNER) == sum(
            slot.inner_colour is not None for group in piece.piece.groups for slots in _slots(group) for slot in slots
        )
    for line in found.supplies:
        of_pieces = [
            s for p in found.pieces for s in p.supplies if (s.nominal_in, s.colour) == (line.nominal_in, line.colour)
        ]
        assert (line.needed, line.spares, line.total) == tuple(
            sum(getattr(s, key) for s in of_pieces) for key in ("needed", "spares", "total")
        )


def _slots(group: object):
    if isinstance(group, RowsGroup):
        return [row.slots for row in group.rows]
    return [group.slots] if isinstance(group, BallGroup) else []


def test_spares_are_rounded_up_per_line() -> None:
    uses = [Use(PartKind.ROW, 11, "rope", 41), Use(PartKind.ROW, 5, "rope", 20)]
    assert [(line.nominal_in, line.spares) for line in supply_lines(uses, 10)] == [(11, 5), (5, 2)]
    assert all(line.spares == 0 for line in supply_lines(uses, 0))
