"""The same words, price, minutes and materials wherever they are told, in whichever units."""

from __future__ import annotations

import csv
import datetime as dt
import io
import json
import re
from collections.abc import Iterator

import openpyxl
import pytest
from hypothesis import given, settings
from pypdf import PdfReader

from kakushi.building.aimed import aimed_again
from kakushi.building.schedule import scheduled
from kakushi.formats.export.lists_csv import list_csv
from kakushi.formats.export.plan_json import plan_json
from kakushi.formats.export.rescue_json import ways_json
from kakushi.formats.export.steps_json import steps_json
from kakushi.formats.export.workbook import workbook_bytes
from kakushi.formats.print.pack import Wanted, one_document, wanted_pdf
from kakushi.formats.store.job_file import load_job
from kakushi.formats.store.paths import demo_job_path
from kakushi.model.catalogue import Studio
from kakushi.model.job import Job
from kakushi.model.units import UnitSystem
from kakushi.model.values import replace
from kakushi.plan.pipeline import plan
from kakushi.plan.showing import showing_of
from kakushi.plan.words_on_balloons import words_on_balloons
from kakushi.sim.forecast import SimulatedForecast
from kakushi.words.cards import card_steps, sizes_words
from kakushi.words.cells import cell_words
from kakushi.words.dress import lettering_words, showing_words, spot_words
from kakushi.words.lists import lists_of
from kakushi.words.plan import note_words
from kakushi.words.schedule import problem_words, task_words
from kakushi.words.step_text import step_text, steps_words
from kakushi.words.transport import transport_words
from kakushi.words.wording import Wording, hours_words
from kakushi.workshop.dossier import Dossier
from strategies import jobs
from test_lists import sheet_total

BOTH = pytest.mark.parametrize("units", UnitSystem)


@pytest.fixture(scope="module")
def demo() -> Dossier:
    job = load_job(demo_job_path())
    return Dossier(plan(job, Studio()), SimulatedForecast().forecast(job.brief.event_date))


def text_of(pdf: bytes) -> str:
    return "\n".join(page.extract_text() for page in PdfReader(io.BytesIO(pdf)).pages)


def squeezed(text: str) -> str:
    """Without what a line end may be: printed words are broken anywhere."""
    return re.sub(r"\s+", "", text)


# --- one ledger ------------------------------------------------------------------------------------------------


def check_sums(dossier: Dossier, units: UnitSystem) -> None:
    """Price, minutes, balloons and materials of JSON, CSV, XLSX, print and screen are those of the steps."""
    job, lists = dossier.plan.job, lists_of(dossier, units)
    told, steps = plan_json(dossier, units=units), steps_json(dossier.steps, dossier.plan, units)["steps"]
    tables = {
        key: list(csv.DictReader(io.StringIO(list_csv(listing, job)))) if listing.rows else []
        for key, listing in lists.items()
    }
    book = openpyxl.load_workbook(io.BytesIO(workbook_bytes(lists.values(), job)))
    minutes = sum(step["minutes"] for step in steps)
    assert sum(told["work_minutes"].values()) == pytest.approx(minutes, abs=0.01 * len(steps) + 0.1)
    assert sum(float(line["minutes"] or 0) for line in tables["cost"]) == pytest.approx(dossier.minutes, abs=0.1)
    assert sheet_total(book["Cost"], "Time, min") == pytest.approx(dossier.minutes)
    assert sheet_total(book["Cost"], "Amount") == pytest.approx(dossier.cost.price)
    assert told["price"] == pytest.approx(dossier.cost.price, abs=0.01)
    # Each kind of work is in whole cents.
    cents = 0.005 * len(dossier.cost.work) + 1e-9
    assert dossier.cost.labour == pytest.approx(dossier.minutes / 60 * job.pricing.hourly, abs=cents)
    printed = squeezed(text_of(wanted_pdf(dossier, units, one_document("cost"))))
    assert squeezed(f"Work in all: {hours_words(dossier.minutes)}") in printed
    assert f"{dossier.cost.price:.2f}" in printed
    totals = [sum(line.total for line in lines) for lines in dossier.supplies.pieces.values()]
    for key, page in (("supplies", "Balloons"), ("buying", "To buy")):
        assert sum(int(line["total"]) for line in tables[key]) == sum(totals)
        assert not totals or sheet_total(book[page], "Total") == sum(totals)

    used: dict[tuple[str, str], float] = {}
    for step in steps:
        for use in step["uses"]:
            key = ("balloon", f"{use['nominal_in']} {use['colour']}") if use["nominal_in"] else (use["item"], "")
            used[key] = used.get(key, 0.0) + use["count"]
    balloons = {key[1]: count for key, count in used.items() if key[0] == "balloon"}
    assert {f"{line['nominal_in']} {line['colour']}": line["needed"] for line in told["supplies"]} == balloons
    things = {item: count for (item, _), count in used.items() if item != "balloon"}
    assert {line["item"]: line["needed"] for line in told["materials"]} == pytest.approx(things, rel=1e-3, abs=1e-3)
    materials = lists["materials"]
    screen = [[cell_words(c, x, job, units) for c, x in zip(materials.columns, r, strict=True)] for r in materials.rows]
    for line, shown, row in zip(tables["materials"], screen, materials.rows, strict=True):
        assert float(line["needed"]) == pytest.approx(row[1], abs=1e-3)
        assert row[1] - 1e-6 <= float(shown[1]) < row[1] + (1 if row[1] >= 10 else 0.1), "as a hand measures it"
        # Said in feet, they are the same metres.
        factor = 0.3048 if line["unit"] == "ft" else 1.0
        assert any(count == pytest.approx(row[1] * factor, rel=1e-3) for count in things.values())
    assert sum(int(line["needed"]) for line in tables["supplies"]) == sum(balloons.values())
    assert sheet_total(book["Balloons"], "Needed") == sum(balloons.values()) if balloons else True
    sheet = lists["inflation"]
    assert sum(int(line["many"]) for line in tables["inflation"]) == (sheet.total("many") if sheet.rows else 0)


@BOTH
def test_the_demo_is_told_the_same_everywhere(demo: Dossier, units: UnitSystem) -> None:
    check_sums(demo, units)
    wording = Wording(demo.plan.job, units)
    printed = squeezed(text_of(wanted_pdf(demo, units, one_document("helpers", 1))))
    lines = list(steps_words(demo.steps, demo.plan, wording))
    for step in demo.steps:
        text = step_text(step, wording)
        (told,) = steps_json([step], demo.plan, units)["steps"]
        assert (told["words"], told["how"]) == (text.words, text.how)
        assert len(text.words) < 160
        # Rows of a run are said once; nothing of what a step says in full is lost.
        said = text.words.partition(" · ")[2] if step.row else text.words.rstrip("…")
        assert squeezed(said) in printed
        assert any(said in line for line in lines)
        for sentence in text.how.split(". "):
            assert squeezed(sentence.rstrip(".")) in printed


@settings(max_examples=4)
@given(jobs())
def test_any_job_is_told_the_same_everywhere(job: Job) -> None:
    dossier = Dossier(plan(job, Studio()))
    for units in UnitSystem:
        check_sums(dossier, units)


# --- units to the end --------------------------------------------------------------------------------------------


def everything_said(dossier: Dossier, units: UnitSystem) -> Iterator[str]:
    """All that the program says of a job in one system of units."""
    plan_, wording = dossier.plan, Wording(dossier.plan.job, units)
    yield from steps_words(dossier.steps, plan_, wording)
    yield from transport_words(plan_, units)
    found = scheduled(plan_, dt.datetime(2027, 6, 17, 8))
    yield from (task_words(placed.task) for placed in found.tasks)
    yield from map(problem_words, found.problems)
    for card in dossier.cards:
        yield from (*card_steps(card, wording), sizes_words(card.cluster.balloons, wording))
    for piece in plan_.pieces:
        yield from (note_words(note, wording) for note in (*piece.warnings, *piece.advice))
        yield from (*showing_words(showing_of(piece), units), *spot_words(showing_of(piece), units))
        yield from (lettering_words(words, units) for words in words_on_balloons(piece))
        if piece is plan_.pieces[1]:
            ways = aimed_again(plan_, piece, 4, None)
            yield from (way["words"] for way in ways_json(ways, wording)["ways"])
    for listing in lists_of(dossier, units).values():
        yield from (listing.title, listing.note, list_csv(listing, plan_.job).replace(",", " "))
        for column in listing.columns:
            yield column.head
            yield from (cell_words(column, cell, plan_.job, units) for cell in listing.column(column.key))
    book = openpyxl.load_workbook(io.BytesIO(workbook_bytes(lists_of(dossier, units).values(), plan_.job)))
    yield from (str(cell.value) for sheet in book for row in sheet.iter_rows() for cell in row if cell.value)
    wanted = (Wanted(), *map(one_document, ("client", "cost", "labels")), one_document("helpers", 2))
    yield from (text_of(wanted_pdf(dossier, units, each)) for each in wanted)
    told = plan_json(dossier, units=units)
    yield from re.findall(r'"((?:[^"\\]|\\.)* (?:[^"\\]|\\.)*)"', json.dumps([told["pieces"]], ensure_ascii=False))


METRIC = re.compile(r"\d ?(?:mm|cm|m)(?![\w/²])|_mm\b|cm²")
INCHES = re.compile(r"[\d½¼¾⅛⅜⅝⅞]+′|in²|_in\b(?<!nominal_in)|\bft\b")
SIZED_IN_INCHES = re.compile(r"\d*[½¼¾⅛⅜⅝⅞]″|(?<![\d.])(?!(?:5|9|11|12|16|18|24|36)″)\d+(?:\.\d+)?″")


@BOTH
def test_one_system_of_units_is_used_to_the_end(units: UnitSystem) -> None:
    job = load_job(demo_job_path())
    # One of each: a column with a topper, one with a hung board, a ball, a bent one, an open frame.
    kinds = {"Lighthouse", "Harbour sign", "Kelp", "Rope loop", "Net window"}
    pieces = tuple(piece for piece in job.pieces if piece.name in kinds)
    for said in everything_said(Dossier(plan(replace(job, pieces=pieces), Studio())), units):
        wrong = [METRIC] if units is UnitSystem.INCHES else [INCHES, SIZED_IN_INCHES]
        for pattern in wrong:
            # Cut lists of JSON are for machines, and always in millimetres.
            assert not pattern.search(said), (pattern.search(said), said[:300])
