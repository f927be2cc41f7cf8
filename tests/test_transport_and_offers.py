"""What fits through the door and into the vehicle, in how many trips; other sizes are really fitted and priced."""

from __future__ import annotations

from random import Random

import numpy as np
import pytest

from added_up import needed
from kakushi.building.transport import CopyLoad, loads_of, trips_of
from kakushi.model.catalogue import Studio
from kakushi.model.frame import Base, Frame
from kakushi.model.groups import BallGroup, RowsGroup, Slot, uniform_row
from kakushi.model.job import Job, Pricing
from kakushi.model.outline import PresetOutline
from kakushi.model.parts import HungLoad, PartBalloons, Topper
from kakushi.model.paths import PresetPath, Strand
from kakushi.model.piece import Copy, FitControls, Piece, with_rows
from kakushi.model.ties import Tie
from kakushi.model.units import UnitSystem
from kakushi.model.values import replace
from kakushi.model.workshop import AccessLimits
from kakushi.plan.fitting import fit_piece
from kakushi.plan.pipeline import plan
from kakushi.shape.presets import default_outline
from kakushi.words.transport import load_words, offer_words, transport_words
from kakushi.workshop.dossier import Dossier
from kakushi.workshop.offers import offers


def column(rows: int, diameter: float = 215.0, copies: int = 1) -> Piece:
    group = RowsGroup(rows=tuple(uniform_row(k, 4, 11, diameter) for k in range(1, rows + 1)))
    return Piece(key=1, name="Gate", groups=(group,), copies=(Copy(),) * copies, frame=Frame(pole_length_mm=None))


def load_in(piece: Piece, **way: float) -> CopyLoad:
    ((load, _),) = loads_of(plan(Job(pieces=(piece,)), Studio(way=AccessLimits(**way))))
    return load


def test_a_piece_stands_lies_is_split_or_stays() -> None:
    tall = plan(Job(pieces=(column(12),)), Studio()).pieces[0].overall_height_mm
    assert load_in(column(12), room_tall_mm=tall + 1, door_tall_mm=tall + 1).stands
    lying = load_in(column(12), room_tall_mm=tall - 1, room_long_mm=tall + 1)
    assert (lying.stands, lying.is_split, lying.boxes[0][0]) == (False, False, pytest.approx(tall))
    split = load_in(column(12), room_tall_mm=700, room_long_mm=tall * 0.62)
    assert split.parts == (6, 6)
    assert all(long <= tall * 0.62 for long, _ in split.boxes)
    assert "too wide" in load_in(column(12), door_wide_mm=300).problem
    assert "too wide" in load_in(column(3), room_tall_mm=600, room_long_mm=150).problem
    assert "too long" in load_in(column(60), room_tall_mm=600, room_long_mm=520).problem


def test_a_ring_lies_flat_and_two_strands_come_apart_at_their_tie() -> None:
    rows = tuple(uniform_row(k, 4, 5, 100.0) for k in range(1, 31))
    ring = RowsGroup(rows=rows, strand=Strand(path=PresetPath(preset="ring", width_mm=900, height_mm=900)))
    piece = Piece(key=1, name="Ring", groups=(ring,), frame=Frame(kind="frameless", pole_length_mm=None))
    flat = load_in(piece, room_tall_mm=500)
    (wide, tall), planned = flat.boxes[0], plan(Job(pieces=(piece,)), Studio()).pieces[0].drawn
    assert not flat.is_split
    assert wide == pytest.approx(tall, rel=0.03)
    assert wide == pytest.approx(np.ptp(planned.centres[:, 0]) + 2 * planned.shape_radii.max(), rel=0.05)
    on_edge = load_in(piece, room_tall_mm=2000, room_wide_mm=400)
    assert on_edge.boxes[0][1] < 400
    path = PresetPath(preset="arch", width_mm=1200, height_mm=1200)
    legs = tuple(
        RowsGroup(
            rows=tuple(uniform_row(k + at, 4, 5, 100.0) for k in range(1, 21)), strand=Strand(path=path, x_mm=at * 13.0)
        )
        for at in (0, 100)
    )
    arch = replace(piece, groups=legs, ties=(Tie(row=20, other=120),))
    apart = load_in(arch, room_long_mm=1500, room_wide_mm=1500, room_tall_mm=250)
    assert (apart.at, apart.parts) == ("ties", (20, 20))
    assert "undo the ties" in load_words(apart, 1, UnitSystem.METRIC)
    line = load_in(replace(piece, groups=legs[:1]), room_long_mm=600, room_wide_mm=600)
    assert (line.at, sum(line.parts)) == ("line", 20)


def test_trips_hold_what_they_say() -> None:
    way = AccessLimits(room_long_mm=2400, room_wide_mm=1200)
    load = CopyLoad("x", (1,), ((2000.0, 550.0),), False)
    assert [trips_of([(load, many)], way) for many in (0, 1, 2, 3, 4, 5)] == [0, 1, 1, 2, 2, 3]
    small = CopyLoad("y", (1,), ((550.0, 550.0),), True)
    assert trips_of([(small, 8)], way) == 1, "four in a shelf, two shelves"
    assert trips_of([(replace_problem(load), 9)], way) == 0
    words = " ".join(transport_words(plan(Job(pieces=(column(12, copies=2),)), Studio()), UnitSystem.METRIC))
    assert "2 of them" in words
    assert "trip" in words


def replace_problem(load: CopyLoad) -> CopyLoad:
    return CopyLoad(load.name, load.parts, load.boxes, load.stands, "too wide")


def test_sizes_for_the_client_are_fitted_counted_and_priced() -> None:
    outline = default_outline("straight", 1500)
    assert isinstance(outline, PresetOutline)
    piece = replace(column(9), target_height_mm=1500, outline=outline, fit=FitControls(nominals=(11,), max_sizes=1))
    piece = with_rows(piece, fit_piece(piece, Studio()).rows)
    ball = Piece(key=2, name="Ball", target_height_mm=400,
                 groups=(BallGroup(slots=(Slot(nominal_in=9, diameter_mm=170),) * 8),))  # fmt: skip
    job = Job(pieces=(piece, ball), pricing=Pricing(currency="crowns"))
    dossier = Dossier(plan(job, Studio()))
    told: list[float] = []
    small, planned, large = offers(dossier, told.append)
    assert told == sorted(told)
    assert told[-1] == 1.0
    assert planned.plan.pieces[0].piece == piece, "as planned it stays as it is"
    assert small.price <= planned.price <= large.price
    for offer, factor in ((small, 0.85), (large, 1.2)):
        found = offer.plan.pieces[0]
        assert found.height_mm == pytest.approx(1500 * factor, abs=60)
        assert found.match.mean > 0.85
        assert offer.balloons == sum(line.total for line in needed(offer.plan))
        assert offer.plan.pieces[1].piece == ball, "a ball has no rows to fit"
    words = list(offer_words([small, planned, large], "crowns", UnitSystem.METRIC))
    assert words[0].startswith("Small: ")
    assert "crowns" in words[2]


def fits_on_one(boxes: list[tuple[int, int]], floor: tuple[int, int]) -> bool:
    """Whether boxes lie side by side on a small floor, by trying every place on a grid."""
    long, wide = floor

    def put(left: list[tuple[int, int]], taken: frozenset[tuple[int, int]]) -> bool:
        if not left:
            return True
        for a, b in {left[0], left[0][::-1]}:
            for x in range(long - a + 1):
                for y in range(wide - b + 1):
                    cells = {(x + i, y + j) for i in range(a) for j in range(b)}
                    if not cells & taken and put(left[1:], taken | cells):
                        return True
        return False

    return put(sorted(boxes, reverse=True), frozenset())


def fewest_trips(boxes: list[tuple[int, int]], floor: tuple[int, int]) -> int:
    """The fewest trips, by trying every way to share boxes out."""

    def share(left: list[tuple[int, int]], trips: list[list[tuple[int, int]]]) -> int:
        if not left:
            return len(trips)
        best = len(boxes)
        for k, trip in enumerate(trips):
            if fits_on_one([*trip, left[0]], floor):
                best = min(best, share(left[1:], [*trips[:k], [*trip, left[0]], *trips[k + 1 :]]))
        return min(best, share(left[1:], [*trips, [left[0]]]))

    return share(boxes, [])


@pytest.mark.parametrize("seed", range(30))
def test_trips_are_at_most_one_above_the_fewest(seed: int) -> None:
    random = Random(seed)
    floor = (6, 4)
    boxes = [(random.randint(1, 6), random.randint(1, 4)) for _ in range(random.randint(2, 6))]
    way = AccessLimits(room_long_mm=600, room_wide_mm=400, door_wide_mm=400)
    loads = [(CopyLoad(f"{k}", (1,), ((100.0 * a, 100.0 * b),), False), 1) for k, (a, b) in enumerate(boxes)]
    assert fewest_trips(boxes, floor) <= trips_of(loads, way) <= fewest_trips(boxes, floor) + 1


def test_toppers_parts_base_and_pole_take_room() -> None:
    plain = column(8)
    bare = load_in(plain, room_tall_mm=300).boxes[0]
    big = PartBalloons(nominal_in=16, colour="rope", count=1)
    topped = replace(plain, parts=(Topper(key=1, tall_mm=400, balloons=(big,)),))
    assert load_in(topped, room_tall_mm=300).boxes[0][0] > bare[0] + 250
    longer = replace(plain, frame=replace(plain.frame, pole_length_mm=2300.0))
    assert load_in(longer, room_tall_mm=300).boxes[0][0] == pytest.approx(2300)
    based = replace(plain, frame=replace(plain.frame, base=Base(radius_mm=390, height_mm=20, mass_g=9000)))
    assert load_in(based, room_tall_mm=300).boxes[0][1] == pytest.approx(780)
    wide = HungLoad(key=1, height_mm=400, offset_mm=300, tall_mm=100, wide_mm=150, mass_g=10)
    assert load_in(replace(plain, parts=(wide,)), room_tall_mm=300).boxes[0][1] == pytest.approx(750)
    split = load_in(longer, room_tall_mm=600, room_long_mm=1500)
    assert split.is_split
    assert sum(long for long, _ in split.boxes) >= 2300, "the rest of the pole travels with the upper part"
