"""Steps on paper: a list for each of the people who build, with boxes to tick; none is on two lists."""

from __future__ import annotations

import datetime as dt
from collections.abc import Iterable, Iterator, Sequence
from itertools import groupby
from typing import Any

from reportlab.lib.units import mm
from reportlab.platypus import Flowable, LongTable, Spacer

from kakushi.build.progress import shared_out
from kakushi.build.schedule import Schedule, scheduled, when
from kakushi.build.step import Step
from kakushi.build.steps import steps_of
from kakushi.build.transport import transport_words
from kakushi.build.words import run_lines
from kakushi.formats.pdf_style import GRID, QUIET, Chapter, chapters_pdf, style
from kakushi.formats.pdf_text import fonts, paragraph
from kakushi.model.cautions import DRESS, GENERAL, STAND
from kakushi.plan.values import Plan
from kakushi.production.dossier import Dossier
from kakushi.production.preparation import copy_names, hours_words

_BOX = "☐"


def steps_pdf(dossier: Dossier, people: int = 1) -> bytes:
    """PDF of the steps of a job, shared out among so many people."""
    fonts()
    plan = dossier.plan
    shares = shared_out(steps_of(plan), people)
    chapters: list[Chapter] = [
        (f"Helper {number}" if len(shares) > 1 else "Steps", list(_list_of(mine, number, len(shares), plan)))
        for number, mine in enumerate(shares, 1)
        if mine
    ]
    if plan.job.brief.event_date is not None:
        chapters.insert(0, ("Days", list(_days(scheduled(dossier, dt.datetime.now()), plan))))
    return chapters_pdf(plan.job.brief.title, chapters)


def _days(schedule: Schedule, plan: Plan) -> Iterator[Flowable]:
    """The days before, task by task."""
    yield paragraph("Days until it must stand", style(20, bold=True, after=4))
    heads = ("", "From", "To", "Who", "Task")
    cells: list[list[Any]] = [[paragraph(h, style(9, bold=True)) for h in heads]]
    for placed in schedule.tasks:
        who = f"person {placed.people[0]}" if placed.people else "–"
        end = f"{placed.end.hour}:{placed.end.minute:02d}"
        words = (_BOX, when(placed.start), end, who, placed.task.words)
        cells.append([paragraph(each, style(10)) for each in words])
    cells.append(
        [paragraph(each, style(10, bold=True)) for each in ("", when(schedule.deadline), "", "", "It must stand")]
    )
    table = LongTable(cells, colWidths=[8 * mm, 58 * mm, 16 * mm, 22 * mm, None], repeatRows=1)
    table.setStyle(GRID)
    yield table
    yield Spacer(1, 6)
    yield from (paragraph(words, style(10)) for words in schedule.problems)
    yield paragraph("On the way", style(13, bold=True, after=3))
    yield from (paragraph(words, style(10)) for words in transport_words(plan))


def _list_of(mine: Sequence[Step], number: int, people: int, plan: Plan) -> Iterator[Flowable]:
    minutes = hours_words(60 * sum(step.minutes for step in mine))
    title = f"Steps for helper {number} of {people}" if people > 1 else "Steps"
    yield paragraph(title, style(20, bold=True, after=2))
    yield paragraph(f"About {minutes} of work. Tick each box when it is done.", style(10, colour=QUIET, after=8))
    names = _names(plan)
    for copy, steps in groupby(mine, key=lambda step: (step.piece, step.copy)):
        yield paragraph(names.get(copy, "For the whole job"), style(13, bold=True, after=3))
        yield step_table(list(steps))
        yield Spacer(1, 8)
    yield from (paragraph(text, style(8.5, colour=QUIET)) for text in (*GENERAL, *STAND, *DRESS))


def _names(plan: Plan) -> dict[tuple[int | None, int | None], str]:
    """What every copy is called."""
    names: dict[tuple[int | None, int | None], str] = {}
    numbers: dict[int, int] = {}
    for piece, _, name in copy_names(plan.job):
        numbers[piece.key] = numbers.get(piece.key, -1) + 1
        names[piece.key, numbers[piece.key]] = name
    return names


def step_table(steps: Iterable[Step]) -> LongTable:
    """Steps with a box each; rows of a run on one line with as many boxes."""
    cells: list[list[Any]] = [
        [paragraph(" ".join([_BOX] * len(run)), style(11)), paragraph(words, style(10))]
        for run, words in run_lines(list(steps))
    ]
    table = LongTable(cells or [["", ""]], colWidths=[24 * mm, None])
    table.setStyle(GRID)
    return table
