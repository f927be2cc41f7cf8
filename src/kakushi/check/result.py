"""The result of a check, in pixels of the photograph, from its evidence."""

from __future__ import annotations

import math
from collections.abc import Iterator, Sequence
from dataclasses import replace

import numpy as np
from numpy.typing import NDArray

from kakushi.check.alignment import AlignedPhoto
from kakushi.check.evidence import Evidence, is_judged, why_not_judged
from kakushi.check.faults import LEAN_FROM, found_faults
from kakushi.check.model_spheres import ModelSpheres, pressed_balls
from kakushi.check.request import CheckRequest
from kakushi.check.rows import sides_of
from kakushi.check.upright import Lean, lean_by_edge, lean_of, likely_lean
from kakushi.check.values import Fault, FaultKind, LeanUntold, NotChecked, Note, Result, SeenBalloon, SizesNotJudged
from kakushi.model.arrays import Floats
from kakushi.sight.expected import Expected
from kakushi.sight.pinhole import Pose

_SEEN_SHARE = 0.1
"""Share of its disc from which a hidden balloon would have been seen, and is counted as not checked."""


def result_of(
    model: ModelSpheres,
    photo: AlignedPhoto,
    evidence: Evidence,
    request: CheckRequest,
    confidence: float,
    azimuths: tuple[float, ...],
) -> Result:
    """Everything that was found. `azimuths`: others from which the piece would look the same."""
    by, pose, seen = 1 / photo.image.scale, photo.pose, evidence.photo
    lean = _lean(photo, request)
    circles, ok = photo.circles * by, is_judged(model, photo, seen)
    sides = sides_of(model, pose, photo.balls, photo.planned, ok, photo.sure, by)
    faults = found_faults(model, seen.colours, (evidence.places, evidence.there), ok, circles, sides, lean)
    # What may be the edge of something in front is looked at by somebody.
    places = zip(model.rows[seen.doubtful].tolist(), model.slots[seen.doubtful].tolist(), strict=True)
    doubtful = {place for place in places if place[0] >= 0}
    faults = tuple(replace(each, look=True) if (each.row, each.slot) in doubtful else each for each in faults)
    notes: list[Note] = []
    if model.is_bent or model.in_frames:
        faults = tuple(_of_bent(faults, model))
        notes.append(SizesNotJudged(of_frame=bool(model.in_frames)))
    if seen.in_front.any():
        notes.append(NotChecked(int((seen.in_front & (model.rows >= 0) & (seen.sample.share > _SEEN_SHARE)).sum())))
    if lean is None:
        notes.append(LeanUntold(pose.roll if abs(pose.roll) >= LEAN_FROM else 0.0))
    return Result(
        pose=pose.scaled(by),
        azimuth=_azimuth(pose, lean),
        foot=photo.ends.foot,
        top=photo.ends.top,
        confidence=confidence,
        azimuths=azimuths,
        lean=lean.angle if lean else None,
        balloons=_balloons(model, photo, evidence, circles, ok),
        faults=faults,
        sides=sides,
        notes=tuple(notes),
        in_frames=model.in_frames,
    )


def _of_bent(faults: Sequence[Fault], model: ModelSpheres) -> Iterator[Fault]:
    """The faults of bent rows that a photograph can tell.

    How rows lie beside each other in a bend is not measured: their widths and gaps are left out, plain differences of
    size are looked at. Where rows of two ways press each other nobody knows which balloon gives way.
    """
    pressed = {(int(model.rows[ball]), int(model.slots[ball])) for ball in pressed_balls(model)}
    for fault in faults:
        if fault.kind in (FaultKind.SIDES, FaultKind.GAP) or (fault.kind is FaultKind.SIZE and fault.look):
            continue
        hides = fault.kind is FaultKind.MISSING and (fault.row, fault.slot) in pressed
        yield replace(fault, look=True) if fault.kind is FaultKind.SIZE or hides else fault


def _lean(photo: AlignedPhoto, request: CheckRequest) -> Lean | None:
    """The lean against an upright edge that was marked, or those of the background."""
    if request.upright is not None:
        low, high = ((x * photo.image.scale, y * photo.image.scale) for x, y in request.upright)
        return lean_by_edge(photo.pose, low, high)
    piece = np.zeros(photo.image.shape, dtype=bool)
    piece[photo.shown.window.slices] = _grown(photo.shown)
    return lean_of(photo.image, photo.pose, piece)


def _balloons(
    model: ModelSpheres, photo: AlignedPhoto, evidence: Evidence, circles: Floats, ok: NDArray[np.bool_]
) -> tuple[SeenBalloon, ...]:
    """All balloons of rows as seen; `circles` (n, 3) px of the photograph."""
    colours, sample, balloons = evidence.photo.colours, evidence.photo.sample, []
    for ball in np.flatnonzero(model.rows >= 0).tolist():
        why_not = None if ok[ball] else why_not_judged(photo, evidence.photo, ball)
        planned, seen = int(model.colours[ball]), int(colours.seen[ball])
        x, y, radius = circles[ball].tolist()
        balloons.append(
            SeenBalloon(
                row=int(model.rows[ball]),
                slot=int(model.slots[ball]),
                planned=model.palette[planned].key,
                seen="" if why_not else model.palette[seen].key,
                sure=0.0 if why_not else float(colours.likely[ball, seen]),
                x=x,
                y=y,
                radius=radius,
                share=float(sample.share[ball]),
                why_not=why_not,
            )
        )
    return tuple(balloons)


def _azimuth(pose: Pose, lean: Lean | None) -> float:
    """Where the camera stands. A piece that leans to the right turns as much as the eye is high above its foot."""
    angle = lean.angle if lean else likely_lean(pose)
    turned = math.atan2(pose.eye * math.sin(angle), pose.distance)
    return (pose.azimuth + turned + math.pi) % (2 * math.pi) - math.pi


def _grown(shown: Expected) -> NDArray[np.bool_]:
    """The piece and a little about it, (h, w)."""
    from scipy.ndimage import binary_dilation  # noqa: PLC0415 - large, and only needed here

    return np.asarray(binary_dilation(shown.identity != -1, iterations=5))
