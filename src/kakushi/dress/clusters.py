"""Where the balloons of a filler cluster come to lie at their seat: settled against the column by the packing law.

A cluster's knot is drawn inwards along the line of its seat by its strip; its balloons hang on the knot by their necks
and press on each other and on the column, which is taken as it stands. Lengths mm, pressure 1 as in `packing.law`.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass, replace
from typing import Any

import numpy as np

from kakushi.dress.kind import USUAL_FILL
from kakushi.dress.kinds.fillers import cluster_balloons
from kakushi.model.arrays import Floats, Ints
from kakushi.model.groups import Row
from kakushi.model.memo import Cancelled, never, stop_if
from kakushi.model.parts import Fillers, PartBalloons, Seat
from kakushi.model.units import inches
from kakushi.packing.ball import BallGeometry
from kakushi.packing.frames import Frames
from kakushi.packing.law import LAW, neck, pair_stiffness, skin
from kakushi.packing.stack import Geometry, neck_slack

HALF = 0.5 ** (1 / 3)
"""A balloon twisted in the middle: each bubble has half the air, so 0.79 of the diameter."""
_PULL = 0.12
"""Pull of the strip (τ): a tenth of what presses rows together. The cluster then rests on the column, and overlaps it
less than the column's own balloons overlap each other."""
STUCK_ON = 0.03
"""Pull (τ) of a ring of balloons, or of what dots hold: it rests on the column and hardly presses it."""
_BLOCK = 400
"""Clusters settled side by side: a few megabytes."""
_STEPS, _STILL = 600, 2e-4
"""Most steps of the relaxation, and the largest force over π·p·r·r at which it stops: a tenth of a millimetre."""
_OWN_ROW = 3.0
"""How far out from a strand's line its own balloons have their middles at most, over the largest radius."""
_NEAREST = 16
"""Nearest balloons of the column that are tested against each balloon of a cluster."""
_STRIDE, _LONGEST, _SPEED_UP, _MIXING, _WAIT = 0.2, 0.5, 1.1, 0.1, 5
"""Inertial relaxation (FIRE): first and longest step in units of √(1/stiffness), speed-up, mixing and waiting steps."""


@dataclass(frozen=True, slots=True)
class Shape:
    """The balloons of a cluster by radius and neck slack, mm, in the order of its own colours."""

    radii: tuple[float, ...]
    slacks: tuple[float, ...]


def bubbles_of(part: Fillers, seat: Seat | None = None) -> list[tuple[PartBalloons, float]]:
    """Visible bubbles of one cluster: each balloon, or each half of a split one, with its radius, mm."""
    seen = []
    for line in cluster_balloons(part, seat):
        diameter = line.diameter_mm or USUAL_FILL * inches(line.nominal_in)
        seen += [(line, diameter / 2 * HALF)] * 2 if part.is_split else [(line, diameter / 2)]
    return seen


def shape_of(part: Fillers, seat: Seat | None = None) -> Shape:
    """How the cluster at a seat is made."""
    seen = bubbles_of(part, seat)
    slacks = [
        # What is twisted in the middle has no neck there.
        0.0 if part.is_split else neck_slack(inches(line.nominal_in), 2 * radius)
        for line, radius in seen
    ]
    return Shape(tuple(radius for _, radius in seen), tuple(slacks))


def shape_of_balloons(balloons: Sequence[PartBalloons]) -> Shape:
    """How a cluster of whole balloons is made, each line one balloon with its size."""
    sizes = [line.diameter_mm or USUAL_FILL * inches(line.nominal_in) for line in balloons]
    slacks = [neck_slack(inches(line.nominal_in), size) for line, size in zip(balloons, sizes, strict=True)]
    return Shape(tuple(size / 2 for size in sizes), tuple(slacks))


@dataclass(frozen=True, slots=True)
class KnotLine:
    """Where a seat's knot may lie: from the pole outwards at a height, in a direction (radians from the front).

    `turn`: of the cluster about its way out, radians; `pull` (τ) draws the knot in. `bent`: of a strand, where the line
    begins, its direction out, and that along the strand, (3, 3) flat; `azimuth` is round the strand then.
    """

    azimuth: float
    height: float
    turn: float
    pull: float = _PULL
    bent: tuple[float, ...] | None = None


ROUND_A_BALL = 12
"""Slots of a seat round a ball: every thirty degrees."""


def line_of(seat: Seat, rows: Sequence[Row], geometry: Geometry, balls: Sequence[BallGeometry] = ()) -> KnotLine | None:
    """The line of a seat; None where its row or slot, or its ball, is gone."""
    if seat.ball is not None:
        if seat.ball >= len(balls):
            return None
        ball = balls[seat.ball]
        middle, across = float(ball.centres[:, 2].mean()), float(2 * ball.radii.mean())
        azimuth = (seat.slot + seat.along) * 2 * math.pi / ROUND_A_BALL
        return KnotLine(azimuth, middle + seat.up * across, math.radians(seat.turn_deg))
    row = next((index for index, each in enumerate(rows) if each.key == seat.row), None)
    if row is None or seat.slot >= rows[row].count:
        return None
    frames, in_row = geometry.frames, geometry.of_row(row)
    angles = frames.local(geometry.centres[in_row], geometry.row_of[in_row]).angle
    step = (angles[(seat.slot + 1) % len(angles)] - angles[seat.slot]) % (2 * math.pi) or 2 * math.pi
    azimuth, up = float(angles[seat.slot] + seat.along * step), seat.up * rows[row].diameter_mm
    return replace(line_round(frames, row, azimuth, up), turn=math.radians(seat.turn_deg))


def line_round(frames: Frames, row: int, azimuth: float, up_mm: float) -> KnotLine:
    """The line at an angle round a row (from 0), radians from its front, `up_mm` along from its knot."""
    tangent, bent = frames.tangents[row], None
    if tangent[2] < 1 or np.any(frames.origins[row, :2]):
        begins = frames.origins[row] + up_mm * tangent
        out = frames.around(row, np.array([azimuth]), 1.0)[0] - frames.origins[row]
        bent = tuple(np.concatenate([begins, out, tangent]).tolist())
    return KnotLine(azimuth, float(frames.origins[row, 2] + up_mm * tangent[2]), 0.0, bent=bent)


def seat_round(row: int, angle: float, up_mm: float, rows: Sequence[Row], geometry: Geometry) -> Seat:
    """The seat of a row (from 0) at an angle round it, radians from its front, so far along from its knot, mm."""
    in_row = geometry.of_row(row)
    angles = geometry.frames.local(geometry.centres[in_row], geometry.row_of[in_row]).angle
    back = (angle - angles) % (2 * math.pi)
    slot = int(back.argmin())
    step = float((angles[(slot + 1) % len(angles)] - angles[slot]) % (2 * math.pi)) or 2 * math.pi
    along, up = min(max(float(back[slot]) / step, 0.0), 1.0), up_mm / rows[row].diameter_mm
    return Seat(row=rows[row].key, slot=slot, along=along, up=min(max(up, -3.0), 3.0))


def seat_seen_at(at: Floats, azimuth: float, middle: Floats, rows: Sequence[Row], geometry: Geometry) -> Seat | None:
    """The seat where a cluster, its `middle` (3,) mm, is brought to `at` (3,), seen from an azimuth (radians).

    `at` is on the plane of the centreline; the cluster stays on the side of the viewer, as far out as it was. None
    without rows.
    """
    if not rows:
        return None
    frames, toward = geometry.frames, np.array([math.sin(azimuth), -math.cos(azimuth), 0.0])
    was = frames.nearest(middle[None])
    out = max(float(frames.local(middle[None], was).out[0]), 1.0)
    row = int(frames.nearest(at[None])[0])
    tangent = frames.tangents[row]
    across = np.cross(toward, tangent)
    across /= max(float(np.linalg.norm(across)), 1e-9)
    offset = at - frames.origins[row]
    aside = min(max(float(offset @ across), -out), out)
    on_side = offset @ tangent * tangent + aside * across + math.sqrt(out**2 - aside**2) * np.cross(tangent, across)
    local = frames.local((frames.origins[row] + on_side)[None], np.array([row]))
    return seat_round(row, float(local.angle[0]), float(local.along[0] - frames.along[row]), rows, geometry)


def settled_clusters(
    lines: Sequence[KnotLine],
    shapes: Sequence[Shape],
    column: tuple[Floats, Floats],
    pole_radius: float,
    cancelled: Cancelled = never,
) -> list[Floats]:
    """Centres (k, 3) of each cluster's balloons, mm, among the column's balloons (centres (n, 3), swollen radii (n,)).

    Clusters do not know of each other. Raises `errors.Cancelled`.
    """
    answers: list[Floats] = [np.zeros((0, 3))] * len(lines)
    sizes: dict[int, list[int]] = {}
    for index, shape in enumerate(shapes):
        sizes.setdefault(len(shape.radii), []).append(index)
    for count, wanted in sizes.items():
        for begin in range(0, len(wanted) if count else 0, _BLOCK):
            block = wanted[begin : begin + _BLOCK]
            clusters = _Many([lines[i] for i in block], [shapes[i] for i in block], column, pole_radius)
            for index, centres in zip(block, clusters.settled(cancelled), strict=True):
                answers[index] = centres
    return answers


def _tree_of(centres: Floats) -> Any:
    from scipy.spatial import cKDTree  # noqa: PLC0415 - takes half a second to load, and few pieces need it

    return cKDTree(centres)


class _Many:
    """Clusters of one number of balloons, (b, k), settled side by side."""

    def __init__(
        self, lines: Sequence[KnotLine], shapes: Sequence[Shape], column: tuple[Floats, Floats], pole_radius: float
    ) -> None:
        self._radii = np.array([shape.radii for shape in shapes])
        self._slacks = np.array([shape.slacks for shape in shapes])
        azimuth = np.array([line.azimuth for line in lines])
        self._out = np.stack([np.sin(azimuth), -np.cos(azimuth), np.zeros(len(lines))], axis=1)
        side = np.stack([np.cos(azimuth), np.sin(azimuth), np.zeros(len(lines))], axis=1)
        self._foot = np.stack([np.zeros(len(lines)), np.zeros(len(lines)), [line.height for line in lines]], axis=1)
        self._up = np.tile([0.0, 0.0, 1.0], (len(lines), 1))
        self._bent = np.array([line.bent is not None for line in lines], dtype=bool)
        for place, line in enumerate(lines):
            if line.bent is not None:
                self._foot[place], self._out[place], self._up[place] = np.array(line.bent).reshape(3, 3)
                side[place] = np.cross(self._up[place], self._out[place])
        self._pole_radius = pole_radius
        self._pull = np.array([line.pull for line in lines]) * (2 * self._radii.mean(axis=1)) ** 2
        self._unit = np.pi * self._radii.mean(axis=1)
        self._pairs = np.triu_indices(self._radii.shape[1], 1)
        self._tree = _tree_of(column[0]) if len(column[0]) else None
        self._column = column
        self._knots, self._centres = self._begin(lines, side)
        self._near, self._near_radii = self._neighbours()

    def _begin(self, lines: Sequence[KnotLine], side: Floats) -> tuple[Floats, Floats]:
        """Starting positions: knots clear of the column, the balloons in a ring around the outward direction."""
        clusters, count = self._radii.shape
        widest = self._radii.max(axis=1)
        reach = np.full(clusters, self._pole_radius) + widest
        centres, radii = self._column
        if len(radii):
            # As far out as the farthest balloon of the column that lies beside the cluster.
            span = 2 * widest[:, None] + radii[None, :]
            beside = np.abs(centres[None, :, 2] - self._foot[:, None, 2]) < span
            along = centres @ self._out.T
            across = np.linalg.norm(centres[None, :, :2] - along.T[:, :, None] * self._out[:, None, :2], axis=2)
            touching = beside & (across < span)
            for place in np.flatnonzero(self._bent):
                # From where its line begins, and not from the pole.
                from_foot = centres - self._foot[place]
                along[:, place] = from_foot @ self._out[place]
                away = from_foot - along[:, place, None] * self._out[place]
                # Of its own rows: another part of the strand may lie beyond.
                own = along[:, place] < _OWN_ROW * float(radii.max())
                touching[place] = (np.linalg.norm(away, axis=1) < span[place]) & own
            # The cluster's centre is clear of a balloon it could meet.
            reach = np.maximum(reach, np.where(touching, along.T + radii[None, :] * 0.6, 0.0).max(axis=1))
        angles = np.array([line.turn for line in lines])[:, None] + np.arange(count) * 2 * np.pi / count
        lean = 0.0 if count > 1 else 1.0
        ways = np.cos(angles)[..., None] * self._up[:, None, :] + np.sin(angles)[..., None] * side[:, None, :]
        ways = (1 - lean) * ways + (0.45 if count > 1 else lean) * self._out[:, None, :]
        ways /= np.linalg.norm(ways, axis=2, keepdims=True)
        # In a ring they just touch each other.
        ring = self._radii / max(math.sin(math.pi / count), 0.35) if count > 1 else self._radii
        knots = self._foot + reach[:, None] * self._out
        return reach, knots[:, None, :] + ways * np.maximum(ring, self._radii + self._slacks)[..., None]

    def _neighbours(self) -> tuple[Floats, Floats]:
        """The column's balloons that each balloon may touch, (b, k, m, 3), (b, k, m); far ones have no radius."""
        clusters, count = self._radii.shape
        if self._tree is None:
            return np.zeros((clusters, count, 1, 3)), np.zeros((clusters, count, 1))
        most = min(_NEAREST, len(self._column[1]))
        # Where it comes to lie: nearer to the pole by about a balloon.
        aim = self._centres - self._out[:, None, :] * self._radii[..., None]
        _, index = self._tree.query(aim, k=[*range(1, most + 1)])
        return self._column[0][index], self._column[1][index]

    def settled(self, cancelled: Cancelled) -> Floats:
        """Centres (b, k, 3) at rest."""
        clusters = len(self._knots)
        knots, centres, still = self._knots, self._centres, _STILL * self._unit * self._radii.mean(axis=1)
        speeds = np.zeros((clusters, 1 + centres[0].size))
        stride, mixing, uphill = np.full(clusters, _STRIDE), np.full(clusters, _MIXING), np.zeros(clusters, dtype=int)
        going = np.arange(clusters)
        for step in range(_STEPS):
            if step % 20 == 0:
                stop_if(cancelled)
            force = self._forces(going, knots[going], centres[going]) / self._unit[going, None]
            moving = np.abs(force).max(axis=1) > still[going] / self._unit[going]
            going, force = going[moving], force[moving]
            if not len(going):
                break
            # Fast inertial relaxation: what moves uphill stops and starts again more slowly.
            speed, mix = speeds[going], mixing[going]
            gains = (force * speed).sum(axis=1) > 0
            size = np.linalg.norm(speed, axis=1) / np.maximum(np.linalg.norm(force, axis=1), 1e-12)
            speed = np.where(gains[:, None], (1 - mix)[:, None] * speed + (mix * size)[:, None] * force, 0.0)
            uphill[going] = np.where(gains, uphill[going] + 1, 0)
            fast = uphill[going] > _WAIT
            mixing[going] = np.where(gains, np.where(fast, mix * 0.99, mix), _MIXING)
            stride[going] = np.where(
                gains, np.where(fast, np.minimum(stride[going] * _SPEED_UP, _LONGEST), stride[going]), stride[going] / 2
            )
            dt = stride[going][:, None]
            speed = speed + dt * force
            speeds[going] = speed
            moved = dt * speed
            # The strip draws the knot to the pole at most: where no balloon holds it, it lies there.
            knots[going] = np.maximum(knots[going] + moved[:, 0], 0.0)
            centres[going] += moved[:, 1:].reshape(len(going), -1, 3)
        return centres

    def _forces(self, which: Ints, knots: Floats, centres: Floats) -> Floats:
        """Forces on the knots outwards and on the balloons of clusters `which` (b,), (b, 1 + 3·k)."""
        out, radii = self._out[which], self._radii[which]
        pull = -self._pull[which]
        push = np.zeros_like(centres)
        away = centres - (self._foot[which] + knots[:, None] * out)[:, None, :]
        far = np.maximum(np.linalg.norm(away, axis=2), 1e-6)
        slope = neck(LAW, far, radii + self._slacks[which], radii).slope
        force = (slope / far)[..., None] * away
        push -= force
        pull = pull + np.einsum("bkx,bx->b", force, out)
        one, other = self._pairs
        if len(one):
            push += self._among(radii, centres, one, other)
        near_radii = self._near_radii[which]
        between = centres[:, :, None, :] - self._near[which]
        gap = np.maximum(np.linalg.norm(between, axis=3), 1e-6)
        own_radii = np.broadcast_to(radii[..., None], gap.shape)
        reach = np.where(near_radii > 0, own_radii + near_radii, 1e-6)
        slope = skin(LAW, gap, reach, pair_stiffness(own_radii, np.maximum(near_radii, 1e-6))).slope
        push -= ((slope / gap)[..., None] * between).sum(axis=2)
        push -= self._from_pole(which, radii, centres)
        return np.concatenate([pull[:, None], push.reshape(len(which), -1)], axis=1)

    def _from_pole(self, which: Ints, radii: Floats, centres: Floats) -> Floats:
        """Forces of the balloons on the pole, across it, (b, k, 3): it is taken as a ball beside each of them.

        A strand has the line instead, along its own direction.
        """
        along, from_foot = self._up[which][:, None, :], centres - self._foot[which][:, None, :]
        beside = from_foot - (from_foot * along).sum(axis=2, keepdims=True) * along
        gap = np.maximum(np.linalg.norm(beside, axis=2), 1e-6)
        thick = np.where(self._bent[which], 1e-6, max(self._pole_radius, 1e-6))
        pole = np.broadcast_to(thick[:, None], gap.shape)
        slope = skin(LAW, gap, radii + pole, pair_stiffness(radii, pole)).slope
        return np.asarray((slope / gap)[..., None] * beside)

    def _among(self, radii: Floats, centres: Floats, one: Ints, other: Ints) -> Floats:
        """Forces of the balloons of each cluster on each other, (b, k, 3)."""
        push = np.zeros_like(centres)
        between = centres[:, other] - centres[:, one]
        gap = np.maximum(np.linalg.norm(between, axis=2), 1e-6)
        reach = radii[:, one] + radii[:, other]
        slope = skin(LAW, gap, reach, pair_stiffness(radii[:, one], radii[:, other])).slope
        force = (slope / gap)[..., None] * between
        for place, (a, b) in enumerate(zip(one, other, strict=True)):
            push[:, a] += force[:, place]
            push[:, b] -= force[:, place]
        return push
