"""The pipeline: anchors, toppers, copies with heights of their own, warnings, memory."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pytest

from added_up import advice, balloons, needed, planned_job, things, tied, warnings
from kakushi.building.poles import pole_cuts
from kakushi.formats.export.plan_json import piece_json
from kakushi.formats.store.job_file import SCHEMA_VERSION, job_from_bytes, load_job
from kakushi.formats.store.paths import demo_job_path
from kakushi.model.catalogue import BalloonColour, Studio
from kakushi.model.errors import BadInput, KakushiError
from kakushi.model.frame import Base, Frame
from kakushi.model.groups import Anchor, BallGroup, BarePoleGroup, RoomGroup, Row, RowsGroup, Slot, uniform_row
from kakushi.model.job import Job, Settings
from kakushi.model.joints import JointKind
from kakushi.model.layers import MixLayer, Share, SolidLayer
from kakushi.model.parts import Accent, Cap, PartBalloons, Topper
from kakushi.model.piece import Copy, FitControls, Piece, Tightness, with_rows
from kakushi.model.roles import BalloonRole
from kakushi.model.units import inches
from kakushi.model.values import replace
from kakushi.model.workshop import ItemRule
from kakushi.plan.fitting import fit_piece
from kakushi.plan.pipeline import plan, plans_as_they_come
from kakushi.plan.values import PiecePlan, Plan
from kakushi.session.edits import set_piece
from kakushi.session.row_edits import resize_row
from kakushi.shape.presets import PRESETS, default_outline
from kakushi.shape.profile import monotone_curve
from kakushi.words.lists import stand_list
from kakushi.words.wording import Wording
from kakushi.workshop.dossier import Dossier

STUDIO = Studio()


def quads(count: int, first_key: int = 1) -> RowsGroup:
    return RowsGroup(rows=tuple(uniform_row(first_key + k, 4, 11, inches(8.5)) for k in range(count)))


def planned(piece: Piece) -> PiecePlan:
    return plan(Job(pieces=(piece,)), STUDIO).pieces[0]


def topper(tall: float) -> Topper:
    balloons = (PartBalloons(nominal_in=16, colour="lantern-yellow", count=1),)
    return Topper(key=1, tall_mm=tall, balloons=balloons, strips=0.5)


def test_groups_stand_hang_and_stack_where_their_anchors_say() -> None:
    foot, shelf, hung = quads(3), quads(2, 10), quads(2, 20)
    piece = Piece(
        key=1,
        name="Buoy",
        groups=(
            foot,
            replace(shelf, anchor=Anchor(kind="at height", height_mm=900)),
            replace(hung, anchor=Anchor(kind="hanging below", height_mm=2000)),
        ),
    )
    found = planned(piece)
    bottoms, tops = [], []
    for first, last in ((0, 2), (3, 4), (5, 6)):
        mine = (found.geometry.row_of >= first) & (found.geometry.row_of <= last)
        z, r = found.geometry.centres[mine, 2], found.geometry.shape_radii[mine]
        bottoms.append(float((z - r).min()))
        tops.append(float((z + r).max()))
    assert bottoms[:2] == pytest.approx([0, 900])
    assert tops[2] == pytest.approx(2000)
    assert found.height_mm == pytest.approx(2000)
    two = planned(replace(piece, groups=(foot, shelf)))
    swollen = two.geometry.shape_radii
    apart = swollen[two.geometry.of_row(2)[0]] + swollen[two.geometry.of_row(3)[0]]
    assert two.geometry.knots[3] - two.geometry.knots[2] == pytest.approx(apart, abs=5), "stacked, not packed"


def test_target_with_topper_leaves_room_for_it() -> None:
    outline = default_outline("cone", 1800)
    piece = Piece(key=1, name="x", target_height_mm=1800, outline=outline, parts=(topper(300),))
    without = with_rows(piece, fit_piece(piece, STUDIO).rows)
    included = replace(piece, target_includes_topper=True)
    within = with_rows(included, fit_piece(included, STUDIO).rows)
    assert planned(without).height_mm == pytest.approx(1800, abs=12)
    assert planned(within).overall_height_mm == pytest.approx(1800, abs=12)
    assert planned(within).measured_height_mm == planned(within).overall_height_mm
    with pytest.raises(BadInput, match="no room for the rows"):
        # No balloon is that tall; what has none of its own may be.
        fit_piece(replace(included, parts=(replace(topper(1790), balloons=()),)), STUDIO)


def test_a_base_lifts_the_column_and_its_outline() -> None:
    piece = Piece(key=1, name="x", target_height_mm=1500, outline=default_outline("cone", 1500))
    raised = replace(piece, frame=Frame(base=Base(height_mm=100)))
    found = planned(with_rows(raised, fit_piece(raised, STUDIO).rows))
    assert found.geometry.bottom == pytest.approx(100)
    assert found.height_mm == pytest.approx(1500, abs=12)
    assert found.match is not None
    assert found.match.mean > 0.88
    assert found.profile.height == pytest.approx(1400)


def test_a_copy_with_a_height_of_its_own_uses_its_own_rows() -> None:
    short = Copy(label="short", target_height_mm=900, groups=(quads(3),))
    piece = Piece(key=1, name="Kelp", groups=(quads(8),), copies=(Copy(), Copy(), short))
    found = planned(piece)
    assert found.balloon_count == 32
    caps = len(piece.copies)
    assert sum(line.needed for line in needed(planned_job(piece))) == 2 * 32 + 12 + caps


def test_kinds_of_use_are_kept_apart() -> None:
    slots = tuple(Slot(nominal_in=5, diameter_mm=120, colour="rope", inner_colour="deep-teal") for _ in range(8))
    piece = Piece(
        key=1,
        name="Buoy",
        groups=(quads(2), BallGroup(slots=slots), BarePoleGroup(height_mm=300)),
        parts=(topper(300),),
    )
    found = planned(piece)
    balloon_counts = {(u.role, u.colour): u.count for u in balloons(found)}
    assert balloon_counts[BalloonRole.BALL, "rope"] == balloon_counts[BalloonRole.INNER, "deep-teal"] == 8
    assert balloon_counts[BalloonRole.TOPPER, "lantern-yellow"] == 1
    assert balloon_counts[BalloonRole.CAP, found.colouring[-1][0]] == 1
    assert sum(balloon_counts.values()) == 8 + 8 + 8 + 1 + 1
    assert found.balloon_count == 8 + 8 + 1
    assert len(found.drawn.radii) == len(found.drawn_colours()) == 8 + 8 + 1
    assert found.drawn_colours()[8:] == ["rope"] * 8 + ["lantern-yellow"]
    ball = found.assembly.balls[0]
    assert ball.bottom == pytest.approx(found.geometry.top), "the ball stands on the rows"
    assert found.height_mm == pytest.approx(ball.top)


def test_what_needs_attention_is_said() -> None:
    good, stretched = uniform_row(1, 4, 11, inches(8.5)), uniform_row(2, 4, 11, inches(10.9))
    assert planned(with_rows(Piece(key=1, name="x"), (good,))).warnings == ()
    said = warnings(planned(with_rows(Piece(key=1, name="x"), (good, stretched))))
    assert said == ["Sized outside the usable range of its balloon: row 2."]
    tiny = [uniform_row(k, 3, 5, 30) for k in (2, 3, 4)]
    swallowed = planned(
        with_rows(Piece(key=1, name="x"), (uniform_row(1, 3, 36, 800), *tiny, uniform_row(5, 3, 36, 800)))
    )
    assert any("sunk" in w or "rough" in w for w in warnings(swallowed))


def test_unchanged_stages_are_not_run_again() -> None:
    job = Job(pieces=(Piece(key=1, name="x", groups=(quads(9),), layers=(SolidLayer(colour="rope"),)),))
    first = plan(job, STUDIO)
    repainted = plan(set_piece(1, "Change pattern", layers=(SolidLayer(colour="deep-teal"),)).change(job), STUDIO)
    assert repainted.pieces[0].geometry is first.pieces[0].geometry
    assert repainted.pieces[0].match is first.pieces[0].match
    resized = plan(resize_row(1, 3, 1, STUDIO).change(job), STUDIO)
    assert resized.pieces[0].geometry is not first.pieces[0].geometry
    assert plan(job, STUDIO).pieces[0] is first.pieces[0]


# --- drafts --------------------------------------------------------------------------------------


def raised(count: int, large: float = 250.0) -> RowsGroup:
    """Rows of two large and two small balloons in turn: they have several balances."""
    rows = tuple(
        Row(key=k + 1, slots=tuple(Slot(nominal_in=11, diameter_mm=d) for d in (large, 170, large, 170)))
        for k in range(count)
    )
    return RowsGroup(rows=rows)


def resized(group: RowsGroup, index: int, off: float) -> RowsGroup:
    row = group.rows[index]
    slots = tuple(replace(slot, diameter_mm=slot.diameter_mm + off) for slot in row.slots)
    return RowsGroup(rows=(*group.rows[:index], replace(row, slots=slots), *group.rows[index + 1 :]))


def test_a_draft_of_mixed_rows_lies_where_the_plan_will() -> None:
    piece = Piece(key=1, name="x", groups=(raised(7),), frame=Frame(base=Base(kind="stand", height_mm=40)))
    other = Piece(key=2, name="y", groups=(quads(4),))
    last = plan(Job(pieces=(piece, other)), STUDIO)
    edited = Job(pieces=(replace(piece, groups=(resized(piece.groups[0], 3, -6),)), other))
    draft, exact = plans_as_they_come(edited, STUDIO, last)
    assert draft.is_draft
    assert not exact.is_draft
    assert draft.job is edited
    one, same = draft.pieces[0], exact.pieces[0]
    assert one.height_mm == pytest.approx(same.height_mm, abs=4)
    assert one.geometry.bottom == pytest.approx(40)
    assert one.colouring == same.colouring
    assert draft.pieces[1].piece is other
    assert one.height_mm != pytest.approx(last.pieces[0].height_mm, abs=0.1)


def test_what_is_planned_quickly_needs_no_draft() -> None:
    mixed, plain = Piece(key=1, name="x", groups=(raised(4),)), Piece(key=2, name="y", groups=(quads(4),))
    job = Job(pieces=(mixed, plain))
    last = plan(job, STUDIO)

    def drafts(job: Job, last: Plan = last) -> int:
        return len([draft for draft in plans_as_they_come(job, STUDIO, last) if draft.is_draft])

    assert drafts(job) == 0
    assert drafts(resize_row(2, 1, 1, STUDIO).change(job)) == 0, "plain rows settle at once"
    painted = set_piece(1, "Change pattern", layers=(SolidLayer(colour="rope"),)).change(job)
    assert drafts(painted) == 0, "colours settle nothing"
    fewer = replace(job, pieces=(replace(mixed, groups=(raised(3),)), plain))
    assert drafts(fewer) == 0, "rows came or went"
    apart = replace(mixed, groups=(resized(raised(4), 1, 5), quads(2, 10)))
    assert drafts(replace(job, pieces=(apart, plain))) == 0


def test_the_piece_that_is_shown_is_planned_first_and_the_rest_as_it_comes() -> None:
    pieces = [Piece(key=key, name=str(key), groups=(quads(1 + key),)) for key in range(1, 6)]
    tall = Piece(key=6, name="tall", groups=(quads(210),))
    job = Job(pieces=(*pieces, tall))
    plans = list(plans_as_they_come(job, STUDIO, None, first=6))
    told = [[piece.piece.key for piece in each.pieces] for each in plans]
    assert told[:7] == [[6], [6], [1, 6], [1, 2, 6], [1, 2, 3, 6], [1, 2, 3, 4, 6], [1, 2, 3, 4, 5, 6]]
    assert all(each == told[6] for each in told[7:]), "all are seen before the others are judged"
    assert [each.is_draft for each in plans] == [True] * 12 + [False]
    bare, full = plans[0].pieces[0], plans[1].pieces[0]
    assert np.array_equal(bare.geometry.centres, full.geometry.centres)
    assert bare.match == full.match
    assert needed(plans[-1]) == needed(plan(job, STUDIO))
    unasked = replace(job, pieces=tuple(replace(piece, groups=(quads(piece.key, 10),)) for piece in pieces))
    assert [needed(each) for each in plans_as_they_come(unasked, STUDIO)][-1] == needed(plan(unasked, STUDIO))
    assert all(piece.core_seen for piece in list(plans_as_they_come(unasked, STUDIO))[-1].pieces), "none stays bare"
    edited = replace(job, pieces=(*pieces[:4], replace(pieces[4], groups=(quads(3),)), tall))
    again = list(plans_as_they_come(edited, STUDIO, plans[-1], first=5))
    assert [each.is_draft for each in again] == [False], "what did not change is there already"


def test_a_mix_stays_while_nobody_touches_others() -> None:
    mix = MixLayer(shares=(Share(colour="rope", parts=2), Share(colour="deep-teal", parts=1)), seed=3)
    piece = Piece(key=1, name="x", groups=(quads(6),), layers=(mix,))
    before = planned(piece)
    wider = planned(replace(piece, groups=(resized(piece.groups[0], 2, 0.4),)))
    assert {tuple(p) for p in wider.surface.pairs} == {tuple(p) for p in before.surface.pairs}
    assert wider.colouring == before.colouring
    assert wider.geometry is not before.geometry


def test_groups_tell_where_they_begin_and_end() -> None:
    ball = BallGroup(slots=(Slot(nominal_in=11, diameter_mm=220),) * 10)
    bare, room = BarePoleGroup(height_mm=150), RoomGroup(height_mm=80)
    found = planned(Piece(key=1, name="x", groups=(bare, quads(3), room, ball))).assembly
    (low, foot), (bottom, top), (under, over), (start, end) = found.spans
    assert (low, foot) == (0.0, 150.0)
    assert bottom == pytest.approx(150)
    assert top == pytest.approx(found.rows.top)
    assert (under, over) == (pytest.approx(top), pytest.approx(top + 80))
    assert start == pytest.approx(over)
    assert end == pytest.approx(found.balls[0].top) == pytest.approx(found.top)
    assert planned(Piece(key=1, name="x", groups=(RowsGroup(rows=()), room))).assembly.spans == ((0, 0), (0, 80))


def test_tighter_packing_is_lower_and_a_thick_pole_wider() -> None:
    piece = Piece(key=1, name="x", groups=(quads(10),))
    heights = [planned(replace(piece, tightness=t)).height_mm for t in Tightness]
    assert heights == sorted(heights, reverse=True)
    thick = planned(replace(piece, frame=Frame(pole_diameter_mm=160)))
    thin = planned(replace(piece, frame=Frame(kind="line")))
    out = [np.hypot(p.geometry.centres[:, 0], p.geometry.centres[:, 1]).mean() for p in (thick, thin)]
    assert out[0] > out[1] + 1


def test_nothing_to_fit_with_is_said() -> None:
    piece = Piece(key=1, name="x", fit=FitControls(nominals=(7,)))
    with pytest.raises(BadInput, match="catalogue"):
        fit_piece(piece, STUDIO)


def test_unknown_colours_and_presets_do_not_break_a_plan() -> None:
    piece = Piece(key=1, name="x", groups=(quads(2),), layers=(SolidLayer(colour="gone"),))
    job = Job(pieces=(piece,), palette=(BalloonColour(key="rope", name="rope", code="R", hex="#c9a877"),))
    assert needed(plan(job, STUDIO))[0].colour == "gone"
    assert "not in palette" in job.colour("gone").name
    odd = set_piece(1, "Change outline", outline={"kind": "preset", "preset": "obelisk"}).change(job)
    with pytest.raises(KakushiError, match="no outline called"):
        plan(odd, STUDIO)


SAMPLES = Path(__file__).parent / "samples"


@pytest.mark.parametrize("version", range(1, SCHEMA_VERSION))
def test_samples_of_every_older_version_open(version: int) -> None:
    path = SAMPLES / f"version-{version}.kakushi"
    job = job_from_bytes(path.read_bytes(), path)
    found = plan(job, STUDIO)
    assert found.pieces
    assert needed(found)


def test_smooth_outlines_never_overshoot() -> None:
    x, y = np.array([0.0, 0.3, 0.7, 1.0]), np.array([1.0, 4.0, 2.0, 2.0])
    at = np.linspace(0, 1, 400)
    curve = monotone_curve(x, y, at)
    assert np.interp(x, at, curve) == pytest.approx(y, abs=0.02)
    assert curve.max() <= 4 + 1e-9
    assert (np.diff(curve[at < 0.3]) >= -1e-9).all()
    assert (np.diff(curve[(at > 0.3) & (at < 0.7)]) <= 1e-9).all()
    assert all(2 <= len(p.handles) <= 3 for p in PRESETS)


def test_copies_with_their_own_height_have_their_own_pole_line_and_stand() -> None:
    tall, short = quads(8), quads(3, 20)
    own = Copy(label="short", target_height_mm=700, groups=(short,))
    frame = Frame(kind="pole", pole_length_mm=1700, pole_name="conduit 20 mm", painted=True)
    rules = (
        ItemRule(item="tape", unit="m", per="metre of height", amount=1),
        ItemRule(item="dots", per="balloon", amount=1),
    )
    studio = replace(STUDIO, rules=rules)
    piece = Piece(key=1, name="Kelp", target_height_mm=1700, groups=(tall,), copies=(Copy(), own), frame=frame)
    job = Job(pieces=(piece,))
    found = plan(job, studio)
    alone = [
        plan(Job(pieces=(replace(piece, groups=groups, copies=(Copy(),)),)), studio).pieces[0]
        for groups in ((tall,), (short,))
    ]
    used = things(found)
    assert used["tape"] == pytest.approx(sum(p.height_mm for p in alone) / 1000, abs=1e-6)
    assert used["dots"] == sum(used.count for p in alone for used in balloons(p))
    (cuts,) = pole_cuts(found)
    assert cuts.wanted == ((1700.0, 1), (700.0, 1))
    lined = replace(piece, frame=Frame(kind="line"), joint=JointKind.LINE_EIGHT)

    def line_of(planned: Plan) -> float:
        return things(planned).get("line", 0.0)

    both = line_of(plan(Job(pieces=(lined,)), studio))
    each = [
        line_of(plan(Job(pieces=(replace(lined, groups=groups, copies=(Copy(),)),)), studio))
        for groups in ((tall,), (short,))
    ]
    assert both == pytest.approx(sum(each))
    ribboned = replace(lined, joint=JointKind.RIBBON)
    assert line_of(plan(Job(pieces=(ribboned,)), studio)) == 0, "it hangs on its ribbon"
    (listed,) = [row for row in stand_list(Dossier(found), Wording(job)).rows if "short" in str(row[0])]
    assert listed[0] == "Kelp, short"


def test_caps_fit_the_pole_and_stand_apart() -> None:
    thin, thick = (
        planned(Piece(key=1, name="x", frame=Frame(pole_diameter_mm=d), groups=(quads(2),))) for d in (25, 80)
    )
    assert [(u.nominal_in, u.count) for u in balloons(thin) if u.role is BalloonRole.CAP] == [(11, 1)], (
        "of a size that is there anyway"
    )
    assert [u.nominal_in for u in balloons(thick) if u.role is BalloonRole.CAP] == [12]
    bare = planned(Piece(key=1, name="x", groups=(RowsGroup(),)))
    assert [u.role for u in balloons(bare)] == [BalloonRole.CAP]
    own = planned(
        Piece(
            key=1,
            name="x",
            groups=(quads(2),),
            parts=(Cap(key=1, balloons=(PartBalloons(nominal_in=11, colour="rope", count=1),)),),
        )
    )
    assert [(u.nominal_in, u.colour) for u in balloons(own) if u.role is BalloonRole.CAP] == [(11, "rope")]


def test_things_stuck_on_take_their_dots_and_a_single_big_topper_its_spare() -> None:
    stuck = Accent(key=2, balloons=(PartBalloons(nominal_in=5, colour="rope", count=7),))
    big = Topper(key=1, tall_mm=800, balloons=(PartBalloons(nominal_in=36, colour="rope", count=1),))
    job = Job(
        pieces=(Piece(key=1, name="x", groups=(quads(2),), parts=(stuck, big)),), settings=Settings(confidence=0.5)
    )
    found = plan(job, STUDIO)
    used = things(found)
    assert used["glue dots"] == 14
    (line,) = [line for line in needed(found) if line.nominal_in == 36]
    assert (line.needed, line.spares) == (1, 1)
    sizes = {b.diameter_mm for kind in tied(found) for b in kind.balloons if kind.part is BalloonRole.TOPPER}
    assert sizes == {800}


def test_a_fit_keeps_to_the_span_of_its_own_group() -> None:
    hung = replace(quads(2, 50), anchor=Anchor(kind="hanging below", height_mm=2000))
    piece = Piece(
        key=1, name="x", target_height_mm=2000, outline=default_outline("straight", 1500), groups=(RowsGroup(), hung)
    )
    low = planned(piece).assembly.spans[1][0]
    fitted = with_rows(piece, fit_piece(piece, STUDIO).rows)
    found = planned(fitted)
    assert found.assembly.spans[0][1] == pytest.approx(low, abs=12), "it ends below what hangs"
    assert not [w for w in warnings(found) if "overlap" in w]
    through = planned(replace(fitted, groups=(replace(fitted.groups[0], rows=quads(13).rows), hung)))
    assert any("Groups 1 and 2" in w and "overlap by" in w for w in warnings(through))
    no_room = replace(piece, groups=(RowsGroup(), replace(hung, anchor=Anchor(kind="hanging below", height_mm=420))))
    with pytest.raises(BadInput, match="no room for the rows"):
        fit_piece(no_room, STUDIO)
    under = planned(
        replace(piece, groups=(quads(2), replace(hung, anchor=Anchor(kind="hanging below", height_mm=150))))
    )
    assert any("below where it can stand" in w for w in warnings(under))


def test_a_group_that_hangs_is_fitted_down_from_where_it_hangs() -> None:
    anchor = Anchor(kind="hanging below", height_mm=2000)
    piece = Piece(
        key=1,
        name="x",
        target_height_mm=2000,
        outline=default_outline("straight", 2000),
        groups=(RowsGroup(anchor=anchor),),
    )
    found = planned(with_rows(piece, fit_piece(piece, STUDIO).rows))
    assert found.height_mm == pytest.approx(2000)
    assert found.geometry.bottom == pytest.approx(0, abs=25)
    assert found.match is not None
    assert found.match.mean > 0.9


def test_bare_pole_that_fills_is_what_remains_between_groups() -> None:
    bare = BarePoleGroup(height_mm=1, fills=True, wrap="coil", strands=2, colour="rope")
    hung = replace(quads(2, 50), anchor=Anchor(kind="hanging below", height_mm=2000))

    def job(rows: int) -> Job:
        return Job(pieces=(Piece(key=1, name="x", groups=(quads(rows), bare, hung)),))

    few, more = plan(job(1), STUDIO), plan(job(6), STUDIO)
    for found in (few, more):
        spans = found.pieces[0].assembly.spans
        assert spans[1] == pytest.approx((spans[0][1], spans[2][0])), "all that remains, whatever the rows are"
        assert not [words for words in advice(found.pieces[0]) if "Bare pole" in words]
    used = [things(found)["modelling balloons 260, rope"] for found in (few, more)]
    assert used[0] > used[1] > 0
    assert plan(Job(pieces=(Piece(key=1, name="x", groups=(quads(2), bare)),)), STUDIO).pieces[0].height_mm > 0


def test_an_empty_first_group_has_no_match_and_colours_measure_none_anew() -> None:
    above = replace(quads(3, 50), anchor=Anchor(kind="at height", height_mm=900))
    empty = plan(Job(pieces=(Piece(key=1, name="x", groups=(RowsGroup(), above)),)), STUDIO).pieces[0]
    assert empty.match is None
    piece = Piece(key=1, name="x", groups=(quads(4), above))
    red, blue = (
        plan(Job(pieces=(replace(piece, layers=(SolidLayer(colour=key),)),)), STUDIO).pieces[0]
        for key in ("signal-red", "harbour-blue")
    )
    assert red.colouring != blue.colouring
    assert red.match is blue.match, "remembered by what it is measured on"


def test_every_balloon_of_the_demo_is_listed_with_its_place_or_part() -> None:
    dossier = Dossier(plan(load_job(demo_job_path()), STUDIO))
    for piece in dossier.plan.pieces:
        told = piece_json(piece, dossier, geometry=True)["balloons"]
        assert len(told) == piece.balloon_count
        assert sum(each["part"] is None for each in told) == len(piece.geometry.radii)
        for each in told:
            assert (each["row"] is None) == (each["slot"] is None) == (each["part"] is not None)
            assert each["shape_mm"] >= each["diameter_mm"] - 0.01
