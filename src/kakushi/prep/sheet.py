"""The inflation sheet: a line is a kind of duplet (triplet, single), since balloons are inflated and tied so."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass

from kakushi.colour.rgb import is_dark
from kakushi.colour.tying import Balloon, Card, Kind, TiedKind
from kakushi.model.catalogue import Studio
from kakushi.model.errors import BadInput
from kakushi.model.parts import BalloonRole
from kakushi.model.units import inches
from kakushi.model.wishes import Order
from kakushi.model.workshop import Inflator, Rates
from kakushi.prep.fill import Climate, fill_words
from kakushi.prep.inflation import InflatorCalibration, calibrate


@dataclass(frozen=True, slots=True)
class Setting:
    """How one balloon is sized: strokes or s (None: not calibrated), what comes of it (mm), mm per step, hole."""

    setting: float | None
    reached_mm: float | None
    step_mm: float | None
    hole: int | None


@dataclass(frozen=True, slots=True)
class SheetLine:
    """So many of one kind; `rows` are (piece key, row from 0) that take them, `advice` about fill and settings."""

    key: str
    part: BalloonRole
    balloons: Kind
    count: int
    settings: tuple[Setting, ...]
    rows: tuple[tuple[int, int], ...]
    advice: tuple[str, ...]

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
    advice = []
    for balloon, setting in zip(tied.balloons, settings, strict=True):
        size = studio.nominal(balloon.nominal_in)
        if size is None or not balloon.diameter_mm:
            continue
        fill = balloon.diameter_mm / inches(balloon.nominal_in)
        look = looks.get(balloon.colour)
        advice.append(fill_words(fill, size, climate, look is not None and is_dark(look)))
        if setting.reached_mm is not None and setting.step_mm is not None and inflator is not None:
            advice.append(_step_words(balloon.diameter_mm, setting.reached_mm, setting.step_mm, inflator))
    return SheetLine(
        key=line_key(tied.part, tied.balloons),
        part=tied.part,
        balloons=tied.balloons,
        count=tied.count,
        settings=settings,
        rows=rows,
        advice=tuple(dict.fromkeys(a for a in advice if a)),
    )


_COARSE_MM = 4.0


def _step_words(wanted: float, reached: float, step_mm: float, inflator: Inflator) -> str:
    if step_mm < _COARSE_MM and abs(reached - wanted) < _COARSE_MM / 2:
        return ""
    step = f"{inflator.step:g} {inflator.unit.removesuffix('s') if inflator.step <= 1 else inflator.unit}"
    step = f"{inflator.step:g} s" if inflator.method == "timed" else step
    return f"{step} is {step_mm:.0f} mm here: {reached:.0f} mm can be had, finish with the sizer"


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


def seconds(lines: Sequence[SheetLine], done: Mapping[str, int], rates: Rates, helpers: int = 1) -> float:
    """Seconds of inflating and tying still to do, shared by so many people."""
    total = 0.0
    for line in lines:
        left = max(line.count - done.get(line.key, 0), 0)
        total += left * (len(line.balloons) * rates.inflate_s + (rates.tie_s if len(line.balloons) > 1 else 0.0))
    return total / max(helpers, 1)
