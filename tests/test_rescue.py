"""Ways out keep what is built, are what planning the edited job gives, and end where other hands need it."""

from __future__ import annotations

import json
from random import Random

import pytest

from kakushi.building.aimed import aimed_again, learnt_tau
from kakushi.building.half_built import HalfBuilt
from kakushi.building.remedies import Recoloured, RescueOption
from kakushi.building.rescue import short_of, wrong_colour, wrong_size
from kakushi.cli.main import main
from kakushi.cli.rescue import height_of, left_of
from kakushi.formats.store.job_file import save_job
from kakushi.model.catalogue import Studio
from kakushi.model.errors import BadInput
from kakushi.model.groups import Anchor, Direction, Row, RowsGroup, Slot, uniform_row
from kakushi.model.job import Job
from kakushi.model.layers import GradientLayer, MixLayer, Share, SpiralLayer
from kakushi.model.memo import never
from kakushi.model.piece import Piece, SeenSides, Tightness
from kakushi.model.values import replace
from kakushi.plan.pipeline import plan
from kakushi.words.rescue import way_words
from kakushi.words.wording import Wording

STUDIO = Studio()
STEP = STUDIO.sizer.step_mm


def said(way: RescueOption) -> str:
    return way_words(way, Wording(Job()))


def piece_of(sizes: tuple[float, ...], count: int = 4, **changes) -> Piece:
    rows = tuple(uniform_row(k, count, 11 if size > 130 else 5, size) for k, size in enumerate(sizes, 1))
    layers = (SpiralLayer(lanes=("signal-red", "sail-white", "signal-red", "rope")),)
    piece = Piece(key=1, name="Quay", groups=(RowsGroup(rows=rows),), layers=layers, **changes)
    return replace(piece, target_height_mm=round(planned(piece).pieces[0].height_mm))


def planned(piece: Piece):
    return plan(Job(pieces=(piece,)), STUDIO)


def knot_with(piece: Piece, tau: float, row: int) -> float:
    """Where the knot of a row (from 0) comes to lie in hands of that strength, with nothing above it."""
    rows = piece.rows[: row + 1]
    group = piece.groups[0]
    built = replace(piece, learnt_tau=tau, groups=(replace(group, rows=rows), *piece.groups[1:]))
    return float(planned(built).pieces[0].geometry.knots[row])


TALL = (216.0,) * 10
VASE = (165.0, 190.0, 216.0, 216.0, 203.0, 178.0, 152.4, 140.0, 139.7, 152.4)


LARGE_AND_SMALL = (200.0, 120.0) * 5


@pytest.mark.parametrize(
    ("sizes", "built", "tau"), [(TALL, 4, 0.6), (TALL, 6, 2.2), (VASE, 5, 0.9), (LARGE_AND_SMALL, 3, 1.8)]
)
def test_aimed_again_it_ends_where_it_must_in_the_hands_that_build_it(sizes, built, tau) -> None:
    piece = piece_of(sizes)
    whole = planned(piece)
    measured = knot_with(piece, tau, built - 1)
    assert learnt_tau(HalfBuilt(whole, whole.pieces[0], built, never), measured) == pytest.approx(tau, rel=0.02)
    ways = aimed_again(whole, whole.pieces[0], built, measured)
    assert ways
    reached = [way for way in ways if "reach no farther" not in said(way)]
    assert reached, [said(way) for way in ways]
    for way in reached:
        # The same rows, in the hands that built the first ones.
        real = planned(replace(way.piece, learnt_tau=tau)).pieces[0]
        assert real.height_mm == pytest.approx(piece.target_height_mm, abs=STEP / 2 + 0.5), said(way)
    for way in ways:
        assert way.piece.rows[:built] == piece.rows[:built], "what is built stays"
        again = planned(way.piece).pieces[0]
        assert (again.height_mm, again.colouring) == (way.planned.height_mm, way.planned.colouring)
        sizes = {slot.diameter_mm for row in way.piece.rows[built:] for slot in row.slots}
        known = {slot.diameter_mm for row in piece.rows for slot in row.slots}
        assert all(size in known or abs(size / STEP - round(size / STEP)) < 1e-6 for size in sizes), (
            "sizes of the sizer"
        )


def test_a_measure_that_cannot_be_is_told() -> None:
    whole = planned(piece_of(TALL))
    bad = ((1, 120.0, "two rows"), (5, 40.0, "can lie between"), (50, None, "10 rows"), (-1, None, "10 rows"))
    for built, height, words in bad:
        with pytest.raises(BadInput, match=words):
            aimed_again(whole, whole.pieces[0], built, height)
    joined = piece_of(TALL)
    joined = replace(joined, groups=(replace(joined.groups[0], direction=Direction.BOTH),))
    with pytest.raises(BadInput, match="from both ends"):
        aimed_again(planned(joined), planned(joined).pieces[0], 3, None)


@pytest.mark.parametrize(("below", "tau"), [((), 0.6), (TALL[:3], 1.7)])
def test_a_group_that_is_built_downwards_ends_where_it_was_planned(below, tau) -> None:
    hung = RowsGroup(
        rows=tuple(uniform_row(k, 4, 11, 216.0) for k in range(21, 29)),
        anchor=Anchor(kind="hanging below", height_mm=2400),
    )
    foot = piece_of(below).groups if below else ()
    piece = replace(piece_of(TALL[:2]), groups=(*foot, hung), target_height_mm=2400)
    whole, first = planned(piece), len(below)
    # Five rows hang; hands of another strength built them.
    hands = planned(replace(piece, learnt_tau=tau, groups=(*foot, replace(hung, rows=hung.rows[3:])))).pieces[0]
    knot = float(hands.geometry.knots[first])
    ways = aimed_again(whole, whole.pieces[0], 5, knot)
    assert learnt_tau(HalfBuilt(whole, whole.pieces[0], 5, never), knot) == pytest.approx(tau, rel=0.02)
    place = len(foot)
    wished = whole.pieces[0].assembly.spans[place][0]
    reached = [way for way in ways if "reach no farther" not in said(way)]
    assert reached
    for way in reached:
        real = planned(replace(way.piece, learnt_tau=tau)).pieces[0]
        assert real.assembly.spans[place][0] == pytest.approx(wished, abs=STEP / 2 + 0.5), said(way)
        assert way.piece.rows[-5:] == piece.rows[-5:], "what hangs stays"
        assert way.piece.rows[:first] == piece.rows[:first], "other groups too"


def test_a_group_that_stands_does_not_grow_with_the_hands_measured_on_the_next_one() -> None:
    above = RowsGroup(
        rows=tuple(uniform_row(k, 4, 11, 200.0) for k in range(21, 29)), anchor=Anchor(kind="at height", height_mm=900)
    )
    piece = replace(piece_of(TALL[:4]), groups=(*piece_of(TALL[:4]).groups, above))
    piece = replace(piece, target_height_mm=round(planned(piece).pieces[0].height_mm))
    whole = planned(piece)
    hands = planned(replace(piece, groups=(piece.groups[0], replace(above, rows=above.rows[:5], learnt_tau=0.5))))
    knot = float(hands.pieces[0].geometry.knots[-1])
    ways = [way for way in aimed_again(whole, whole.pieces[0], 9, knot) if "reach no farther" not in said(way)]
    assert ways
    for way in ways:
        assert way.planned.assembly.spans[0] == whole.pieces[0].assembly.spans[0]
        # The lower group in the hands that were planned with, the upper one in those that build it.
        real = replace(way.piece.groups[1], learnt_tau=0.5)
        built = planned(replace(piece, groups=(piece.groups[0], real), target_height_mm=piece.target_height_mm))
        assert built.pieces[0].height_mm == pytest.approx(piece.target_height_mm, abs=STEP / 2 + 0.5), said(way)


def test_colours_of_built_rows_stay_though_the_pattern_is_stretched() -> None:
    piece = replace(piece_of(TALL), layers=(GradientLayer(colours=("deep-teal", "sail-white")),))
    whole = planned(piece)
    for way in aimed_again(whole, whole.pieces[0], 5, knot_with(piece, 0.5, 4)):
        assert way.planned.colouring[:5] == whole.pieces[0].colouring[:5], said(way)


def sizes_of(piece: Piece) -> list[list[tuple[float, float]]]:
    return [[(slot.nominal_in, slot.diameter_mm) for slot in row.slots] for row in piece.rows]


def accident(random: Random):
    """A random piece, so many rows of which stand."""
    many = random.randint(4, 12)
    sizes = tuple(STEP * random.randint(22, 38) for _ in range(many))
    sides = random.choice(list(SeenSides))
    piece = piece_of(sizes, random.choice((4, 5)), seen_sides=sides, tightness=random.choice(list(Tightness)))
    return piece, random.randint(2, many - 1)


@pytest.mark.parametrize("seed", range(25))
def test_ways_out_of_random_accidents(seed) -> None:
    random = Random(seed)
    piece, built = accident(random)
    whole = planned(piece)
    found = whole.pieces[0]
    needed = {(11.0, key): 0 for key in ("signal-red", "sail-white", "rope")}
    for row, line in zip(piece.rows[built:], found.colouring[built:], strict=True):
        for slot, key in zip(row.slots, line, strict=True):
            needed[slot.nominal_in, key] = needed.get((slot.nominal_in, key), 0) + 1
    kind = random.choice(sorted(needed, key=str))
    left = {kind: max(needed[kind] - random.randint(1, 5), 0)}
    ways = short_of(whole, found, built, left)
    assert [way.noticed for way in ways] == sorted(way.noticed for way in ways)
    if needed[kind] <= left[kind]:
        assert said(ways[0]).startswith("There is enough")
        return
    assert any("Fetch" in said(way) for way in ways)
    for way in ways:
        if way.piece is None:
            continue
        assert sizes_of(way.piece)[:built] == sizes_of(piece)[:built]
        assert way.planned.colouring[:built] == found.colouring[:built], "built rows look as they do"
        used = {(use.nominal_in, use.colour): use.count for use in way.uses}
        assert used.get(kind, 0) <= left[kind], said(way)
        assert planned(way.piece).pieces[0].colouring == way.planned.colouring
        assert sum(used.values()) == sum(needed.values())
    if piece.seen_sides is SeenSides.FRONT and any("nobody sees" in said(way) for way in ways):
        way = next(way for way in ways if "nobody sees" in said(way))
        changed = [
            float(found.surface.angles[found.surface.firsts[k] + n])
            for k in range(built, len(piece.rows))
            for n in range(piece.rows[k].count)
            if way.planned.colouring[k][n] != found.colouring[k][n]
        ]
        assert sum(1 for angle in changed if abs((angle + 3.1416) % 6.2832 - 3.1416) > 1.5) >= len(changed) / 2


def test_a_wrong_colour_and_a_wrong_size_have_ways() -> None:
    piece = piece_of(TALL)
    whole = planned(piece)
    line = whole.pieces[0].colouring[2]
    slot = line.index("rope")
    ways = wrong_colour(whole, whole.pieces[0], 5, 2, slot, "sail-white")
    words = " ".join(said(way) for way in ways)
    for part in ("exchange the two", "tied twice", "Leave it", "look intended"):
        assert part in words
    meant = next(way for way in ways if way.piece is not None)
    assert meant.piece.rows[:5] == piece.rows[:5]
    white, before = (
        [line.count("sail-white") for line in found.colouring[5:]] for found in (meant.planned, whole.pieces[0])
    )
    assert sum(white) > sum(before), "every other row to come has one on that side"
    assert all(many for k, many in enumerate(white, 5) if (k - 2) % 2 == 0)
    (same,) = wrong_colour(whole, whole.pieces[0], 5, 2, slot, "rope")
    assert "as planned" in said(same)
    live, redo = sorted(wrong_size(whole, whole.pieces[0], 5, 2, 180.0), key=lambda way: "Live" not in said(way))
    assert "lower" in said(live)
    assert redo.minutes > live.minutes
    with pytest.raises(BadInput, match="not built"):
        wrong_colour(whole, whole.pieces[0], 5, 7, 0, "rope")
    with pytest.raises(BadInput, match="No balloon"):
        wrong_size(whole, whole.pieces[0], 5, 2, 9e9)


def test_rescue_is_printed_and_bad_words_are_told(tmp_path, capsys) -> None:
    piece = piece_of(TALL)
    save_job(Job(pieces=(piece,)), tmp_path / "a.kakushi")
    base = ["rescue", str(tmp_path / "a.kakushi"), "--piece", "Quay", "--built", "5"]
    measured = knot_with(piece, 0.7, 4)
    assert main([*base, "--height", f"{measured:.0f}", "--json"]) == 0
    ways = json.loads(capsys.readouterr().out)["ways"]
    assert {"words", "rows", "height_mm", "match_mean", "uses"} <= set(ways[0])
    assert abs(ways[0]["height_mm"] - piece.target_height_mm) <= STEP / 2 + 0.5
    assert main([*base, "--left", "11:signal red=3"]) == 0
    assert "Fetch" in capsys.readouterr().out
    for words in ("11:nothing=3", "red", "11:rope", "11:rope=-2", "x:rope=1"):
        assert main([*base, "--left", words]) == 2, words
    assert main([*base, "--height", "high"]) == 2
    assert left_of("11:SR=3, 5:rope=0", Job()) == {(11.0, "signal-red"): 3, (5.0, "rope"): 0}
    assert height_of("640") == 640.0
    assert height_of("64 cm") == pytest.approx(640.0)


def test_mixed_rows_are_stepped_slot_by_slot() -> None:
    slots = (Slot(nominal_in=11, diameter_mm=216.0), Slot(nominal_in=5, diameter_mm=114.3)) * 2
    rows = tuple(Row(key=k, slots=slots) for k in range(1, 6))
    piece = Piece(key=1, name="Mixed", groups=(RowsGroup(rows=rows),))
    piece = replace(piece, target_height_mm=round(planned(piece).pieces[0].height_mm) + 40)
    whole = planned(piece)
    for way in aimed_again(whole, whole.pieces[0], 2, None):
        assert way.piece.rows[:2] == rows[:2]
        assert all(not row.is_uniform for row in way.piece.rows[2:])


# --- mended defects ---------------------------------------------------------------------------------------------


def two_groups(**changes) -> Piece:
    """Rows from the foot, and more of the same balloons hung above them."""
    piece = piece_of(TALL[:4])
    hung = RowsGroup(
        rows=tuple(uniform_row(k, 4, 11, 216.0) for k in (20, 21)), anchor=Anchor(kind="hanging below", height_mm=2400)
    )
    return replace(piece, groups=(*piece.groups, hung), target_height_mm=2400, **changes)


def test_a_second_group_takes_from_the_same_bags(tmp_path, capsys) -> None:
    piece = two_groups()
    whole = planned(piece)
    # The upper row of the hung group is laid first, then the one below it, then the foot.
    needed = sum(line.count("rope") for line in whole.pieces[0].colouring[:5])
    ways = short_of(whole, whole.pieces[0], 1, {(11.0, "rope"): 0})
    recoloured = [way for way in ways if isinstance(way.remedy, Recoloured)]
    assert recoloured
    for way in recoloured:
        assert way.remedy.many == needed
        assert not any("rope" in line for line in way.planned.colouring[:5]), "none is taken that is not there"
    assert {row for way in recoloured for row in way.remedy.rows} & {4}, "rows of the second group too"
    path = tmp_path / "job.kakushi"
    save_job(Job(pieces=(piece,)), path)
    assert main(["rescue", str(path), "--piece", "Quay", "--built", "3", "--left", "11:rope=0", "--units", "in"]) == 0
    assert "Use" in capsys.readouterr().out


def test_colours_of_a_way_show_while_hand_paint_is_hidden() -> None:
    rows = piece_of(TALL).groups[0].rows
    painted = replace(rows[9], slots=tuple(replace(slot, colour="deep-teal") for slot in rows[9].slots))
    piece = replace(piece_of(TALL), groups=(RowsGroup(rows=(*rows[:9], painted)),), paint_shown=False)
    whole = planned(piece)
    before = whole.pieces[0].colouring
    for way in short_of(whole, whole.pieces[0], 5, {(11.0, "rope"): 0}):
        if isinstance(way.remedy, Recoloured):
            changed = sum(
                a != b for x, y in zip(before, way.planned.colouring, strict=True) for a, b in zip(x, y, strict=True)
            )
            assert changed == way.remedy.many, "what it says, and no hidden paint comes out"


def test_two_kinds_that_are_short_are_mended_together_with_what_is_left() -> None:
    piece = piece_of(TALL)
    whole = planned(piece)
    left = {(11.0, "signal-red"): 10, (11.0, "rope"): 4, (11.0, "sail-white"): 12}
    ways = short_of(whole, whole.pieces[0], 2, left)
    assert ways
    for way in ways:
        needed = {use.kind: int(use.count) for use in way.uses}
        short = [kind for kind, have in left.items() if needed.get(kind, 0) > have]
        assert not short or "Fetch" in said(way), said(way)
    assert any("signal red" in said(way) and "rope" in said(way) for way in ways)


def test_a_free_mix_is_not_mixed_anew_round_what_is_built() -> None:
    mix = MixLayer(shares=(Share(colour="signal-red", parts=1), Share(colour="rope", parts=2)))
    piece = replace(piece_of(TALL), layers=(mix,))
    whole = planned(piece)
    ways = short_of(whole, whole.pieces[0], 4, {(11.0, "signal-red"): 3})
    recoloured = [way for way in ways if isinstance(way.remedy, Recoloured)]
    assert recoloured
    for way in recoloured:
        assert way.planned.colouring[:4] == whole.pieces[0].colouring[:4], "what is built stays"
        assert sum(use.count for use in way.uses if use.kind == (11.0, "signal-red")) == 3


def test_a_group_on_the_floor_that_is_built_from_the_top_ends_at_its_height() -> None:
    piece = piece_of(TALL)
    piece = replace(piece, groups=(replace(piece.groups[0], direction=Direction.DOWN),))
    whole = planned(piece)
    knot = float(whole.pieces[0].geometry.knots[6]) + 12
    words = [said(way) for way in aimed_again(whole, whole.pieces[0], 4, knot)]
    assert words
    assert not any("0 cm of 0 cm" in each for each in words)
