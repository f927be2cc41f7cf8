"""The inflation sheet: a line is a kind of duplet (triplet, single), since balloons are inflated and tied so."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass
from typing import NamedTuple

from kakushi.colour.rgb import is_dark
from kakushi.colour.tying import Balloon, Card, Kind
from kakushi.model.catalogue import Studio
from kakushi.model.errors import BadInput
from kakushi.model.roles import BalloonRole
from kakushi.model.units import inches
from kakushi.model.wishes import Order
from kakushi.model.workshop import Inflator, Rates
from kakushi.workshop.fill import Climate, FillAdvice, fill_advice
from kakushi.workshop.inflation import InflatorCalibration, calibrate
from kakushi.workshop.ledger import TiedKind


@dataclass(frozen=True, slots=True)
class Setting:
    """How one balloon is sized: strokes or s (None: not calibrated), what comes of it (mm), mm per step, hole."""

    setting: float | None
    reached_mm: float | None
    step_mm: float | None
    hole: int | None


class CoarseSetting(NamedTuple):
    """A setting too coarse for a diameter: one step moves it by `step_mm`, and `reached_mm` can be had."""

    inflator: Inflator
    step_mm: float
    reached_mm: float


@dataclass(frozen=True, slots=True)
class SheetLine:
    """Number of balloons of one kind; `pieces`: keys of those that use them, `rows`: (piece key, row from 0).

    `advice`: on fill and settings.
    """

    key: str
    part: BalloonRole
    balloons: Kind
    count: int
    settings: tuple[Setting, ...]
    pieces: tuple[int, ...]
    rows: tuple[tuple[int, int], ...]
    advice: tuple[FillAdvice | CoarseSetting, ...]

    @property
    def largest_mm(self) -> float:
        """Largest sized diameter, mm."""
        return max(b.diameter_mm for b in self.balloons)


def line_key(part: BalloonRole, kind: Kind) -> str:
    """What stays with a line as long as its balloons do; progress is kept by it."""
    return f"{part.value}: " + " + ".join(f"{b.nominal_in:g}/{b.diameter_mm:.1f}/{b.colour}" for b in kind)


def sheet_lines(
    *,
    kinds: Iterable[TiedKind],
    cards: Iterable[Card],
    studio: Studio,
    inflator: Inflator | None,
    climate: Climate,
    looks: Mapping[str, str],
    order: Order = "largest first",
) -> tuple[SheetLine, ...]:
    """The lines of a job's sheet; `looks` are colours (#rrggbb) by key. Caps stay uninflated and have no line."""
    rows: dict[Kind, list[tuple[int, int]]] = {}
    for card in cards:
        for kind in dict.fromkeys(card.kinds()):
            rows.setdefault(kind, []).extend((at.piece, at.row) for at in card.rows)
    lines = [
        _line(
            tied,
            tuple(sorted(set(rows.get(tied.balloons, ())))) if tied.part is BalloonRole.ROW else (),
            studio,
            inflator,
            climate,
            looks,
        )
        for tied in kinds
        if tied.part is not BalloonRole.CAP
    ]
    if order == "largest first":
        return tuple(sorted(lines, key=lambda line: (-line.largest_mm, line.key)))
    return tuple(sorted(lines, key=lambda line: (line.rows[:1] or ((1 << 31, 0),), -line.largest_mm, line.key)))


def _line(
    tied: TiedKind,
    rows: tuple[tuple[int, int], ...],
    studio: Studio,
    inflator: Inflator | None,
    climate: Climate,
    looks: Mapping[str, str],
) -> SheetLine:
    settings = tuple(setting_for(b, studio, inflator) for b in tied.balloons)
    advice: list[FillAdvice | CoarseSetting | None] = []
    for balloon, setting in zip(tied.balloons, settings, strict=True):
        size = studio.nominal(balloon.nominal_in)
        if size is None or not balloon.diameter_mm:
            continue
        fill = balloon.diameter_mm / inches(balloon.nominal_in)
        look = looks.get(balloon.colour)
        advice.append(fill_advice(fill, size, climate, look is not None and is_dark(look)))
        if setting.reached_mm is not None and setting.step_mm is not None and inflator is not None:
            advice.append(_coarse(balloon.diameter_mm, setting.reached_mm, setting.step_mm, inflator))
    return SheetLine(
        key=line_key(tied.part, tied.balloons),
        part=tied.part,
        balloons=tied.balloons,
        count=tied.count,
        settings=settings,
        pieces=tied.pieces,
        rows=rows,
        advice=tuple(dict.fromkeys(a for a in advice if a)),
    )


_COARSE_MM = 4.0
"""Difference in diameter, mm, that an eye sees on a finished column."""


def _coarse(wanted: float, reached: float, step_mm: float, inflator: Inflator) -> CoarseSetting | None:
    if step_mm < _COARSE_MM and abs(reached - wanted) < _COARSE_MM / 2:
        return None
    return CoarseSetting(inflator, step_mm, reached)


def setting_for(balloon: Balloon, studio: Studio, inflator: Inflator | None) -> Setting:
    """How a balloon is sized with an inflator and the studio's sizer."""
    holes = sorted(set(studio.sizer.holes_mm))
    hole = min(range(len(holes)), key=lambda i: abs(holes[i] - balloon.diameter_mm)) + 1 if holes else None
    curve = calibration(inflator, balloon.nominal_in)
    if curve is None or inflator is None or not balloon.diameter_mm:
        return Setting(None, None, None, hole if balloon.diameter_mm else None)
    setting, reached = curve.rounded(balloon.diameter_mm, inflator.step)
    return Setting(setting, reached, curve.step_mm(balloon.diameter_mm, inflator.step), hole)


def calibration(inflator: Inflator | None, nominal_in: float) -> InflatorCalibration | None:
    """The calibration of an inflator for a nominal size; None before there are trials enough."""
    if inflator is None:
        return None
    try:
        return calibrate(inflator.points(nominal_in))
    except BadInput:
        return None


def minutes_left(lines: Sequence[SheetLine], done: Mapping[str, int], rates: Rates, helpers: int = 1) -> float:
    """Minutes of inflating and tying still to do, divided among a number of people."""
    left = ((line, max(line.count - done.get(line.key, 0), 0)) for line in lines)
    return sum(bunches * rates.bunch_s(len(line.balloons)) for line, bunches in left) / 60 / max(helpers, 1)
