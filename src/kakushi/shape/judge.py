"""Judging a stack of rows: settle it, measure it, see whether it would survive a real build."""

from __future__ import annotations

import dataclasses
from collections.abc import Iterable
from dataclasses import dataclass

import numpy as np

from kakushi.model.catalogue import NominalSize, Sizer
from kakushi.model.groups import Row, size_count, uniform_row
from kakushi.model.joints import JointKind
from kakushi.model.values import replace
from kakushi.packing.settle import resettle, settle
from kakushi.packing.stack import Geometry, Packing, StackRow, stack_row
from kakushi.shape.choices import RowKinds
from kakushi.shape.match import Match, match_of
from kakushi.shape.profile import Profile
from kakushi.shape.settings import SCORE


@dataclass(frozen=True, slots=True)
class PinnedRow:
    """A row kept exactly as it is, with the height of its knot above the foot, mm."""

    height: float
    row: Row


@dataclass(frozen=True, slots=True)
class FitRequest:
    """What to fit: the profile (from the piece's foot), what may be used, how it is packed.

    `ratio_limit`: largest ratio of neighbouring diameters; `even_steps` 0 to 1; `row_count`: exactly
    so many rows; `pinned` rows, ascending; `stock`: (nominal size in, balloons on hand) pairs.
    """

    profile: Profile
    nominals: tuple[NominalSize, ...]
    sizer: Sizer
    packing: Packing
    counts: tuple[int, ...] = (4,)
    max_sizes: int | None = None
    ratio_limit: float | None = None
    even_steps: float = 0.0
    row_count: int | None = None
    pinned: tuple[PinnedRow, ...] = ()
    stock: tuple[tuple[float, int], ...] = ()
    joint: JointKind = JointKind.WRAPPED


@dataclass(frozen=True, slots=True)
class JudgedStack:
    """A stack out of `RowKinds` with the geometry it settles to, the match measured on it, its score.

    `is_sound`: see the function. `robust`: what `is_robust` found, None while it was not asked.
    """

    kinds: tuple[int, ...]
    rows: tuple[Row, ...]
    geometry: Geometry
    match: Match
    score: float
    is_sound: bool
    robust: bool | None = None

    @property
    def span(self) -> float:
        """Lowest to highest point, mm."""
        return self.geometry.top - self.geometry.bottom

    @property
    def size_count(self) -> int:
        """Different sizer settings."""
        return size_count(self.rows)


def rows_of(request: FitRequest, choices: RowKinds, kinds: Iterable[int]) -> tuple[Row, ...]:
    """Rows from indices into the kinds of `choices`; the last indices are the pinned rows."""
    free = len(choices.diameters) - len(request.pinned)
    return tuple(
        replace(request.pinned[k - free].row, key=i)
        if k >= free
        else uniform_row(i, choices.count, float(choices.nominals[k]), float(choices.diameters[k]))
        for i, k in enumerate(kinds, 1)
    )


def judge(
    request: FitRequest,
    choices: RowKinds,
    kinds: tuple[int, ...],
    placed: bool = False,
    near: JudgedStack | None = None,
) -> JudgedStack:
    """Settle a stack and score it: match, less what its height misses, less rows that cannot be built.

    `placed` as in `settle`; it matters with pinned rows of mixed sizes only. `near`: a stack of as many
    rows to settle from, which is quicker; its answer has to be judged again without.
    """
    rows = rows_of(request, choices, kinds)
    stack = [stack_row(row, request.packing, request.joint) for row in rows]
    if near is not None and [row.count for row in near.rows] == [row.count for row in rows]:
        geometry = resettle(stack, request.packing, near.geometry)
    else:
        geometry = settle(stack, request.packing, placed=placed)
    match = match_of(geometry, request.profile, worst_searched=False)
    score = match.mean - height_penalty(geometry.top - geometry.bottom - request.profile.height)
    sound = is_sound(geometry, stack)
    if not sound:
        score -= SCORE.swallowed_penalty
    score -= SCORE.domed_penalty * min(int((~geometry.flat).sum()), 4)
    return JudgedStack(kinds, rows, geometry, match, score, sound)


def height_penalty(off_mm: float) -> float:
    """Penalty on the score for a height that is off."""
    error = abs(off_mm)
    return SCORE.per_small_mm * error + SCORE.per_mm * max(error - SCORE.free_height_mm, 0.0)


def is_sound(geometry: Geometry, stack: list[StackRow]) -> bool:
    """Whether no row was swallowed by a neighbour and all knots came out in order."""
    d = np.array([row.mean_diameter for row in stack])
    least = SCORE.shallow_rise * np.minimum(d[1:], d[:-1])
    report = geometry.report
    return report.converged and report.in_order and bool((geometry.frames.rises > least).all())


def is_robust(request: FitRequest, judged: JudgedStack) -> bool:
    """Whether the column keeps its height under a looser packing and under a small error of sizing.

    Brittle stacks have rings that flip over a neighbour and change the height by decimetres.
    """
    packing = request.packing
    stack = [stack_row(row, packing, request.joint) for row in judged.rows]
    mean = float(np.mean([row.mean_diameter for row in stack]))
    looser = dataclasses.replace(packing, tau=packing.tau * SCORE.looser)
    smaller = [dataclasses.replace(r, diameters=tuple(d - SCORE.sized_off_mm for d in r.diameters)) for r in stack]
    for rows, how, grown in ((stack, looser, 1.0), (smaller, packing, 1 - SCORE.sized_off_mm / mean)):
        geometry = settle(rows, how, placed=False)
        span = geometry.top - geometry.bottom
        if abs(span - judged.span * grown) > SCORE.robust_share * judged.span or not geometry.report.in_order:
            return False
    return True
