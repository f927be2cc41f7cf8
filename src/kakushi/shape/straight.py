"""Straight outlines: rows of one size, as everybody builds them, and what closes the rest of the height."""

from __future__ import annotations

import dataclasses
from collections.abc import Callable

import numpy as np

from kakushi.model.arrays import Ints
from kakushi.model.errors import Cancelled
from kakushi.packing.pole import LET_BE, PRESSED, SMALL_RISE
from kakushi.packing.settle import settle
from kakushi.packing.stack import stack_row
from kakushi.shape.choices import RowKinds
from kakushi.shape.facts import StraightEnds
from kakushi.shape.fit_result import allowed_choices
from kakushi.shape.judge import FitRequest, JudgedStack, judge
from kakushi.shape.profile import Profile
from kakushi.shape.settings import SCORE, STRAIGHT


def is_straight(profile: Profile) -> bool:
    """Whether an outline is as wide at the top as at the foot, and all the way between."""
    widths = profile.mean_half_width(np.linspace(STRAIGHT.ends, 1 - STRAIGHT.ends, STRAIGHT.samples) * profile.height)
    return bool(np.ptp(widths) <= STRAIGHT.within * widths.mean())


def best_of_one_size(
    request: FitRequest, cancelled: Callable[[], bool] = lambda: False
) -> tuple[RowKinds, JudgedStack] | None:
    """The best stack of rows all alike for a straight outline; None where nothing near its width can be had.

    The sizes near in width whose rows end nearest the height are settled; match and height decide among them. Raises
    Cancelled when `cancelled()` is true.
    """
    judged: list[tuple[RowKinds, JudgedStack]] = []
    for count in request.counts:
        choices = allowed_choices(request, count)
        if choices is None:
            continue
        for kind, rows in _promising(request, choices):
            if cancelled():
                raise Cancelled
            judged.append((choices, judge(request, choices, (int(kind),) * int(rows))))
    sound = [pair for pair in judged if pair[1].is_sound]

    def worth(pair: tuple[RowKinds, JudgedStack]) -> tuple[float, float]:
        """Rank of a stack: match less the penalty on height; of equals the fuller balloon, which looks rounder."""
        error = abs(pair[1].span - request.profile.height)
        return round(pair[1].match.mean - STRAIGHT.per_mm * error, 4), float(pair[0].fill[pair[1].kinds[0]])

    return max(sound, key=worth, default=None)


def _promising(request: FitRequest, choices: RowKinds) -> Ints:
    """Kinds and numbers of rows that should come nearest in width and height, best first, (t, 2)."""
    wanted, height = (
        2 * float(request.profile.mean_half_width(np.array([request.profile.height / 2]))[0]),
        (request.profile.height),
    )
    rise = np.diagonal(choices.rise)
    most = np.maximum(np.floor((height - 2 * choices.shape_radii) / rise).astype(int) + 1, 1)
    tried = [
        (-abs(2 * choices.half_width[kind] / wanted - 1) - STRAIGHT.per_mm * abs(span - height), kind, rows)
        for kind in range(len(rise))
        for rows in ({request.row_count} if request.row_count else {most[kind], most[kind] + 1})
        if _in_stock(request, choices, kind, rows)
        and abs((span := 2 * choices.shape_radii[kind] + (rows - 1) * rise[kind]) / height - 1) < STRAIGHT.near_height
        # Where the number of rows is fixed, the height has to come from the size.
        and (request.row_count or abs(2 * choices.half_width[kind] / wanted - 1) < STRAIGHT.near_width)
    ]
    tried.sort(reverse=True)
    return np.array([(kind, rows) for _, kind, rows in tried[: STRAIGHT.settled]], dtype=int).reshape(-1, 2)


def _in_stock(request: FitRequest, choices: RowKinds, kind: int, rows: int) -> bool:
    have = dict(request.stock).get(float(choices.nominals[kind]))
    return have is None or rows * choices.count <= have


def straight_ends(request: FitRequest, choices: RowKinds, judged: JudgedStack) -> StraightEnds | None:
    """Where rows of one size end, and what would close the rest of the height; None where they reach it."""
    error = judged.span - request.profile.height
    if abs(error) <= SCORE.free_height_mm:
        return None
    return StraightEnds(
        len(judged.rows),
        judged.rows[0].diameter_mm,
        error,
        _other_size(request, choices, judged),
        _other_hands(request, judged),
        _smaller_last(judged, error),
    )


def _other_size(request: FitRequest, choices: RowKinds, judged: JudgedStack) -> tuple[float, float] | None:
    """The next size the other way, mm, with how far above the target its rows end."""
    kind, error = judged.kinds[0], judged.span - request.profile.height
    now, nominal = choices.diameters[kind], choices.nominals[kind]
    beyond = choices.diameters < now - 1e-6 if error > 0 else choices.diameters > now + 1e-6
    others = np.flatnonzero(beyond & (choices.nominals == nominal))
    if not len(others):
        return None
    other = int(others[np.argmin(np.abs(choices.diameters[others] - now))])
    there = judge(request, choices, (other,) * len(judged.kinds)).span - request.profile.height
    return float(choices.diameters[other]), there


def _other_hands(request: FitRequest, judged: JudgedStack) -> bool | None:
    """Whether packing a little tighter, or (False) looser, closes it; None where hands cannot."""
    error = judged.span - request.profile.height
    factor = PRESSED if error > 0 else LET_BE
    hands = dataclasses.replace(request.packing, tau=request.packing.tau * factor)
    column = settle([stack_row(row, hands, request.joint) for row in judged.rows], hands)
    reach = column.top - column.bottom - judged.span
    return error > 0 if abs(reach) >= abs(error) else None


def _smaller_last(judged: JudgedStack, error: float) -> float | None:
    """A smaller row on top, mm: more of it than the height lacks is not needed, less is no row."""
    last = judged.rows[-1].diameter_mm
    # It rises about 0.4 (d + D) and ends d / 2 above its knot, where the last row ends D / 2 above its own.
    d = (-error + last / 2 - SMALL_RISE * last) / (SMALL_RISE + 0.5)
    return d if 0.4 * last <= d <= 0.95 * last else None
