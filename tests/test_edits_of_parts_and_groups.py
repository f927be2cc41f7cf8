"""Parts and groups are added with their defaults, changed and taken away by edits alone."""

from __future__ import annotations

import pytest

from kakushi.dress.table import KINDS as PART_KINDS
from kakushi.model.errors import BadInput
from kakushi.model.groups import Anchor, RowsGroup, uniform_row
from kakushi.model.job import Job
from kakushi.model.piece import Piece
from kakushi.packing.groups.table import KINDS as GROUP_KINDS
from kakushi.session import edits, group_edits, part_edits, row_edits
from kakushi.session.session import Session

ROWS = RowsGroup(anchor=Anchor(kind="at height", height_mm=300), rows=(uniform_row(4, 4, 11, 220.0),))


@pytest.fixture
def session() -> Session:
    return Session(Job(pieces=(Piece(key=1, name="Post", target_height_mm=1000, groups=(ROWS,)),)))


def piece(session: Session) -> Piece:
    return session.job.pieces[0]


@pytest.mark.parametrize("kind", PART_KINDS)
def test_parts_of_every_kind_come_and_go(session: Session, kind: str) -> None:
    before = session.job
    session.apply(part_edits.add_part(1, kind))
    part = piece(session).parts[0]
    assert part.kind == kind
    assert getattr(part, "height_mm", 0) <= 600, "a new part stays in the lower part of its piece"
    session.apply(part_edits.change_part(1, part, name="mine", strips=2.0))
    assert (piece(session).parts[0].name, piece(session).parts[0].strips) == ("mine", 2.0)
    session.apply(part_edits.set_part_balloons(1, part, 9.0, "rope", 3))
    assert piece(session).parts[0].balloons[0].count == 3
    session.apply(part_edits.remove_part(1, part))
    assert session.job == before
    for _ in range(4):
        session.undo()
    assert session.job is before


def test_a_part_that_cannot_be_is_refused_and_nothing_changes(session: Session) -> None:
    session.apply(part_edits.add_part(1, "hung load"))
    part, before = piece(session).parts[0], session.job
    with pytest.raises(BadInput, match="hung load was not changed"):
        session.apply(part_edits.change_part(1, part, fixings=99))
    with pytest.raises(BadInput, match="no longer in the job"):
        session.apply(part_edits.add_part(7, "cap"))
    assert session.job is before


def test_ballast_is_put_where_it_was_advised(session: Session) -> None:
    session.apply(part_edits.add_ballast(1, 1200.0, 80.0, 180.0, 20.0))
    weight = piece(session).parts[0]
    assert (weight.kind, weight.mass_g, weight.offset_mm, weight.azimuth_deg) == ("weight", 1200.0, 80.0, 180.0)


def test_what_else_a_part_uses_is_read_or_refused() -> None:
    assert [(i.item, i.count) for i in part_edits.read_items("2 foil stars; 1,5 m tape; light")] == [
        ("foil stars", 2.0), ("m tape", 1.5), ("light", 1.0),
    ]  # fmt: skip
    for text in ("0 stars", "2 " + "x" * 102):
        with pytest.raises(BadInput, match="is not understood"):
            part_edits.read_items(text)


@pytest.mark.parametrize("kind", GROUP_KINDS)
def test_groups_of_every_kind_come_and_go(session: Session, kind: str) -> None:
    before = session.job
    session.apply(group_edits.add_group(1, kind))
    assert piece(session).groups[1].kind == kind
    held = Anchor(kind="hanging below", height_mm=900)
    session.apply(group_edits.change_group(1, 1, anchor=held))
    assert piece(session).groups[1].anchor == held
    session.apply(group_edits.remove_group(1, 1))
    assert session.job == before
    with pytest.raises(BadInput, match="at least one group"):
        session.apply(group_edits.remove_group(1, 0))
    with pytest.raises(BadInput, match="no longer in the piece"):
        session.apply(group_edits.change_group(1, 5, anchor=held))


def test_a_ball_is_changed_as_a_whole(session: Session) -> None:
    session.apply(group_edits.add_group(1, "ball"))
    session.apply(group_edits.change_ball(1, 1, 8, nominal_in=5.0, diameter_mm=110.0, colour="rope"))
    ball = piece(session).groups[1]
    assert {(slot.nominal_in, slot.diameter_mm, slot.colour) for slot in ball.slots} == {(5.0, 110.0, "rope")}
    assert len(ball.slots) == 8
    with pytest.raises(BadInput, match="no ball"):
        session.apply(group_edits.change_ball(1, 0, 8))
    with pytest.raises(BadInput, match="ball was not changed"):
        session.apply(group_edits.change_ball(1, 1, 99))


ROW_EDITS = (
    row_edits.duplicate_row(1, 4),
    row_edits.set_row_count(1, 4, 5),
    row_edits.delete_row(1, 4),
    row_edits.replace_rows(1, (uniform_row(9, 5, 11, 200.0),)),
    row_edits.insert_row(1, uniform_row(1, 4, 9, 180.0), None),
)


@pytest.mark.parametrize("edit", ROW_EDITS, ids=lambda edit: edit.name)
def test_a_row_edit_keeps_its_group_s_anchor(session: Session, edit: object) -> None:
    session.apply(edit)
    assert piece(session).groups[0].anchor == ROWS.anchor
    assert piece(session).rows != ROWS.rows


def test_a_new_piece_is_one_to_change(session: Session) -> None:
    key = edits.free_piece_key(session.job)
    session.apply(edits.add_new_piece(key))
    made = session.job.piece(key)
    assert made is not None
    assert made.outline.preset == "straight"
    assert made.layers[0].colour == session.job.palette[0].key
