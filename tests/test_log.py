"""The log: entries kept and read, rates learnt with honest intervals, what is far from expected."""

from __future__ import annotations

import datetime as dt
import json
import math
import sqlite3
from pathlib import Path

import numpy as np
import pytest
from pydantic import ValidationError

from kakushi.building.step import StepKind
from kakushi.building.steps import steps_of
from kakushi.cli.main import main
from kakushi.formats.store.job_file import load_job, save_job
from kakushi.formats.store.log_store import LogStore
from kakushi.formats.store.paths import demo_job_path
from kakushi.formats.store.studio_store import SCHEMA_VERSION, StudioStore, load_studio
from kakushi.log.entries import entry_of, with_answers
from kakushi.log.minutes import LogSums, learnt_minutes, sums_of
from kakushi.log.pops import PopsSeen, learnt_pops
from kakushi.log.unexpected import ManyPops, OddHeight, OddMinutes, unexpected
from kakushi.model.catalogue import Studio
from kakushi.model.errors import StudioError
from kakushi.model.groups import RowsGroup, uniform_row
from kakushi.model.job import Job
from kakushi.model.log import (
    BuiltCount,
    Learnt,
    LogEntry,
    LoggedPiece,
    PopCount,
    SizedAgain,
    UsedUp,
    WorkCount,
    rate_name,
)
from kakushi.model.piece import Copy, Piece
from kakushi.model.record import Event, Record, What
from kakushi.model.units import UnitSystem
from kakushi.model.values import replace
from kakushi.model.workshop import Rates
from kakushi.plan.pipeline import plan
from kakushi.words.log import entry_lines, minutes_words, pops_words, rates_lines, unexpected_words
from kakushi.workshop.dossier import Dossier
from kakushi.workshop.spares import Need, pop_rate, spares_for

DAY = dt.date(2026, 6, 1)


def entry(popped: int = 3, minutes: float = 20.0, **fields) -> LogEntry:
    piece = LoggedPiece(
        piece="Gate", copies=2, planned_mm=2000, height_mm=1980, rows=12, joint="wrapped", balloons=96,
        built=(BuiltCount(nominal_in=11, count=100),),
        pops=(PopCount(nominal_in=11, count=popped),) if popped else (),
        minutes=(WorkCount(kind="row", person="Ann", count=20, minutes=minutes),),
    )  # fmt: skip
    return LogEntry(**{"date": DAY, "job": "Quay", "pieces": (piece,)} | fields)


# --- learning --------------------------------------------------------------------------------------


@pytest.mark.parametrize("draw", ["beta", "by size", "even"])
def test_intervals_of_pops_hold_the_truth_nine_times_in_ten(draw) -> None:
    """Simulated studios of forty jobs whose true chances are known; 88 to 92 % within what so few of them scatter."""
    chance = np.random.default_rng(7)
    cells = [(size, finish, "indoors", "usual") for size in (5.0, 9.0, 11.0, 16.0) for finish in ("plain", "mirror")]
    inside = []
    for _ in range(25):
        true = {
            cell: {
                "beta": chance.beta(2, 98), "by size": 0.3 / cell[0], "even": chance.uniform(0.005, 0.06)
            }[draw]
            for cell in cells
        }  # fmt: skip
        used = {cell: int(chance.integers(5, 80, 40).sum() * 0.5) for cell in cells}
        seen = [PopsSeen(cell, used[cell], int(chance.binomial(used[cell], true[cell]))) for cell in cells]
        inside += [each.low <= true[each.nominal_in, each.finish, each.place, each.fill] <= each.high
                   for each in learnt_pops(seen)[0]]  # fmt: skip
    # 200 intervals: twice what their share scatters by.
    assert 0.85 <= np.mean(inside) <= 0.95


def test_sizes_share_what_they_have_in_common() -> None:
    """Three pops of 5-inch do not say that nothing ever happens to 16-inch; nor much, where sizes differ a lot."""
    few = [PopsSeen((5.0, "plain", "indoors", "usual"), 100, 3)]
    (five,), ((_, a, b),) = learnt_pops(few)
    assert five.low < 0.03 < five.high
    assert 0.005 < a / (a + b) < 0.06
    many = [*few, *(PopsSeen((size, "plain", "indoors", "usual"), 2000, 160) for size in (9.0, 11.0, 12.0))]
    shared, ((_, a2, b2),) = learnt_pops(many)
    assert a2 / (a2 + b2) > a / (a + b)
    assert next(each for each in shared if each.nominal_in == 5).mean > five.mean
    # What was never blown up outdoors is told nothing of by jobs indoors.
    learnt = Learnt(pops=tuple(shared), unseen=(("indoors", a2, b2),))
    assert pop_rate(16, "outdoors", (), learnt, "plain") == pop_rate(16, "outdoors", ())
    assert pop_rate(16, "indoors", (), learnt, "plain").mean == pytest.approx(a2 / (a2 + b2))


def test_spares_keep_their_certainty_with_learnt_rates() -> None:
    chance, sure, enough = np.random.default_rng(3), 0.95, []
    for _ in range(120):
        true = chance.beta(2, 98)
        used = int(chance.integers(200, 1500))
        (known,), _ = learnt_pops(
            [PopsSeen((11.0, "plain", "indoors", "usual"), used, int(chance.binomial(used, true)))]
        )
        learnt = Learnt(pops=(known,))
        (spares,) = spares_for((Need(120, pop_rate(11, "indoors", (), learnt, "plain")),), sure).counts
        # Pops before 120 good ones.
        enough.append(1.0 if chance.negative_binomial(120, 1 - true) <= spares else 0.0)
    assert np.mean(enough) == pytest.approx(sure, abs=0.015 + 2 * math.sqrt(sure * (1 - sure) / len(enough)))


def test_intervals_of_minutes_hold_the_truth_and_begin_where_everybodys_are() -> None:
    chance, inside = np.random.default_rng(5), []
    for _ in range(300):
        true = {person: math.exp(chance.normal(0, 0.4)) for person in ("Ann", "Bo")}
        seen = {
            ("row", person): sums_of(rate * math.exp(chance.normal(0, 0.3)) for _ in range(20))
            for person, rate in true.items()
        }
        rates = {each.person: each for each in learnt_minutes(seen, Rates())}
        inside += [rates[person].low <= rate <= rates[person].high for person, rate in true.items()]
    assert 0.86 <= np.mean(inside) <= 0.95
    # One entry moves a person from everybody's minutes, not all the way.
    seen = {("row", "Ann"): sums_of([2.0] * 20), ("row", "Bo"): sums_of([4.0])}
    rates = {each.person: each for each in learnt_minutes(seen, Rates())}
    assert 2.0 < rates["Bo"].mean < 4.0
    assert rates["Bo"].high - rates["Bo"].low > rates["Ann"].high - rates["Ann"].low
    assert LogSums(1, 1.0, 1.0).and_more(LogSums(2, 1.0, 3.0)) == LogSums(3, 2.0, 4.0)


# --- the file --------------------------------------------------------------------------------------


def test_entries_are_kept_learnt_from_replaced_and_taken_out(tmp_path: Path) -> None:
    path = tmp_path / "studio.sqlite3"
    store = LogStore(path)
    assert store.lines() == []
    assert store.entry("none") is None
    kept = store.add(entry(client="liked it", price=900, currency="crowns"))
    assert store.entry(kept.key) == kept
    (line,) = store.lines("Quay")
    assert (line.popped, line.balloons, line.height_mm, line.price) == (3, 96, 1980, 900)
    learnt = load_studio(path).studio.learnt
    assert (learnt.pops[0].seen, learnt.pops[0].popped) == (100, 3)
    assert learnt.minutes_of("row", "Ann") == pytest.approx(1.0, rel=0.1)
    assert learnt.rise[0].mean == pytest.approx(0.99, abs=0.005)
    # Plans work with them at once.
    assert load_studio(path).studio.working_rates.row_s == pytest.approx(60, rel=0.1)
    store.add(replace(kept, pieces=(replace(kept.pieces[0], pops=()),)))
    assert load_studio(path).studio.learnt.pops[0].popped == 0
    assert len(store.lines()) == 1
    # A setting that is kept meanwhile stays, and so does what was learnt.
    studios = StudioStore(path)
    before = studios.load()
    studios.save(replace(before, sizing_scatter_mm=3.0), before)
    assert studios.load().learnt == load_studio(path).studio.learnt
    store.reset(rate_name("pop", 11.0, "plain", "indoors", "usual"))
    assert not load_studio(path).studio.learnt.pops
    store.reset(rate_name("minutes", "row", "Ann"))
    assert not load_studio(path).studio.learnt.minutes
    store.add(entry(popped=1))
    assert load_studio(path).studio.learnt.pops[0].seen == 100
    for each in store.lines():
        store.remove(each.key)
    assert load_studio(path).studio.learnt == Learnt()


def test_studios_of_before_gain_a_log_and_older_programs_refuse_them(tmp_path: Path) -> None:
    path = tmp_path / "studio.sqlite3"
    StudioStore(path).save(replace(Studio(), sizing_scatter_mm=4.0))
    with sqlite3.connect(path) as old:
        for table in ("log_entry", "log_pop", "log_ratio", "log_reset"):
            old.execute(f"DROP TABLE {table}")
        old.execute("PRAGMA user_version = 3")
    LogStore(path).add(entry())
    studio = load_studio(path).studio
    assert (studio.sizing_scatter_mm, studio.learnt.pops[0].popped) == (4.0, 3)
    with sqlite3.connect(path) as newer:
        newer.execute(f"PRAGMA user_version = {SCHEMA_VERSION + 1}")
    with pytest.raises(StudioError, match="newer version"):
        LogStore(path).add(entry())
    with sqlite3.connect(path) as again:
        again.execute(f"PRAGMA user_version = {SCHEMA_VERSION}")
        again.execute("UPDATE log_entry SET value = '{'")
        again.execute("UPDATE setting SET value = '[1' WHERE key = 'learnt'")
    assert LogStore(path).entry(LogStore(path).lines()[0].key) is None
    assert load_studio(path).studio.learnt == Learnt()


@pytest.mark.parametrize(
    "wrong",
    [
        {"date": "9999-01-01"}, {"date": "soon"}, {"pieces": []}, {"price": -1}, {"unknown": 1},
        {"pieces": [{"piece": "A", "minutes": [{"kind": "row", "count": 1, "minutes": -5}]}]},
        {"pieces": [{"piece": "A", "built": [{"nominal_in": 9, "count": 2}], "pops": [{"nominal_in": 9, "count": 3}]}]},
        {"pieces": [{"piece": "A", "height_mm": float("nan")}]},
    ],
)  # fmt: skip
def test_nonsense_is_no_entry(wrong) -> None:
    with pytest.raises(ValidationError):
        LogEntry.model_validate({"date": "2026-06-01", "pieces": [{"piece": "A"}]} | wrong)


# --- what is known of a job ------------------------------------------------------------------------


def test_an_entry_knows_what_was_ticked_and_what_popped() -> None:
    rows = tuple(uniform_row(k, 4, 11, 230.0) for k in range(1, 7))
    job = Job(pieces=(Piece(key=1, name="Gate", groups=(RowsGroup(rows=rows),), copies=(Copy(), Copy())),))
    whole = plan(job, Studio())
    steps = [step for step in steps_of(whole) if step.kind in (StepKind.ROW, StepKind.INFLATE)]
    events = [Event(what=What.DONE, step=step.key, at=n, seconds=90, who="Ann") for n, step in enumerate(steps)]
    events += [Event(what=What.POP, step=steps[0].key, at=99, nominal_in=11, colour=whole.pieces[0].colouring[0][0])]
    events += [Event(what=What.HEIGHT, step=steps[-1].key, at=100, mm=1111)]
    known = entry_of(Dossier(whole), Record(events=tuple(events)), DAY)
    (piece,) = known.pieces
    assert (known.date, piece.copies, piece.rows, piece.popped, piece.height_mm) == (DAY, 2, 6, 1, 1111)
    assert sum(line.count for line in piece.built) == 48 + 1
    row = next(work for work in piece.minutes if work.kind == "row")
    assert (row.person, row.count, row.minutes) == ("Ann", 12, 18)
    told = {work.kind: work.minutes for work in piece.minutes}
    assert told["inflate"] + told["tie"] == pytest.approx(3, abs=0.1)
    assert known.planned_minutes > 0
    given = LogEntry(date=DAY, pieces=(LoggedPiece(piece="Gate", height_mm=1130),), client="again next year")
    kept = with_answers(known, given)
    assert (kept.pieces[0].height_mm, kept.pieces[0].popped, kept.client) == (1130, 1, "again next year")
    assert any("1 popped" in line for line in entry_lines(kept, UnitSystem.METRIC))
    assert entry_of(Dossier(plan(Job(), Studio())), Record(), DAY) is None


def test_only_what_is_cut_or_poured_is_asked_for_as_waste() -> None:
    dossier = Dossier(plan(load_job(demo_job_path()), Studio()))
    sign = replace(dossier.plan.job.pieces[3].parts[0], name="Finish line")
    piece = replace(dossier.plan.job.pieces[3], parts=(sign,))
    whole = plan(replace(dossier.plan.job, pieces=(*dossier.plan.job.pieces[:3], piece)), Studio())
    asked = {used.item for used in entry_of(Dossier(whole), Record(), DAY).materials}
    assert {"tape", "spray paint"} <= asked
    assert not any("Finish line" in item or "dots" in item for item in asked)


def test_what_is_far_from_expected_is_pointed_out() -> None:
    far = entry(popped=25, minutes=900)
    far = replace(far, pieces=(replace(far.pieces[0], height_mm=1500),))
    found = list(unexpected(far, Learnt(), Rates()))
    assert {type(each) for each in found} == {ManyPops, OddMinutes, OddHeight}
    assert all(unexpected_words(each, UnitSystem.METRIC).endswith("typing error, or something new?") for each in found)
    assert not list(unexpected(entry(), Learnt(), Rates()))


def test_the_commands_add_and_tell(tmp_path: Path, monkeypatch, capsys) -> None:
    monkeypatch.setenv("XDG_DATA_HOME", str(tmp_path / "data"))
    rows = tuple(uniform_row(k, 4, 11, 230.0) for k in range(1, 7))
    save_job(Job(pieces=(Piece(key=1, name="Gate", groups=(RowsGroup(rows=rows),)),)), tmp_path / "job.kakushi")
    job, told = str(tmp_path / "job.kakushi"), tmp_path / "entry.json"
    assert main(["rates"]) == 0
    assert "Nothing is in the log yet" in capsys.readouterr().out
    built = [{"nominal_in": 11, "finish": "plain", "place": "indoors", "count": 200}]
    pops = [{"nominal_in": 11, "finish": "plain", "place": "indoors", "when": "before delivery", "count": 6}]
    minutes = [{"kind": "row", "person": "Ann", "count": 12, "minutes": 15}]
    piece = {"piece": "Gate", "copies": 1, "height_mm": 1100, "built": built, "pops": pops, "minutes": minutes}
    told.write_text(json.dumps({"date": "2026-06-01", "pieces": [piece]}))
    assert main(["log", "add", job, "--entry", str(told)]) == 0
    capsys.readouterr()
    assert main(["rates", "--json"]) == 0
    rates = json.loads(capsys.readouterr().out)
    (pop,) = rates["pops"]
    assert (pop["nominal_in"], pop["finish"], pop["place"], pop["seen"]) == (11, "plain", "indoors", 200)
    assert pop["low"] < pop["mean"] < pop["high"]
    assert {each["person"] for each in rates["minutes"] if each["kind"] == "row"} == {"", "Ann"}
    assert rates["rise"][0]["joint"]
    assert main(["log", job, "--json"]) == 0
    log = json.loads(capsys.readouterr().out)
    assert log["entries"][0]["pieces"][0]["height_mm"] == 1100
    assert log["known"]["pieces"][0]["planned_mm"] > 0
    for wrong in (["log"], ["log", "add", job], ["log", job, "x"], ["log", job, "--entry", str(told)]):
        assert main(wrong) == 2
    capsys.readouterr()
    for text in ("{", "[" * 100, '{"date": "9999-01-01", "pieces": [{"piece": "A"}]}', "7"):
        told.write_text(text)
        assert main(["log", "add", job, "--entry", str(told)]) == 2
        assert len(capsys.readouterr().err.strip().splitlines()) == 1
    studio = load_studio(tmp_path / "data" / "kakushi" / "studio.sqlite3").studio
    assert "6 of 200" in pops_words(studio.learnt.pops[0])
    assert "row" in minutes_words(studio.learnt.minutes[0])


def test_scatter_waste_and_softness_are_learnt_from_what_was_measured(tmp_path: Path) -> None:
    store, chance = LogStore(tmp_path / "studio.sqlite3"), np.random.default_rng(3)
    for day in range(1, 9):
        off = chance.normal(1.5, 3.0, 12)
        again = tuple(SizedAgain(wanted_mm=210, measured_mm=round(210 + float(each), 2)) for each in off)
        one = entry(0)
        hot = int(chance.binomial(100, 0.08 if day % 2 else 0.01))
        piece = replace(
            one.pieces[0], sized=again, softer=0.0 if day % 2 else 0.08,
            pops=(PopCount(nominal_in=11, when="after", why="heat", count=hot),) if hot else (),
        )  # fmt: skip
        used = (UsedUp(item="tape", unit="m", planned=10, used=round(float(13 * chance.lognormal(0, 0.05)), 2)),)
        store.add(replace(one, pieces=(piece,), materials=used, date=dt.date(2026, 6, day)))
    learnt = load_studio(tmp_path / "studio.sqlite3").studio.learnt
    assert learnt.scatter.low < 3.0 < learnt.scatter.high, "the hand's error on average is no scatter"
    assert learnt.scatter.seen == 96
    (waste,) = learnt.waste
    assert waste.low < 1.3 < waste.high + 0.05
    soft = {each.soft: each for each in learnt.soft}
    assert soft["as usual"].low < 0.08 < soft["as usual"].high
    assert soft["up to 10 % softer"].high < soft["as usual"].mean
    studio = Studio(learnt=learnt)
    assert studio.working_scatter_mm == learnt.scatter.mean
    piece = Piece(
        key=1, name="Gate", groups=(RowsGroup(rows=tuple(uniform_row(k, 4, 11, 210.0) for k in range(1, 9))),)
    )
    lines = {line.item: line for line in Dossier(plan(Job(pieces=(piece,)), studio)).materials}
    plain = {line.item: line for line in Dossier(plan(Job(pieces=(piece,)), Studio())).materials}
    if "tape" in lines:
        assert lines["tape"].spares == pytest.approx(plain["tape"].needed * (waste.mean - 1))
    said = [words for _, words in rates_lines(learnt)]
    assert any(words.startswith("tape: 1") for words in said)
    assert any(words.startswith("Sized balloons scatter by") for words in said)
    assert sum("pop in the heat" in words for words in said) == 2
    store.reset(rate_name("scatter", "", ""))
    assert load_studio(tmp_path / "studio.sqlite3").studio.learnt.scatter is None
