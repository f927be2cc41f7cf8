"""Steps on paper: a list for each of the people who build, with boxes to tick; none is on two lists."""

from __future__ import annotations

import datetime as dt
from collections.abc import Iterator, Sequence
from itertools import groupby
from typing import Any

from reportlab.lib.units import mm
from reportlab.platypus import Flowable, LongTable, Spacer, Table
from reportlab.platypus.flowables import BalancedColumns

from kakushi.building.progress import shared_out
from kakushi.building.schedule import scheduled
from kakushi.building.step import Step
from kakushi.formats.print.style import BOX, GRID, LINE, QUIET, Chapter, style
from kakushi.formats.print.text import fonts, paragraph
from kakushi.model.cautions import GENERAL, STAND, cautions_of
from kakushi.model.piece import copy_name
from kakushi.model.units import UnitSystem
from kakushi.plan.values import Plan
from kakushi.words.schedule import problem_words, task_words
from kakushi.words.step_text import StepText, told_briefly, told_steps
from kakushi.words.transport import transport_words
from kakushi.words.wording import Wording, clock, hours_words, when
from kakushi.workshop.dossier import Dossier


def helper_pages(dossier: Dossier, people: int, units: UnitSystem) -> list[Chapter]:
    """A list of steps for each of a number of people."""
    fonts()
    plan, wording = dossier.plan, Wording(dossier.plan.job, units)
    shares = shared_out(dossier.steps, people)
    return [
        (f"Helper {number}" if len(shares) > 1 else "Steps", list(_list_of(steps, number, len(shares), plan, wording)))
        for number, steps in enumerate(shares, 1)
        if steps
    ]


def days_of(plan: Plan, units: UnitSystem) -> Iterator[Flowable]:
    """The days before, task by task; nothing for a job without a date."""
    if plan.job.brief.event_date is None:
        return
    schedule = scheduled(plan, dt.datetime.now())
    yield paragraph("Days until it must stand", style(20, bold=True, after=4))
    heads = ("", "From", "To", "Who", "Task")
    cells: list[list[Any]] = [[paragraph(h, style(9, bold=True)) for h in heads]]
    for placed in schedule.tasks:
        who = f"person {placed.people[0]}" if placed.people else "–"
        words = (BOX, when(placed.start), clock(placed.end), who, task_words(placed.task))
        cells.append([paragraph(each, style(8.8)) for each in words])
    cells.append(
        [paragraph(each, style(8.8, bold=True)) for each in ("", when(schedule.deadline), "", "", "It must stand")]
    )
    table = LongTable(cells, colWidths=[8 * mm, 58 * mm, 16 * mm, 22 * mm, None], repeatRows=1)
    table.setStyle([*GRID, ("TOPPADDING", (0, 0), (-1, -1), 1), ("BOTTOMPADDING", (0, 0), (-1, -1), 1.5)])
    yield table
    yield Spacer(1, 6)
    yield from (paragraph(problem_words(problem), style(10)) for problem in schedule.problems)
    yield paragraph("On the way", style(12.5, bold=True, after=3))
    yield BalancedColumns([paragraph(words, style(8.8)) for words in transport_words(plan, units)], nCols=2)


def _list_of(own_steps: Sequence[Step], number: int, people: int, plan: Plan, wording: Wording) -> Iterator[Flowable]:
    minutes = hours_words(sum(step.minutes for step in own_steps))
    cautions = cautions_of(part for piece in plan.pieces for part in piece.piece.parts)
    title = f"Steps for helper {number} of {people}" if people > 1 else "Steps"
    yield paragraph(title, style(20, bold=True, after=2))
    yield paragraph(f"About {minutes} of work. Tick each box when it is done.", style(10, colour=QUIET, after=8))
    for (key, copy), steps in groupby(own_steps, key=lambda step: (step.piece, step.copy)):
        planned = plan.piece(key) if key is not None else None
        name = "For the whole job" if planned is None or copy is None else copy_name(planned.piece, copy)
        yield paragraph(name, style(13, bold=True, after=3))
        yield step_table(list(steps), wording)
        yield Spacer(1, 8)
    yield from (paragraph(text, style(8.5, colour=QUIET)) for text in (*GENERAL, *STAND, *cautions))


def _text_of(text: StepText, large: float, small: float) -> Iterator[Flowable]:
    yield paragraph(text.words, style(large))
    if text.how:
        yield paragraph(text.how, style(small, colour=QUIET))


def step_table(steps: Sequence[Step], wording: Wording) -> LongTable:
    """Steps with a box each; rows of a run on one line with as many boxes."""
    cells = [_line(run, text, 10.0, 8.5) for run, text in told_steps(steps, wording)]
    table = LongTable(cells or [["", ""]], colWidths=[24 * mm, None])
    table.setStyle(GRID)
    return table


def step_lines(steps: Sequence[Step], wording: Wording, of_copy: Sequence[Step] = ()) -> list[Table]:
    """Steps for half a page, what is alike together, each a table of its own.

    `of_copy`: all steps of the copy, where rows are left out.
    """
    # One table of all would be taken apart and copied each time its columns are evened out.
    lines = []
    for run, text in told_briefly(steps, wording, of_copy):
        line = Table([_line(run, text, 8.5, 7.6)], colWidths=[12 * mm, 74 * mm])
        line.setStyle(_UNDERLINED)
        lines.append(line)
    return lines


_UNDERLINED = [("LINEBELOW", (0, 0), (-1, -1), 0.4, LINE), *GRID[2:]]
"""Look of a line that is a table of its own: as those of a long one."""


def _line(run: Sequence[Step], text: StepText, large: float, small: float) -> list[Any]:
    """A box for each step of a run, and what is said of it."""
    return [paragraph(" ".join([BOX] * len(run)), style(large + 1)), [*_text_of(text, large, small)]]
