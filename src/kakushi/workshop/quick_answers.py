"""Answers that need no job: how many rows for a height, how tall so many balloons are, what a foot must weigh."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from kakushi.colour.tying import Balloon
from kakushi.model.arrays import Floats
from kakushi.model.catalogue import Studio
from kakushi.model.frame import Base, Frame
from kakushi.model.groups import Row, RowsGroup, uniform_row
from kakushi.model.job import Job, Settings
from kakushi.model.layers import SolidLayer
from kakushi.model.outline import Handle, PresetOutline
from kakushi.model.piece import Piece
from kakushi.plan.geometry import assembly_of
from kakushi.plan.pipeline import plan
from kakushi.plan.stability import stance_of
from kakushi.workshop.sheet import Setting, setting_for

MOST_ROWS = 120
"""Most rows of a column that is answered for: a room has no more."""
_FIRST_ROWS = 12
"""Rows by which the rise of a column is told, before it is settled as it is."""


@dataclass(frozen=True, slots=True)
class QuickQuestion:
    """Balloons to a row, nominal size (in), what they are sized to (mm), height (mm) and columns; balloons at hand.

    `top_mm`: what the last row of a cone is sized to.
    """

    count: int = 4
    nominal_in: float = 11.0
    diameter_mm: float = 215.0
    height_mm: float = 2000.0
    columns: int = 1
    have: int = 0
    top_mm: float = 130.0


@dataclass(frozen=True, slots=True)
class QuickAnswers:
    """What follows: rows nearest to the height, and one more, with their heights, mm; a last row that would end there.

    `last_mm`: size of the last row with which `rows` rows end nearest to the height; None where no size does better.
    `have_rows`, `have_mm`, `have_left`: what the balloons at hand make. `cone`: sizes from the foot up, mm, and
    `cone_mm` their height. `water_g`: what a foot of `foot_mm` radius must weigh; None where no weight on it does.
    """

    rows: int
    height_mm: float
    more_mm: float
    last_mm: float | None
    last_height_mm: float
    balloons: int
    duplets: int
    have_rows: int
    have_mm: float
    have_left: int
    cone: tuple[float, ...]
    cone_mm: float
    water_g: float | None
    foot_mm: float
    setting: Setting


def answers_to(asked: QuickQuestion, studio: Studio) -> QuickAnswers:
    """Everything that follows from a question."""
    tall = _heights(asked, studio)
    rows = int(np.abs(tall[1:] - asked.height_mm).argmin()) + 1
    size = studio.nominal(asked.nominal_in)
    low, high = (size.smallest_mm, size.largest_mm) if size else (asked.diameter_mm / 2, asked.diameter_mm)
    last_mm, last_height = None, float(tall[rows])
    for steps in range(-12, 13):
        wanted = min(max(studio.sizer.stepped(asked.diameter_mm, steps), low), high)
        made = _height((*_alike(asked, rows - 1), wanted), asked, studio)
        if abs(made - asked.height_mm) < abs(last_height - asked.height_mm) - 1:
            last_mm, last_height = wanted, made
    have_rows = min(asked.have // asked.count, MOST_ROWS)
    cone = _cone(asked, studio)
    base, inflator = Base(), next(iter(studio.inflators), None)
    return QuickAnswers(
        rows=rows,
        height_mm=float(tall[rows]),
        more_mm=float(tall[min(rows + 1, len(tall) - 1)]),
        last_mm=last_mm,
        last_height_mm=last_height,
        balloons=rows * asked.count * asked.columns,
        duplets=-(-rows * asked.count // 2) * asked.columns,
        have_rows=have_rows,
        have_mm=_height(_alike(asked, have_rows), asked, studio) if have_rows else 0.0,
        have_left=asked.have - have_rows * asked.count,
        cone=cone,
        cone_mm=_height(cone, asked, studio),
        water_g=_foot_g(asked, rows, base, studio),
        foot_mm=base.radius_mm,
        setting=setting_for(Balloon(asked.nominal_in, asked.diameter_mm, ""), studio, inflator),
    )


def quick_piece(key: int, asked: QuickQuestion, answers: QuickAnswers, colour: str) -> Piece:
    """The column of an answer as a piece."""
    rows = _rows(_alike(asked, answers.rows), asked)
    outline = PresetOutline(preset="straight", handles=(Handle(name="width", value=2.2 * asked.diameter_mm),))
    return Piece(
        key=key,
        name=f"Piece {key}",
        target_height_mm=asked.height_mm,
        outline=outline,
        groups=(RowsGroup(rows=rows),),
        layers=(SolidLayer(colour=colour),),
    )


def _alike(asked: QuickQuestion, rows: int) -> tuple[float, ...]:
    return (asked.diameter_mm,) * rows


def _rows(sizes: tuple[float, ...], asked: QuickQuestion) -> tuple[Row, ...]:
    return tuple(uniform_row(k, asked.count, asked.nominal_in, size) for k, size in enumerate(sizes, 1))


def _height(sizes: tuple[float, ...], asked: QuickQuestion, studio: Studio) -> float:
    """Height of a column of rows of such sizes on a pole, mm."""
    if not sizes:
        return 0.0
    groups = (RowsGroup(rows=_rows(sizes, asked)),)
    return assembly_of(Piece(key=1, name="column", groups=groups), groups, studio).top


def _heights(asked: QuickQuestion, studio: Studio) -> Floats:
    """Heights of columns of none, one, two … rows, mm: rows inside all rise alike."""
    first = [0.0, *(_height(_alike(asked, n), asked, studio) for n in (1, _FIRST_ROWS, _FIRST_ROWS + 1))]
    rise = max(first[3] - first[2], 1.0)
    most = min(int(asked.height_mm / rise) + 3, MOST_ROWS)
    tall = np.array([0.0, *(first[2] + (n - _FIRST_ROWS) * rise for n in range(1, most + 1))])
    # Near the answer the column is settled as it is.
    near = int(np.abs(tall[1:] - asked.height_mm).argmin()) + 1
    for rows in range(max(near - 1, 1), min(near + 2, most) + 1):
        tall[rows] = _height(_alike(asked, rows), asked, studio)
    return tall


def _cone(asked: QuickQuestion, studio: Studio) -> tuple[float, ...]:
    """Row sizes of a cone from the foot up: even steps of the sizer, as many as come nearest to the height."""
    best: tuple[float, ...] = (asked.diameter_mm,)
    missed = float("inf")
    mean = (asked.diameter_mm + asked.top_mm) / 2
    about = max(round(asked.height_mm / max(0.72 * mean, 1.0)), 2)
    for rows in range(max(about - 4, 2), min(about + 5, MOST_ROWS) + 1):
        sizes = tuple(
            studio.sizer.stepped(float(size), 0) for size in np.linspace(asked.diameter_mm, asked.top_mm, rows)
        )
        off = abs(_height(sizes, asked, studio) - asked.height_mm)
        if off < missed:
            best, missed = sizes, off
    return best


def _foot_g(asked: QuickQuestion, rows: int, base: Base, studio: Studio) -> float | None:
    """What a foot must weigh, g, for the column to lean and be pushed as settings usually ask."""
    light = base.model_copy(update={"mass_g": 1.0})
    piece = Piece(
        key=1, name="column", target_height_mm=asked.height_mm,
        groups=(RowsGroup(rows=_rows(_alike(asked, rows), asked)),), frame=Frame(base=light),
    )  # fmt: skip
    found = plan(Job(pieces=(piece,)), studio).pieces[0]
    ballast = stance_of(found, Settings(), studio, None).ballast
    return None if ballast is None else ballast.mass_g
