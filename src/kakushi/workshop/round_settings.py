"""Round settings: diameters of a piece nudged together so that every size falls on a whole step of the inflator.

The fewest different settings come first, then the least change of height, then the least change of size. Heights are
reckoned from the rise of each row while settings are chosen; what is chosen is settled and measured before it is told.
"""

from __future__ import annotations

import itertools
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass
from typing import NamedTuple

from kakushi.model.catalogue import Studio
from kakushi.model.errors import BadInput
from kakushi.model.groups import Row, RowsGroup
from kakushi.model.job import Job
from kakushi.model.memo import Cancelled, never, stop_if
from kakushi.model.piece import Piece
from kakushi.model.values import replace
from kakushi.model.workshop import Inflator
from kakushi.plan.pipeline import plan
from kakushi.plan.values import PiecePlan
from kakushi.workshop.inflation import InflatorCalibration, calibrate

MOST_MATCH_LOST = 0.01
"""Match that may be lost: less than anybody sees."""
_NEAR_STEPS = (-1, 0, 1, 2)
"""Steps, from the one below a size's own setting, that are tried for it."""
_MOST_TRIED = 200_000
"""Choices of settings that are compared; of more sizes than that the best partial choices are kept."""
_KEPT = 2_000
_MEASURED = 12
"""Best choices that are settled and measured, until one of them keeps height and match."""

Size = tuple[float, float]
"""Nominal size, in, and sized diameter, mm."""


class Rounded(NamedTuple):
    """One size as it was and as it is set now: the diameter that comes of it, mm, and the setting."""

    size: Size
    diameter_mm: float
    setting: float


@dataclass(frozen=True, slots=True, eq=False)
class RoundSettings:
    """A piece with round settings: what was changed, its plan, and how many different settings there are."""

    piece: Piece
    planned: PiecePlan
    rounded: tuple[Rounded, ...]
    settings: int
    before: int


def round_settings(
    job: Job,
    piece_plan: PiecePlan,
    studio: Studio,
    inflator: Inflator,
    step: float,
    tolerance_mm: float,
    cancelled: Cancelled = never,
) -> RoundSettings:
    """Nudge the sizes of a piece's rows to settings that are multiples of `step`.

    The height stays within `tolerance_mm` of what it was, the match within `MOST_MATCH_LOST`. Raises BadInput where a
    size has no trial yet, or nothing keeps height and match; `errors.Cancelled`.
    """
    sizes = sorted({(slot.nominal_in, slot.diameter_mm) for row in piece_plan.piece.rows for slot in row.slots})
    if not sizes:
        raise BadInput("There are no rows yet.", "piece")
    choices = [_choices(size, studio, inflator, step) for size in sizes]
    weights = _rises(piece_plan)
    before = len({(size[0], round(_calibration(size[0], inflator).setting(size[1]), 2)) for size in sizes})
    for chosen in itertools.islice(_best_first(choices, weights, tolerance_mm), _MEASURED):
        stop_if(cancelled)
        piece = _resized(piece_plan.piece, {each.size: each.diameter_mm for each in chosen})
        planned = plan(replace(job, pieces=(piece,)), studio, cancelled).pieces[0]
        lost = (piece_plan.match.mean - planned.match.mean) if piece_plan.match and planned.match else 0.0
        if abs(planned.height_mm - piece_plan.height_mm) <= tolerance_mm and lost <= MOST_MATCH_LOST:
            return RoundSettings(piece, planned, chosen, _different(chosen), before)
    raise BadInput("No round settings keep the height and the outline: allow a larger difference.", "step")


def _calibration(nominal_in: float, inflator: Inflator) -> InflatorCalibration:
    points = inflator.points(nominal_in)
    if not points:
        raise BadInput(f"Measure a {nominal_in:g}″ balloon with “{inflator.name}” first.", "trials")
    return calibrate(points)


def _choices(size: Size, studio: Studio, inflator: Inflator, step: float) -> list[Rounded]:
    """Round settings near that of a size whose balloons reach what comes of them."""
    nominal, diameter = size
    curve, known = _calibration(nominal, inflator), studio.nominal(nominal)
    first = int(curve.setting(diameter) / step)
    low, high = (known.smallest_mm, known.largest_mm) if known else (0.0, float("inf"))
    found = []
    for steps in _NEAR_STEPS:
        setting = (first + steps) * step
        comes = round(float(curve.diameter(setting)), 2) if setting > 0 else 0.0
        if min(low, diameter) <= comes <= max(high, diameter):
            found.append(Rounded(size, comes, setting))
    if not found:
        raise BadInput(f"No whole step of “{inflator.name}” gives a usable {nominal:g}″ balloon.", "step")
    return found


def _rises(piece_plan: PiecePlan) -> Mapping[Size, float]:
    """Height gained per mm of a size: its share of the height over its diameter."""
    weights: dict[Size, float] = {}
    rows = piece_plan.piece.rows
    share = piece_plan.height_mm / max(sum(row.diameter_mm for row in rows), 1.0)
    for row in rows:
        for slot in row.slots:
            size = slot.nominal_in, slot.diameter_mm
            weights[size] = weights.get(size, 0.0) + share / row.count
    return weights


def _different(chosen: Sequence[Rounded]) -> int:
    """Different settings, each nominal size counted by itself."""
    return len({(each.size[0], each.setting) for each in chosen})


def _best_first(
    choices: Sequence[Sequence[Rounded]], weights: Mapping[Size, float], tolerance_mm: float
) -> Iterator[tuple[Rounded, ...]]:
    """Choices of a setting for every size, the best first; those that miss the height by far are left out."""

    def higher(chosen: Sequence[Rounded]) -> float:
        return sum(weights[each.size] * (each.diameter_mm - each.size[1]) for each in chosen)

    def worth(chosen: Sequence[Rounded]) -> tuple[float, float, float]:
        moved = sum(weights[each.size] * abs(each.diameter_mm - each.size[1]) for each in chosen)
        return _different(chosen), abs(higher(chosen)), moved

    number = 1
    for each in choices:
        number *= len(each)
    if number <= _MOST_TRIED:
        every: Sequence[tuple[Rounded, ...]] = list(itertools.product(*choices))
    else:
        every = [()]
        for each in choices:
            longer = [(*chosen, one) for chosen in every for one in each]
            every = sorted(longer, key=worth)[:_KEPT]
    # What is reckoned is not what is measured: a tenth more is let through.
    near = [chosen for chosen in every if abs(higher(chosen)) <= 1.1 * tolerance_mm]
    yield from sorted(near, key=worth)


def _resized(piece: Piece, sizes: Mapping[Size, float]) -> Piece:
    def resized(row: Row) -> Row:
        slots = (
            replace(slot, diameter_mm=sizes.get((slot.nominal_in, slot.diameter_mm), slot.diameter_mm))
            for slot in row.slots
        )
        return replace(row, slots=tuple(slots))

    groups = tuple(
        replace(group, rows=tuple(map(resized, group.rows))) if isinstance(group, RowsGroup) else group
        for group in piece.groups
    )
    return replace(piece, groups=groups)
