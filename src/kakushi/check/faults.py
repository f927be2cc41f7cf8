"""What is not as planned."""

from __future__ import annotations

import math
from dataclasses import replace

import numpy as np
from numpy.typing import NDArray

from kakushi.check.light import JudgedColours
from kakushi.check.model_spheres import ModelSpheres
from kakushi.check.places import PlaceEvidence
from kakushi.check.presence import MISSING, OTHER_SIZE
from kakushi.check.rows import turned_by
from kakushi.check.upright import Lean
from kakushi.check.values import Fault, FaultKind, RowSides
from kakushi.colour.lab import differences
from kakushi.model.arrays import Floats

_COLOUR_FROM, _COLOUR_LOOK = 0.60, 0.40
"""Probability of another colour from which it is a fault, and from which somebody should look."""
_FAR, _ODD = 8.0, 7.0
"""Distance from the planned colour, in standard deviations, at which a balloon is certainly wrong / merely
suspicious."""
_PLAIN = 20.0
"""ΔE00 from which two colours are plainly different; below it somebody is asked to look."""
_FROM, _LOOK_FROM, _GONE_BEHIND = 0.35, 0.20, 0.20
"""Probability that a balloon is missing or of another size from which it is a fault; from which somebody should look;
and from which a wrong colour is explained by what is seen behind it."""
LEAN_FROM = math.radians(4.0)
"""Lean, radians, below which a piece looks upright to a passer-by."""
_GAP_SHARE, _GAP_MM = 0.22, 20.0
"""Gap between two rows beyond the plan that is a fault: as a share of the row's rise, and in mm; the larger counts."""
_SIDES_SHARE, _SIDES_MM = 0.10, 25.0
"""Excess on one side beyond the plan that is a fault: as a share of the row's width, and in mm; the larger counts."""


def found_faults(
    model: ModelSpheres,
    judged: JudgedColours,
    placed: tuple[PlaceEvidence, Floats],
    is_judged: NDArray[np.bool_],
    circles: Floats,
    sides: tuple[RowSides, ...],
    lean: Lean | None,
) -> tuple[Fault, ...]:
    """All faults, those of the whole piece first, then by row and slot.

    `placed`: places of balls, and how likely each is there as planned, in another size, or missing (n, 3).
    """
    faults: list[Fault] = []
    turned = {row: by for row in range(model.row_count) if (by := turned_by(model, judged, is_judged, row))}
    for row, by in turned.items():
        faults.append(_turned(model, row, by, circles))
    for ball in np.flatnonzero(is_judged).tolist():
        fault = _of_ball(model, judged, placed, ball, circles)
        if fault is None:
            continue
        if fault.kind is FaultKind.COLOUR and int(model.rows[ball]) in turned:
            continue
        faults.append(fault)
    faults = _exchanged(faults)
    faults += _gaps(model, sides, circles)
    faults += _uneven(sides, model, circles)
    if lean is not None and abs(lean.angle) >= LEAN_FROM:
        faults.insert(0, _lean(lean, circles))
    return tuple(sorted(faults, key=lambda fault: (fault.row, fault.slot)))


def _of_ball(
    model: ModelSpheres, judged: JudgedColours, placed: tuple[PlaceEvidence, Floats], ball: int, circles: Floats
) -> Fault | None:
    places, there_of = placed
    row, slot = int(model.rows[ball]), int(model.slots[ball])
    x, y, radius = circles[ball].tolist()
    at = (x, y, radius)
    planned, seen = int(model.colours[ball]), int(judged.seen[ball])
    there, size = there_of[ball], float(places.size[ball])
    gone = float(there[MISSING]) if np.isfinite(there).all() else 0.0
    other_size = float(there[OTHER_SIZE]) if np.isfinite(there).all() else 0.0
    # What is seen behind a balloon that is not there has the wrong colour more often than not.
    unlike = gone + other_size
    if gone > other_size and unlike > (_GONE_BEHIND if seen != planned else _FROM):
        return Fault(FaultKind.MISSING, row, slot, at, unlike, planned=model.palette[planned].key)
    if unlike > _FROM:
        return Fault(FaultKind.SIZE, row, slot, at, unlike, amount=size)
    likely = float(judged.likely[ball, planned])
    far = float(judged.far[ball])
    if seen != planned and 1 - likely > _COLOUR_LOOK and (far > _FAR or not judged.strange[ball]):
        apart = differences((model.palette[planned].hex, model.palette[seen].hex))[0, 1]
        look = bool(apart < _PLAIN or 1 - likely < _COLOUR_FROM)
        return Fault(
            FaultKind.COLOUR, row, slot, at, 1 - likely, look, planned=model.palette[planned].key,
            seen=model.palette[seen].key, strange=bool(judged.strange[ball]),
        )  # fmt: skip
    if unlike > _LOOK_FROM:
        kind = FaultKind.MISSING if gone > other_size else FaultKind.SIZE
        return Fault(kind, row, slot, at, unlike, look=True)
    if judged.strange[ball] and far > _ODD:
        key = model.palette[planned].key
        return Fault(FaultKind.COLOUR, row, slot, at, 0.5, look=True, planned=key, strange=True)
    return None


def _turned(model: ModelSpheres, row: int, by: int, circles: Floats) -> Fault:
    count = int((model.rows == row).sum())
    return Fault(FaultKind.TURNED, row, -1, _row_circle(model, row, circles), 0.95, amount=by, slots=count)


def _row_circle(model: ModelSpheres, row: int, circles: Floats) -> tuple[float, float, float]:
    of_row = circles[model.rows == row]
    low, high = (of_row[:, :2] - of_row[:, 2:]).min(axis=0), (of_row[:, :2] + of_row[:, 2:]).max(axis=0)
    x, y = ((low + high) / 2).tolist()
    return x, y, float((high - low).max() / 2)


def _exchanged(faults: list[Fault]) -> list[Fault]:
    """Wrong colours that go away when two balloons are exchanged."""
    wrong = [k for k, fault in enumerate(faults) if fault.kind is FaultKind.COLOUR and fault.seen]
    merged, used = list(faults), set()
    for k in wrong:
        if k in used:
            continue
        this = faults[k]
        pairs = [
            other for other in wrong
            if other > k and other not in used
            and (faults[other].seen, faults[other].planned) == (this.planned, this.seen)
        ]  # fmt: skip
        if not pairs:
            continue
        other = min(pairs, key=lambda each: math.dist(faults[each].at[:2], this.at[:2]))
        used |= {k, other}
        for here, there in ((k, other), (other, k)):
            merged[here] = replace(faults[here], with_row=faults[there].row, with_slot=faults[there].slot)
    return merged


def _gaps(model: ModelSpheres, sides: tuple[RowSides, ...], circles: Floats) -> list[Fault]:
    """Rows that are farther apart than planned."""
    by_row = {each.row: each for each in sides if math.isfinite(each.rise)}
    heights = [float(model.centres[model.rows == row, 2].mean()) for row in range(model.row_count)]
    gaps = []
    for row in range(1, model.row_count):
        if row not in by_row or row - 1 not in by_row:
            continue
        opens = by_row[row].rise - by_row[row - 1].rise
        rise = heights[row] - heights[row - 1]
        if opens > max(_GAP_SHARE * rise, _GAP_MM):
            gaps.append(Fault(FaultKind.GAP, row, -1, _row_circle(model, row, circles), 0.85, amount=opens))
    return gaps


def _uneven(sides: tuple[RowSides, ...], model: ModelSpheres, circles: Floats) -> list[Fault]:
    """Two rows or more beside each other that reach farther to one side than planned."""
    offsets = {}
    for each in sides:
        right, left = each.right - each.planned_right, each.left - each.planned_left
        if math.isfinite(right) or math.isfinite(left):
            # Of a row of which one side is not seen the other tells.
            offsets[each.row] = (right if math.isfinite(right) else -left) - (left if math.isfinite(left) else -right)
    width = {each.row: each.planned_left + each.planned_right for each in sides}
    uneven = []
    for row, value in offsets.items():
        limit = max(_SIDES_SHARE * width[row], _SIDES_MM)
        if abs(value) > limit and row + 1 in offsets and abs(offsets[row + 1]) > limit and offsets[row + 1] * value > 0:
            uneven.append(Fault(FaultKind.SIDES, row, -1, _row_circle(model, row, circles), 0.8, amount=value))
    return uneven


def _lean(lean: Lean, circles: Floats) -> Fault:
    low, high = (circles[:, :2] - circles[:, 2:]).min(axis=0), (circles[:, :2] + circles[:, 2:]).max(axis=0)
    x, y = ((low + high) / 2).tolist()
    return Fault(FaultKind.LEAN, -1, -1, (x, y, float((high - low).max() / 2)), lean.sure, amount=lean.angle)
