"""Columns of several sizes: spacer towers, large and small in turn, three sizes; heights and counts checked by hand."""

from __future__ import annotations

import numpy as np
import pytest

from added_up import balloons
from kakushi.building.tying import cards_of
from kakushi.colour.card import Disc, card_shapes
from kakushi.model.catalogue import Studio
from kakushi.model.groups import Row, RowsGroup, Slot, Twist, uniform_row
from kakushi.model.job import Job
from kakushi.model.layers import SizesLayer, SolidLayer
from kakushi.model.piece import Piece
from kakushi.model.units import inches
from kakushi.model.values import replace
from kakushi.plan.pipeline import plan
from kakushi.plan.relations import relation_of
from kakushi.plan.values import PiecePlan
from kakushi.session.group_edits import change_group
from kakushi.session.session import Session
from kakushi.words.cards import card_steps
from kakushi.words.rows import relation_words
from kakushi.words.wording import Wording

L, S, XS = inches(9), inches(5.25), inches(3.5)
BOUND = SizesLayer(large=("harbour-blue", "sail-white"), small=("signal-red",), lead=1)


def mixed(key: int, *sizes: float) -> Row:
    nominal = {L: 11.0, S: 9.0, XS: 5.0}
    return Row(key=key, slots=tuple(Slot(nominal_in=nominal[d], diameter_mm=d) for d in sizes))


def spacers() -> RowsGroup:
    """Six large quads, quads of small ones between."""
    large, small = (lambda k: uniform_row(k, 4, 11, L)), (lambda k: uniform_row(k, 4, 5, XS))
    return RowsGroup(rows=tuple(large(k) if k % 2 else small(k) for k in range(1, 12)))


JOBS = {
    "spacer tower": (spacers(), {11: 24, 5: 20}),
    "large-small-large-small": (RowsGroup(rows=tuple(mixed(k, L, S, L, S) for k in range(1, 9))), {11: 16, 9: 16}),
    "one large, three small": (RowsGroup(rows=tuple(mixed(k, L, S, S, S) for k in range(1, 9))), {11: 8, 9: 24}),
    "three sizes": (
        RowsGroup(rows=tuple(mixed(k, *((L, S, L, S) if k % 2 else (S, XS, S, XS))) for k in range(1, 8))),
        {11: 8, 9: 14, 5: 6},
    ),
}  # fmt: skip


def planned(group: RowsGroup, **changes) -> PiecePlan:
    piece = Piece(key=1, name="Tower", groups=(group,), layers=(SolidLayer(colour="rope"), BOUND), **changes)
    return plan(Job(pieces=(piece,)), Studio()).pieces[0]


@pytest.mark.parametrize("name", JOBS)
def test_counts_are_those_counted_by_hand_and_the_stack_is_sound(name: str) -> None:
    group, counts = JOBS[name]
    found = planned(group)
    used: dict[float, int] = {}
    for line in balloons(found):
        if line.seen:
            used[line.nominal_in] = used.get(line.nominal_in, 0) + line.count
    assert used == counts
    assert found.geometry.report.converged
    assert found.geometry.report.in_order
    assert not found.warnings


def test_heights_follow_the_figures_of_practice() -> None:
    tower = planned(spacers())
    # Small quads lie in the hollows: two joints raise a large row by about its own diameter.
    large = tower.geometry.knots[::2]
    assert np.diff(large) == pytest.approx(L, rel=0.06)
    off = np.degrees(np.diff(tower.geometry.turns[::2])) % 90
    assert np.minimum(off, 90 - off) == pytest.approx(0, abs=3), "square above each other"
    twisted = planned(replace(JOBS["large-small-large-small"][0], twist=Twist.RIGHT))
    rises = np.diff(twisted.geometry.knots)[1:-1]
    assert 0.45 * L < rises.mean() < 0.52 * L
    assert twisted.height_mm == pytest.approx(twisted.geometry.knots[-1] + L / 2, abs=0.06 * L)
    assert tower.core_seen is not None
    assert tower.core_seen.worst < 0.2


def test_colours_are_bound_to_sizes_lane_by_lane() -> None:
    tower = planned(spacers())
    for row, line in zip(tower.piece.rows, tower.colouring, strict=True):
        small = row.slots[0].nominal_in == 5
        assert set(line) == ({"signal-red"} if small else {"harbour-blue", "sail-white"})
    turned = planned(JOBS["large-small-large-small"][0])
    assert list(turned.colouring[0]) == ["harbour-blue", "signal-red", "sail-white", "signal-red"]
    assert list(turned.colouring[1]) == ["sail-white", "signal-red", "harbour-blue", "signal-red"]
    plain = planned(RowsGroup(rows=(uniform_row(1, 4, 11, L),)))
    assert set(plain.colouring[0]) == {"harbour-blue", "sail-white"}, "where all are alike they are large"


def test_cards_and_turn_sentences_speak_of_sizes() -> None:
    piece = Piece(
        key=1, name="Tower", groups=(JOBS["large-small-large-small"][0],), layers=(SolidLayer(colour="rope"),)
    )
    job = Job(pieces=(piece,))
    found, wording = plan(job, Studio()), Wording(job)
    (card,) = cards_of(found)
    discs = [shape.radius for shape in card_shapes(card, job) if isinstance(shape, Disc) and shape.hex]
    assert max(discs) / min(discs) == pytest.approx(L / S, rel=0.01)
    assert any("are the large ones" in sentence for sentence in card_steps(card, wording))
    said = relation_words(relation_of(found.pieces[0], 1), wording)
    assert "arge rope" in said or "mall rope" in said
    assert "large rope" in relation_words(relation_of(found.pieces[0], 0), wording)


def test_a_twist_is_chosen_by_an_edit_and_undone() -> None:
    session = Session(Job(pieces=(Piece(key=1, name="Tower", groups=(JOBS["large-small-large-small"][0],)),)))
    free = plan(session.job, Studio()).pieces[0]
    assert session.apply(change_group(1, 0, twist=Twist.LEFT))
    turns = np.diff(plan(session.job, Studio()).pieces[0].geometry.turns)
    assert (turns < 0).all()
    session.undo()
    assert plan(session.job, Studio()).pieces[0].geometry.turns == pytest.approx(free.geometry.turns)
