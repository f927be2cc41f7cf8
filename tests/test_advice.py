"""What is said about a settled piece, and edits of single rows that need saying."""

from __future__ import annotations

import json
from pathlib import Path

import numpy as np
import pytest

from added_up import advice, warnings
from kakushi.cli.main import main
from kakushi.formats.export.plan_json import plan_json
from kakushi.model.catalogue import DEFAULT_NOMINALS, NamedPacking, Sizer, Studio
from kakushi.model.errors import BadInput
from kakushi.model.frame import Base, Frame
from kakushi.model.groups import Row, RowsGroup, Slot, uniform_row
from kakushi.model.job import Job
from kakushi.model.joints import JointKind
from kakushi.model.piece import Piece
from kakushi.model.units import inches
from kakushi.model.values import replace
from kakushi.packing.settle import settle
from kakushi.packing.stack import Packing, stack_row
from kakushi.plan.facts import SizedOutside
from kakushi.plan.fitting import sketch_rows, spread_of
from kakushi.plan.pipeline import plan
from kakushi.plan.values import PiecePlan
from kakushi.session import row_edits
from kakushi.session.session import Session
from kakushi.shape.choices import choices_for
from kakushi.shape.fit import fit, sketch
from kakushi.shape.judge import FitRequest, judge
from kakushi.shape.presets import default_outline
from kakushi.shape.profile import profile_of
from kakushi.shape.rises import corrected_rises
from kakushi.shape.tuning import predicted_span
from kakushi.words.wording import named_rows
from kakushi.workshop.dossier import Dossier

STUDIO = Studio()
SNUG = Packing(1.3, 12.5)


def column(*counts_and_sizes: tuple[int, float, float], **changes: object) -> Piece:
    rows = tuple(uniform_row(i, n, nominal, d) for i, (n, nominal, d) in enumerate(counts_and_sizes, 1))
    return Piece(key=1, name="Column", groups=(RowsGroup(rows=rows),), **changes)  # type: ignore[arg-type]  # named


def planned(piece: Piece, studio: Studio = STUDIO) -> PiecePlan:
    return plan(Job(pieces=(piece,)), studio).pieces[0]


QUADS = [(4, 11.0, inches(8.5))] * 8


def test_row_numbers_are_for_people() -> None:
    assert named_rows([0]) == "row 1"
    assert named_rows([0, 4]) == "rows 1, 5"
    assert named_rows(range(9)) == "rows 1 to 9"
    assert named_rows([0, 1, 2, 6, 8, 9]) == "rows 1 to 3, 7, 9, 10"
    assert named_rows(range(0, 18, 2)).endswith("11…")


def test_a_good_column_has_nothing_to_say() -> None:
    found = planned(column(*QUADS))
    assert not found.warnings
    assert not found.advice


def test_a_domed_row_says_what_keeps_it_down() -> None:
    found = planned(column(*QUADS[:3], (6, 9.0, 150.0)))
    warning = next(words for words in warnings(found) if "dome" in words)
    assert warning.startswith("Row 4 wants to dome: nothing presses from above")
    assert "one more row on top" in warning
    covered = planned(column(*QUADS[:3], (6, 9.0, 150.0), (6, 9.0, 150.0)))
    assert covered.geometry.flat[3]


def test_only_a_free_row_that_no_joint_holds_wants_to_dome() -> None:
    sevens = column(*[(7, 11.0, inches(8.5))] * 4)
    (dome,) = [words for words in warnings(planned(sevens)) if "dome" in words]
    assert dome.startswith("Row 4 wants to dome")
    for joint in (JointKind.NECK_TIED, JointKind.LINE_EIGHT, JointKind.RIBBON, JointKind.STRIP):
        held = planned(replace(sevens, joint=joint))
        assert not [words for words in warnings(held) + advice(held) if "dome" in words or "lift" in words]
    eights = warnings(planned(column(*[(8, 11.0, inches(8.5))] * 5)))
    assert any(words.startswith("Rows 2 to 4 cannot lie flat: the necks are too short") for words in eights)


@pytest.mark.parametrize(
    ("off", "said"),
    [(20.0, ""), (-500.0, "rows fewer, or a longer pole"), (2000.0, "more rows cover the end")],
)
def test_the_pole_s_end_is_advised_on(off: float, said: str) -> None:
    top_knot = float(planned(column(*QUADS)).geometry.knots[-1])
    base = Base(height_mm=50.0)
    frame = Frame(pole_length_mm=top_knot + 50.0 + off, base=base)
    (words,) = advice(planned(column(*QUADS, frame=frame))) or ("",)
    assert words.startswith("The pole takes") == bool(said)
    assert said in words


def test_a_measured_packing_changes_the_height_and_its_lack_is_said() -> None:
    packing = NamedPacking(name="line-built", tau=0.05, slack=0.8)
    studio = Studio(packings=(packing,))
    piece = column(*QUADS, packing_name="line-built")
    measured, without = planned(piece, studio), planned(piece)
    assert measured.height_mm > without.height_mm + 10
    assert not measured.warnings
    assert "not in this studio: planned as snug" in warnings(without)[0]


def test_several_groups_vary_independently() -> None:
    one = planned(column(*QUADS))
    twice = planned(
        Piece(
            key=1,
            name="Two",
            groups=(
                one.piece.groups[0],
                RowsGroup(rows=tuple(uniform_row(20 + i, *row) for i, row in enumerate(QUADS))),
            ),
        )
    )
    single, both = spread_of(one, STUDIO), spread_of(twice, STUDIO)
    assert both.sizing_sd == pytest.approx(single.sizing_sd * 2**0.5, rel=0.01)
    assert both.packing_sd == pytest.approx(2 * single.packing_sd), "the same hands pack both"
    assert len(both.gaps) == 16
    assert spread_of(planned(column()), STUDIO).samples == 0


def test_a_sketch_is_near_the_fit() -> None:
    piece = Piece(key=1, name="Vase", target_height_mm=1700, outline=default_outline("vase", 1700))
    profile = profile_of(piece.outline, 1700.0)
    request = FitRequest(profile, DEFAULT_NOMINALS, STUDIO.sizer, SNUG)
    rows = sketch(request)
    assert sketch_rows(piece, STUDIO) == rows
    settled = settle([stack_row(row, SNUG) for row in rows], SNUG)
    assert settled.top == pytest.approx(1700, abs=60)
    assert abs(len(rows) - len(fit(request).rows)) <= 2


def test_rises_corrected_by_a_settled_stack_predict_it() -> None:
    choices = choices_for(4, (DEFAULT_NOMINALS[2], DEFAULT_NOMINALS[4]), Sizer(step_mm=20.0), SNUG)
    assert choices is not None
    request = FitRequest(profile_of(default_outline("vase", 1500), 1500.0), DEFAULT_NOMINALS, STUDIO.sizer, SNUG)
    rng = np.random.default_rng(4)
    order = np.argsort(choices.diameters)
    kinds = tuple(int(k) for k in order[np.clip(np.cumsum(rng.integers(-1, 2, 9)) + 5, 0, len(order) - 1)])
    seen = judge(request, choices, kinds)
    before = abs(predicted_span(choices, kinds) - seen.span)
    after = abs(predicted_span(choices.with_rise(corrected_rises(choices, [seen])), kinds) - seen.span)
    assert after < max(before, 12.0)


# --- edits of rows ---------------------------------------------------------------------------


def test_row_edits_change_one_row_and_undo() -> None:
    job = Job(pieces=(column(*QUADS),))
    session = Session(job)
    for edit in (
        row_edits.set_row_sizes(1, 3, (200.0, 150.0, 200.0, 150.0)),
        row_edits.set_row_turn(1, 4, 30.0),
        row_edits.pin_row(1, 5, True),
        row_edits.assort_row(1, 6, 0.2, 3, 7, STUDIO),
    ):
        assert session.apply(edit)
    rows = session.job.pieces[0].rows
    assert [slot.diameter_mm for slot in rows[2].slots] == [200, 150, 200, 150]
    assert rows[3].turn_deg == 30
    assert rows[4].pinned
    sizes = [slot.diameter_mm for slot in rows[5].slots]
    assert len(set(sizes)) > 1
    assert all(abs(d / STUDIO.sizer.step_mm - round(d / STUDIO.sizer.step_mm)) < 1e-6 for d in sizes)
    assert rows[0] == job.pieces[0].rows[0]
    while session.undo():
        pass
    assert session.job == job
    for refused in (row_edits.set_row_sizes(1, 3, (200.0,)), row_edits.set_row_turn(1, 4, 999.0)):
        with pytest.raises(BadInput):
            session.apply(refused)


def test_assorted_rows_come_again_from_their_seed() -> None:
    job = Job(pieces=(column(*QUADS),))
    first, again, *others = (
        row_edits.assort_row(1, 2, 0.15, 3, seed, STUDIO).change(job) for seed in (1, 1, *range(9))
    )
    assert first == again
    assert any(other != first for other in others), "another seed gives another mix"
    sizes = [slot.diameter_mm for slot in first.pieces[0].rows[1].slots]
    assert len(set(sizes)) == 3
    assert set(sizes) <= set(STUDIO.sizer.diameters(STUDIO.nominal(11)))
    assert all(a != b for a, b in zip(sizes, sizes[1:] + sizes[:1], strict=True)), "neighbours are not alike"


def test_a_pinned_turn_is_kept_by_the_settling() -> None:
    slots = (Slot(nominal_in=11, diameter_mm=216.0),) * 4
    rows = (Row(key=1, slots=slots), Row(key=2, slots=slots, turn_deg=20.0), Row(key=3, slots=slots))
    found = planned(Piece(key=1, name="Turned", groups=(RowsGroup(rows=rows),)))
    turns = np.degrees(np.diff(found.geometry.turns))
    assert turns[0] == pytest.approx(20, abs=1)
    assert turns[1] == pytest.approx(45, abs=8)
    nested = planned(column(*[(4, 11.0, 216.0)] * 3))
    assert found.height_mm > nested.height_mm + 1, "out of its hollow it stands higher"


# --- headless -------------------------------------------------------------------------------------


def test_fit_tells_what_cannot_be_met(tmp_path: Path, capsys: pytest.CaptureFixture[str]) -> None:
    thin = tmp_path / "thin.csv"
    thin.write_text("height,radius\n0,30\n1000,30\n")
    assert main(["fit", str(thin), "--height", "1.2m", "--json"]) == 0
    told = json.loads(capsys.readouterr().out)
    assert "smallest cluster of 4" in told["notes"][0]
    assert told["misses"][0]["reached_mm"] > told["misses"][0]["wanted_mm"]
    assert told["rows"][0]["ring_mm"] > 0
    assert main(["fit", str(thin), "--height", "1.2m"]) == 0
    assert "note: " in capsys.readouterr().out


def test_fit_keeps_to_a_number_of_rows(capsys: pytest.CaptureFixture[str]) -> None:
    assert main(["fit", "straight", "--height", "1.6m", "--rows", "9", "--ratio", "1.3", "--json"]) == 0
    assert len(json.loads(capsys.readouterr().out)["rows"]) == 9


def test_what_is_meant_so_is_told_again_only_when_it_gets_worse() -> None:
    def small_top(inches_wide: float, **changes: object) -> Piece:
        return column(*QUADS, (4, 11.0, inches(inches_wide)), **changes)

    found = planned(small_top(4.8))
    (concern,) = [each for each in found.concerns if isinstance(each.said, SizedOutside)]
    meant = {"meant": (concern.meant,)}
    aside = planned(small_top(4.8, **meant))
    assert concern.said in found.warnings
    assert concern.said not in aside.warnings
    assert [each.what for each in aside.set_aside] == [concern.what]
    # Another row, larger or as small: as it was. Smaller, or one more of them: worse.
    assert not planned(small_top(4.9, **meant)).warnings
    assert planned(small_top(4.2, **meant)).warnings
    twice = (*QUADS, (4, 11.0, inches(4.8)), (4, 11.0, inches(4.8)))
    assert any(isinstance(note, SizedOutside) for note in planned(column(*twice, **meant)).warnings)
    told = plan_json(Dossier(plan(Job(pieces=(aside.piece,)), STUDIO)))["pieces"][0]
    assert told["set_aside"] == ["Sized outside the usable range of its balloon: row 9."]
