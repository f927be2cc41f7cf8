"""Diameter after a number of strokes or seconds, from the studio's trials; assumed before there are any."""

from __future__ import annotations

import math
from collections.abc import Iterable, Iterator
from typing import NamedTuple

from kakushi.dress.kind import USUAL_FILL
from kakushi.model.catalogue import Studio
from kakushi.model.groups import Row
from kakushi.model.sizing import Sizing
from kakushi.model.units import inches
from kakushi.model.workshop import Inflator
from kakushi.workshop.sheet import calibration


class SizedTo(NamedTuple):
    """A diameter, mm, and whether trials of that nominal size measured it."""

    diameter_mm: float
    is_measured: bool


def sized_by(sizing: Sizing, nominal_in: float, now_mm: float, studio: Studio) -> SizedTo:
    """What a way of sizing comes to; `now_mm`: the diameter the balloon has now, which a reference keeps.

    A setting without trials of its nominal size is assumed from trials of others, by the volume that a stroke or second
    gives; without any, the balloon is taken to be filled as usual.
    """
    if (ends := sizing.ends_mm(nominal_in)) is not None:
        return SizedTo(sum(ends) / 2, True)
    if not sizing.is_set:
        return SizedTo(now_mm, True)
    inflators = list(_of_method(sizing, studio))
    for inflator in inflators:
        curve = calibration(inflator, nominal_in)
        if curve is not None and (diameter := float(curve.diameter(sizing.amount))) > 0:
            return SizedTo(_within(diameter, nominal_in, studio), True)
    for inflator in inflators:
        for other in sorted(inflator.trials, key=lambda trials: abs(trials.nominal_in - nominal_in)):
            curve = calibration(inflator, other.nominal_in)
            if curve is None:
                continue
            # Volume goes as the cube of the diameter.
            per_unit = float(curve.diameter(curve.setting(USUAL_FILL * inches(other.nominal_in)))) ** 3
            per_unit /= curve.setting(USUAL_FILL * inches(other.nominal_in))
            return SizedTo(_within(math.cbrt(per_unit * sizing.amount), nominal_in, studio), False)
    return SizedTo(USUAL_FILL * inches(nominal_in), False)


def is_unmeasured(row: Row, studio: Studio) -> bool:
    """Whether a row is sized by a setting that no trial of its nominal size measured."""
    return is_assumed(row.sizing, {slot.nominal_in for slot in row.slots}, studio)


def is_assumed(sizing: Sizing | None, nominals: Iterable[float], studio: Studio) -> bool:
    """Whether balloons of some nominal sizes (in) are sized by a setting that no trial of theirs measured."""
    if sizing is None or not sizing.is_set:
        return False
    inflators = list(_of_method(sizing, studio))
    return any(all(calibration(each, nominal) is None for each in inflators) for nominal in nominals)


def _of_method(sizing: Sizing, studio: Studio) -> Iterator[Inflator]:
    method = "strokes" if sizing.by == "strokes" else "timed"
    return (inflator for inflator in studio.inflators if inflator.method == method)


def _within(diameter_mm: float, nominal_in: float, studio: Studio) -> float:
    """A diameter, mm, as far as the catalogue says the balloon reaches."""
    size = studio.nominal(nominal_in)
    return min(max(diameter_mm, size.smallest_mm), size.largest_mm) if size else diameter_mm
