"""Patterns land on the right slots, mixes keep their shares, faults are found before building."""

from __future__ import annotations

import itertools
import math
from collections import Counter

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from kakushi.colour.codes import free_code
from kakushi.colour.colouring import colour_conflicts, colour_rows, pattern_of
from kakushi.colour.facing import rows_facing
from kakushi.colour.faults import colour_faults
from kakushi.colour.mix import FREE, mended, mixed
from kakushi.colour.relation import facing, labels, places, relation
from kakushi.colour.surface import Surface, surface_of, whole_steps
from kakushi.model.catalogue import DEFAULT_PALETTE
from kakushi.model.groups import Row, uniform_row
from kakushi.model.job import Job
from kakushi.model.layers import (
    Band,
    BandsLayer,
    ChecksLayer,
    ColourLayer,
    DiamondsLayer,
    GradientLayer,
    Hand,
    MixLayer,
    MotifLayer,
    RingsLayer,
    Share,
    Side,
    SolidLayer,
    SpiralLayer,
    StripesLayer,
)
from kakushi.model.shares import largest_remainder
from kakushi.model.values import replace
from kakushi.packing.settle import settle
from kakushi.packing.stack import Packing, StackRow, equal_row
from kakushi.words.plan import fault_words
from kakushi.words.rows import relation_words
from kakushi.words.wording import Wording


def column(counts: list[int], foot: float = 0.0) -> tuple[tuple[Row, ...], Surface]:
    """Rows of 216 mm balloons with the surface they settle to."""
    rows = tuple(uniform_row(k + 1, n, 11, 216) for k, n in enumerate(counts))
    geometry = settle([equal_row(n, 216, 45) for n in counts], Packing(), foot)
    return rows, surface_of(geometry, tuple(counts))


QUADS, QUAD_SURFACE = column([4] * 10)


def laid(*layers: ColourLayer, rows: tuple[Row, ...] = QUADS, surface: Surface = QUAD_SURFACE):
    return colour_rows(rows, surface, layers)


@pytest.mark.parametrize(("hand", "way"), [(Hand.RIGHT, 1), (Hand.LEFT, -1)])
@pytest.mark.parametrize("n", [3, 4, 5, 6])
def test_a_spiral_climbs_half_a_slot_per_row_to_its_hand(n: int, hand: Hand, way: int) -> None:
    rows, surface = column([n] * 8)
    found = laid(SpiralLayer(lanes=("red", *("white",) * (n - 1)), hand=hand), rows=rows, surface=surface)
    angles = [surface.turns[k] + line.index("red") * 2 * math.pi / n for k, line in enumerate(found)]
    for before, after in itertools.pairwise(angles):
        assert math.remainder(after - before, 2 * math.pi) == pytest.approx(way * math.pi / n)


def test_a_steep_spiral_climbs_several_half_slots_and_chevrons_turn_back() -> None:
    steep = laid(SpiralLayer(lanes=("red", "white", "white", "white"), lead=3))
    at = [QUAD_SURFACE.turns[k] + line.index("red") * math.pi / 2 for k, line in enumerate(steep)]
    assert {round(math.remainder(b - a, 2 * math.pi), 6) for a, b in itertools.pairwise(at)} == {
        round(math.remainder(3 * math.pi / 4, 2 * math.pi), 6)
    }
    chevron = laid(SpiralLayer(lanes=("red", "white", "white", "white"), reverse_every=3))
    at = [QUAD_SURFACE.turns[k] + line.index("red") * math.pi / 2 for k, line in enumerate(chevron)]
    ways = [math.copysign(1, math.remainder(b - a, 2 * math.pi)) for a, b in itertools.pairwise(at)]
    assert ways == [1, 1, 1, -1, -1, -1, 1, 1, 1]


def test_a_spiral_holds_its_lanes_where_the_count_changes_and_over_a_mixed_row() -> None:
    rows, surface = column([4, 4, 5, 5])
    for line in laid(SpiralLayer(lanes=("rope", "teal")), rows=rows, surface=surface):
        halves = Counter(line)
        assert abs(halves["rope"] - halves["teal"]) <= 1
    # A raised pair lets its row settle a little off half a slot; the colours above must not jump for it.
    plain = [0.0, math.pi / 4, math.pi / 2, 3 * math.pi / 4]
    askew = [0.0, math.radians(46), math.radians(93), math.radians(136)]
    assert whole_steps([4] * 4, askew) == pytest.approx(plain)
    uneven = (
        [equal_row(4, 216, 45)] * 4 + [StackRow((216, 190, 216, 190), (45, 40, 45, 40))] + [equal_row(4, 216, 45)] * 4
    )
    uneven_surface = surface_of(settle(uneven, Packing()), (4,) * 9)
    lanes = SpiralLayer(lanes=("rope", "rope", "teal", "teal"))
    assert laid(lanes, rows=QUADS[:9], surface=uneven_surface) == laid(lanes)[:9]


def test_stripes_climb_in_zigzags_and_checks_stagger() -> None:
    stripes = laid(StripesLayer(lanes=("a", "b", "c", "d")))
    at = [QUAD_SURFACE.turns[k] + line.index("a") * math.pi / 2 for k, line in enumerate(stripes)]
    assert [round(math.degrees(math.remainder(x, 2 * math.pi))) for x in at[:4]] == [0, 45, 0, 45]
    checks = laid(ChecksLayer(colours=("a", "b"), high=2))
    assert all(Counter(line) == {"a": 2, "b": 2} for line in checks)
    lane_of = [(QUAD_SURFACE.turns[k] + line.index("a") * math.pi / 2) % math.pi for k, line in enumerate(checks)]
    assert lane_of[0] != pytest.approx(lane_of[2])
    assert math.sin(lane_of[0] - lane_of[4]) == pytest.approx(0, abs=1e-9)


def test_bands_rings_and_layers_cover_in_order() -> None:
    bands = BandsLayer(bands=(Band(colour="a", rows=2), Band(colour="b", rows=1)))
    assert [line[0] for line in laid(SolidLayer(colour="z"), bands)] == [*"aabaabaaba"]
    assert {c for line in laid(SolidLayer(colour="z"), replace(bands, shown=False)) for c in line} == {"z"}
    rings = laid(SolidLayer(colour="z"), RingsLayer(colour="r", every=4, first=2))
    assert [line[0] for line in rings] == [*"zrzzzrzzzr"]


def test_diamonds_lie_front_and_back_and_are_symmetric() -> None:
    found = laid(SolidLayer(colour="z"), DiamondsLayer(colours=("a", ""), around=2, high=5))
    for row, line in enumerate(found):
        by_angle = {
            round(math.degrees(QUAD_SURFACE.slot_angle(row, slot))) % 360: colour for slot, colour in enumerate(line)
        }
        for angle, colour in by_angle.items():
            assert by_angle.get(-angle % 360, colour) == colour
            assert by_angle[(angle + 180) % 360] == colour
    assert Counter(c for line in found for c in line)["a"] > 4


@pytest.mark.parametrize("dithered", [False, True])
def test_a_gradient_goes_from_foot_to_top_with_fair_shares(dithered: bool) -> None:
    rows, surface = column([4] * 12)
    found = laid(GradientLayer(colours=("a", "b", "c"), dithered=dithered), rows=rows, surface=surface)
    shares = Counter(c for line in found for c in line)
    assert found[0] == ("a",) * 4
    assert found[-1] == ("c",) * 4
    assert shares["a"] == pytest.approx(12, abs=4)
    assert shares["b"] == pytest.approx(24, abs=4)
    if not dithered:
        assert all(len(set(line)) == 1 for line in found)


def test_a_hand_painted_slot_covers_every_layer_and_can_be_hidden() -> None:
    slot = replace(QUADS[2].slots[1], colour="red")
    rows = (*QUADS[:2], replace(QUADS[2], slots=(QUADS[2].slots[0], slot, *QUADS[2].slots[2:])), *QUADS[3:])
    assert laid(SolidLayer(colour="rope"), rows=rows)[2] == ("rope", "red", "rope", "rope")
    assert pattern_of(rows, QUAD_SURFACE, (SolidLayer(colour="rope"),))[2] == ("rope",) * 4


# --- motifs ---------------------------------------------------------------------------------


def test_a_motif_reads_from_the_front_and_from_the_back() -> None:
    cells = (("L", "R"),)
    found = laid(SolidLayer(colour="z"), MotifLayer(cells=cells, side=Side.FRONT_AND_BACK, tall=0.2))
    for row, line in enumerate(found):
        for slot, colour in enumerate(line):
            angle = QUAD_SURFACE.slot_angle(row, slot)
            x = math.sin(angle) * math.copysign(1, math.cos(angle))
            if colour != "z":
                assert colour == ("R" if x > -1e-9 else "L")
    assert {"L", "R"} <= {c for line in found for c in line}
    mirrored = laid(SolidLayer(colour="z"), MotifLayer(cells=cells, tall=0.2, mirrored=True))
    plain = laid(SolidLayer(colour="z"), MotifLayer(cells=cells, tall=0.2))
    swap = {"L": "R", "R": "L", "z": "z"}
    off_middle = [
        (a, b)
        for row, (one, two) in enumerate(zip(plain, mirrored, strict=True))
        for slot, (a, b) in enumerate(zip(one, two, strict=True))
        if abs(math.sin(QUAD_SURFACE.slot_angle(row, slot))) > 0.1
    ]
    assert all(swap[a] == b for a, b in off_middle)


def test_a_quad_column_faces_front_every_second_row() -> None:
    assert rows_facing(QUAD_SURFACE) == (0, 2, 4, 6, 8)
    assert rows_facing(column([4] * 6, math.pi / 4)[1]) == (1, 3, 5)


# --- free mixes ---------------------------------------------------------------------------------


@given(st.integers(0, 400), st.lists(st.floats(0.1, 90), min_size=1, max_size=8))
def test_exact_shares_add_up_and_miss_by_less_than_one(total: int, parts: list[float]) -> None:
    counts = largest_remainder(total, parts)
    assert sum(counts) == total
    assert all(abs(count - total * part / sum(parts)) < 1 + 1e-6 for count, part in zip(counts, parts, strict=True))


def test_shares_of_a_mix_are_exact() -> None:
    rows, surface = column([4] * 30)
    shares = (Share(colour="a", parts=40), Share(colour="b", parts=35), Share(colour="c", parts=25))
    found = laid(MixLayer(shares=shares), rows=rows, surface=surface)
    assert Counter(c for line in found for c in line) == {"a": 48, "b": 42, "c": 30}
    assert found != laid(MixLayer(shares=shares, seed=2), rows=rows, surface=surface)


def fewest_conflicts(size: int, pairs: np.ndarray, counts: list[int]) -> int:
    """By trying every way to colour the balloons, the first one fixed."""
    best = [len(pairs)]
    below = [[int(a) for a, b in pairs if b == i] for i in range(size)]

    def go(colours: list[int], left: list[int], alike: int) -> None:
        if alike >= best[0]:
            return
        if len(colours) == size:
            best[0] = alike
            return
        for colour in range(len(left)):
            if left[colour]:
                left[colour] -= 1
                go([*colours, colour], left, alike + sum(colours[a] == colour for a in below[len(colours)]))
                left[colour] += 1

    go([], counts, 0)
    return best[0]


@pytest.mark.parametrize("n", [3, 4, 5, 6])
@pytest.mark.parametrize("colours", [3, 4])
def test_a_small_mix_has_as_few_twins_as_any(n: int, colours: int) -> None:
    rows = 12 // n
    pairs = column([n] * rows)[1].pairs
    counts = largest_remainder(n * rows, [1] * colours)
    for seed in range(3):
        assert mixed(n * rows, pairs, [1] * colours, seed).colour_conflicts == fewest_conflicts(n * rows, pairs, counts)


def test_a_quad_column_of_three_colours_has_no_twins() -> None:
    for rows in range(2, 16):
        assert mixed(4 * rows, column([4] * rows)[1].pairs, [1, 1, 1], rows).colour_conflicts == 0


def test_a_mix_works_round_what_is_painted_and_moves_little() -> None:
    rows, surface = column([4] * 15)
    free = mixed(60, surface.pairs, [1, 1, 1, 1], 4)
    pinned = np.full(60, FREE)
    pinned[[5, 22, 41]] = (free.colours[[5, 22, 41]] + 1) % 4
    pinned[50] = 4
    found = mended(free, surface.pairs, [1, 1, 1, 1], 4, pinned)
    assert (found.colours[[5, 22, 41]] == pinned[[5, 22, 41]]).all()
    assert sorted(np.bincount(found.colours)[:4]) == [14, 15, 15, 15]
    assert found.colour_conflicts == 0
    assert (found.colours != free.colours).mean() < 0.25
    layers = (MixLayer(shares=(Share(colour="a", parts=1), Share(colour="b", parts=1), Share(colour="c", parts=1))),)
    assert colour_conflicts(laid(*layers, rows=rows, surface=surface), surface) == []


# --- words and faults -------------------------------------------------------------------------------


def test_turns_are_told_by_colours_and_gaps() -> None:
    found = laid(SpiralLayer(lanes=("signal-red", *["sail-white"] * 3)))
    angles = [QUAD_SURFACE.angles[4 * row : 4 * row + 4] for row in (0, 1)]
    place = places(angles[1], angles[0])[0]
    # Slot 1 lies anticlockwise of slot 1 below: to the right seen from outside.
    assert (place.left, place.right, place.is_in_gap) == (0, 1, True)
    wording = Wording(Job())
    words = relation_words(
        relation(QUAD_SURFACE, 1, 0, labels(QUAD_SURFACE, 1, found[1]), labels(QUAD_SURFACE, 0, found[0])), wording
    )
    assert words == "The signal red goes one gap to the right of the signal red below."
    assert "faces the front" in relation_words(facing(QUAD_SURFACE, 0, labels(QUAD_SURFACE, 0, found[0])), wording)


def test_faults_are_found_before_building() -> None:
    rows, surface = column([4, 4, 5, 4, 4])
    assert "Row 3 has 5 balloons between rows of 4." in [fault_words(f) for f in colour_faults(surface, (), (), ())]
    spiral = (SpiralLayer(lanes=("r", "r", "w", "w")),)
    painted = replace(QUADS[3], slots=(replace(QUADS[3].slots[0], colour="x"), *QUADS[3].slots[1:]))
    rows = (*QUADS[:3], painted, *QUADS[4:])
    found = colour_faults(QUAD_SURFACE, spiral, laid(*spiral, rows=rows), pattern_of(rows, QUAD_SURFACE, spiral))
    assert [(fault_words(f), f.rows) for f in found] == [("Painted colours leave the spiral in row 4.", (3,))]
    stacked = [equal_row(4, 216, 45)] * 3 + [StackRow((216,) * 4, (45,) * 4, turn=0.0)] + [equal_row(4, 216, 45)] * 2
    straight = surface_of(settle(stacked, Packing()), (4,) * 6)
    words = [
        fault_words(f)
        for f in colour_faults(
            straight, spiral, laid(*spiral, rows=QUADS[:6], surface=straight), pattern_of(QUADS[:6], straight, spiral)
        )
    ]
    assert words == ["The spiral loses its hand at row 4: a turn is pinned that stands balloon on balloon."]
    pair = (MixLayer(shares=(Share(colour="a", parts=9), Share(colour="b", parts=1))),)
    assert "touching pairs are of one colour" in fault_words(
        colour_faults(QUAD_SURFACE, pair, laid(*pair), laid(*pair))[0]
    )


@given(st.lists(st.text(max_size=12), max_size=40))
def test_letter_codes_are_short_and_differ(names: list[str]) -> None:
    codes: list[str] = []
    for name in names:
        codes.append(free_code(name, codes))
    assert len(set(codes)) == len(names)
    assert all(1 <= len(code) <= 4 for code in codes)


def test_the_palette_s_codes_are_made_from_its_names() -> None:
    for place, colour in enumerate(DEFAULT_PALETTE):
        assert free_code(colour.name, [c.code for c in DEFAULT_PALETTE[:place]]) == colour.code
