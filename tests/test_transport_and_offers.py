"""What fits through the door and into the vehicle, in how many trips; other sizes are really fitted and priced."""

from __future__ import annotations

import pytest

from added_up import needed
from kakushi.building.transport import Load, loads_of, trips_of
from kakushi.model.catalogue import Studio
from kakushi.model.frame import Frame
from kakushi.model.groups import BallGroup, RowsGroup, Slot, uniform_row
from kakushi.model.job import Job, Pricing
from kakushi.model.outline import PresetOutline
from kakushi.model.piece import Copy, FitControls, Piece, with_rows
from kakushi.model.units import UnitSystem
from kakushi.model.values import replace
from kakushi.model.workshop import Way
from kakushi.plan.fitting import fit_piece
from kakushi.plan.pipeline import plan
from kakushi.shape.presets import default_outline
from kakushi.words.transport import offer_words, transport_words
from kakushi.workshop.dossier import Dossier
from kakushi.workshop.offers import offers


def column(rows: int, diameter: float = 215.0, copies: int = 1) -> Piece:
    group = RowsGroup(rows=tuple(uniform_row(k, 4, 11, diameter) for k in range(1, rows + 1)))
    return Piece(key=1, name="Gate", groups=(group,), copies=(Copy(),) * copies, frame=Frame(pole_length_mm=None))


def load_in(piece: Piece, **way: float) -> Load:
    ((load, _),) = loads_of(plan(Job(pieces=(piece,)), Studio(way=Way(**way))))
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


def test_trips_hold_what_they_say() -> None:
    way = Way(room_long_mm=2400, room_wide_mm=1200)
    load = Load("x", (1,), ((2000.0, 550.0),), False)
    assert [trips_of([(load, many)], way) for many in (0, 1, 2, 3, 4, 5)] == [0, 1, 1, 2, 2, 3]
    small = Load("y", (1,), ((550.0, 550.0),), True)
    assert trips_of([(small, 8)], way) == 1, "four in a shelf, two shelves"
    assert trips_of([(replace_problem(load), 9)], way) == 0
    words = " ".join(transport_words(plan(Job(pieces=(column(12, copies=2),)), Studio()), UnitSystem.METRIC))
    assert "2 of them" in words
    assert "trip" in words


def replace_problem(load: Load) -> Load:
    return Load(load.name, load.parts, load.boxes, load.stands, "too wide")


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
