"""What the packing model takes and gives: rows of spheres on one centreline.

Angles are anticlockwise seen from above, zero at the front (-y); x right, z up, mm.
"""

from __future__ import annotations

import math
from collections.abc import Iterable, Sequence
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from kakushi.model.arrays import Floats, Ints
from kakushi.model.groups import Row
from kakushi.model.joints import JointKind
from kakushi.model.units import MM_PER_INCH
from kakushi.packing.frames import Frames, Local, joined_frames
from kakushi.packing.joints import JOINTS
from kakushi.packing.law import LAW, Law

# Shares of nominal, of nominal less sized, and the most of sized; chosen for the figures of practice.
NOMINAL_SLACK, UNFILLED_SLACK, MAX_SLACK = 0.05, 0.10, 0.35
# Packing forces τ of the default packings, chosen for the figures of practice: laid on, pressed down, pressed hard.
LOOSE, SNUG, TIGHT = 0.08, 1.3, 1.7

_WITH_HOLE = 3
"""Balloons of a row from which touching ones leave a hole between them."""


def neck_slack(nominal_mm: float, diameter_mm: float) -> float:
    """Neck slack s, mm, of a balloon of nominal size N sized to d: 0.05 N + 0.10 (N - d), at most 0.35 d.

    Source: `docs/accuracy.md`, default packing; an underinflated balloon keeps a long neck.
    """
    slack = NOMINAL_SLACK * nominal_mm + UNFILLED_SLACK * max(nominal_mm - diameter_mm, 0.0)
    return min(slack, MAX_SLACK * diameter_mm)


def default_slack(nominal_in: float, diameter_mm: float, factor: float = 1.0) -> float:
    """`neck_slack` for a nominal size in inches, mm; `factor` is a studio's measured slack over the default."""
    return min(factor * neck_slack(nominal_in * MM_PER_INCH, diameter_mm), MAX_SLACK * diameter_mm)


@dataclass(frozen=True, slots=True)
class StackRow:
    """One row for settling: sized diameters and neck slacks in slot order, mm.

    `packing` scales the packing force of the joint to the row below; `hold`: stiffness over p·D of what is wound round
    the balloons there. `turn` (radians, anticlockwise from slot 1 of the row below) starts the row there; None: found.
    """

    diameters: tuple[float, ...]
    slacks: tuple[float, ...]
    packing: float = 1.0
    turn: float | None = None
    hold: float = 0.0

    @property
    def count(self) -> int:
        """Balloons in the row."""
        return len(self.diameters)

    @property
    def mean_diameter(self) -> float:
        """Mean sized diameter, mm."""
        return sum(self.diameters) / len(self.diameters)

    @property
    def is_uniform(self) -> bool:
        """Whether all balloons of the row are alike."""
        return len(set(self.diameters)) == 1 and len(set(self.slacks)) == 1


def balloons_stacked(stack: Iterable[StackRow]) -> int:
    """Balloons of all rows."""
    return sum(row.count for row in stack)


def equal_row(count: int, diameter: float, slack: float, joint: JointKind = JointKind.WRAPPED) -> StackRow:
    """A row of `count` equal balloons, mm, in a packing for that kind of joint."""
    return StackRow((diameter,) * count, (slack,) * count, hold=JOINTS[joint].hold)


@dataclass(frozen=True, slots=True)
class Packing:
    """How rows are packed.

    tau scales the packing force tau * p * D^2 (`LOOSE`, `SNUG`, `TIGHT`); `slack` the default
    neck slack (measured, see `packing.calibration`); the pole's radius is in mm, 0 without one. `joint`: the kind that
    tau and slack hold for; other kinds differ by their factors (`packing.joints`).
    """

    tau: float = SNUG
    pole_radius: float = 0.0
    slack: float = 1.0
    law: Law = LAW
    joint: JointKind = JointKind.WRAPPED

    def for_joint(self, joint: JointKind) -> Packing:
        """The same hands at another kind of joint."""
        new, own = JOINTS[joint], JOINTS[self.joint]
        return replace(
            self, tau=self.tau * new.packing / own.packing, slack=self.slack * new.slack / own.slack, joint=joint
        )

    def neck_slack(self, nominal_in: float, diameter_mm: float, count: int) -> float:
        """Neck slack, mm, of a balloon in a row of `count`; `slack` scales it.

        Nothing presses what is wound with line or ribbon onto its knot: it lies beside its neighbours, touching.
        """
        usual = default_slack(nominal_in, diameter_mm, self.slack)
        if not JOINTS[self.joint].hold or count < _WITH_HOLE:
            return usual
        touching = (1 / math.sin(math.pi / count) - 1) / 2 * diameter_mm
        return max(usual, min(self.slack * touching, MAX_SLACK * diameter_mm))


def stack_row(row: Row, packing: Packing, joint: JointKind = JointKind.WRAPPED) -> StackRow:
    """A row of a job for settling; `joint` is the piece's, used where the row has none of its own."""
    own = packing.for_joint(row.joint or joint)
    return StackRow(
        tuple(slot.diameter_mm for slot in row.slots),
        tuple(own.neck_slack(slot.nominal_in, slot.diameter_mm, row.count) for slot in row.slots),
        own.tau / packing.tau,
        None if row.turn_deg is None else math.radians(row.turn_deg),
        JOINTS[own.joint].hold,
    )


@dataclass(frozen=True, slots=True)
class Report:
    """How the settling went: never a silent wrong height.

    `residual` is the largest unbalanced force over p * D^2 (D the mean diameter),
    `squish` the largest overlap over the sum of the two radii.
    """

    converged: bool
    iterations: int
    residual: float
    energy: float
    overlap_ratio: float
    in_order: bool


@dataclass(frozen=True, slots=True, eq=False)
class Geometry:
    """Settled balloons. Lengths mm, angles radians.

    centres (n, 3); sized radii (n,); shape_radii (n,) swollen by what neighbours press flat; row_of and slot_of (n,)
    int; frames of the m rows; turns (m,) angle of slot 1 from the front; flat (m,) level while held and not unstable
    when let go; softest (m,) see `packing.release`. The lowest point is at z = 0 unless lifted (see `lifted`).
    """

    centres: Floats
    radii: Floats
    shape_radii: Floats
    row_of: Ints
    slot_of: Ints
    frames: Frames
    turns: Floats
    flat: NDArray[np.bool_]
    softest: Floats
    report: Report

    def only(self, kept: NDArray[np.bool_]) -> Geometry:
        """Some of these balloons (n,); the rows stay."""
        return replace(
            self,
            centres=self.centres[kept],
            radii=self.radii[kept],
            shape_radii=self.shape_radii[kept],
            row_of=self.row_of[kept],
            slot_of=self.slot_of[kept],
        )

    def with_more(self, centres: Floats, radii: Floats, shape_radii: Floats | None = None) -> Geometry:
        """These balloons and others (k, 3), (k,) that are in no row: their row and slot are -1."""
        none = np.full(len(radii), -1)
        return replace(
            self,
            centres=np.concatenate([self.centres, centres]),
            radii=np.concatenate([self.radii, radii]),
            shape_radii=np.concatenate([self.shape_radii, radii if shape_radii is None else shape_radii]),
            row_of=np.concatenate([self.row_of, none]),
            slot_of=np.concatenate([self.slot_of, none]),
        )

    @property
    def knots(self) -> Floats:
        """Heights of the rows' knots above the floor, (m,) mm."""
        return self.frames.heights

    @property
    def local(self) -> Local:
        """The balloons seen from the frames of their rows."""
        return self.frames.local(self.centres, self.row_of)

    @property
    def bottom(self) -> float:
        """Lowest point of any balloon, mm; 0 without balloons."""
        return float((self.centres[:, 2] - self.shape_radii).min()) if len(self.radii) else 0.0

    @property
    def top(self) -> float:
        """Highest point of any balloon, mm; 0 without balloons."""
        return float((self.centres[:, 2] + self.shape_radii).max()) if len(self.radii) else 0.0

    def of_row(self, row: int) -> Ints:
        """Indices (count,) of the balloons of a row, in slot order."""
        return np.flatnonzero(self.row_of == row)

    def turn_of(self, row: int) -> float:
        """Turn of a row from slot 1 of the row below, of the lowest row from the front; radians, anticlockwise."""
        return float(self.turns[row] - (self.turns[row - 1] if row else 0.0))

    def turned(self, by: float) -> Geometry:
        """This geometry turned about the vertical by an angle, radians anticlockwise from above."""
        c, s = math.cos(by), math.sin(by)
        turn = np.array([[c, s, 0.0], [-s, c, 0.0], [0.0, 0.0, 1.0]])
        return replace(self, centres=self.centres @ turn, turns=self.turns + by)

    def lifted(self, by: float) -> Geometry:
        """This geometry `by` mm higher."""
        return replace(self, centres=self.centres + np.array([0.0, 0.0, by]), frames=self.frames.lifted(by))


def rows_between(geometry: Geometry, first: int, count: int) -> Geometry:
    """Rows of a straight geometry by themselves, `count` from `first` on, where they lie."""
    return some_rows(geometry, np.arange(first, first + count))


def some_rows(geometry: Geometry, rows: Ints) -> Geometry:
    """Rows of a geometry (indices, rising) by themselves, where they lie, numbered through from 0."""
    number = np.full(len(geometry.frames), -1)
    number[rows] = np.arange(len(rows))
    own, frames = geometry.only(number[geometry.row_of] >= 0), geometry.frames
    return replace(
        own,
        row_of=number[own.row_of],
        frames=Frames(frames.origins[rows], frames.tangents[rows], frames.normals[rows], frames.along[rows]),
        turns=geometry.turns[rows],
        flat=geometry.flat[rows],
        softest=geometry.softest[rows],
    )


def joined(parts: Sequence[Geometry]) -> Geometry:
    """Several placed geometries (at least one) as one, rows numbered through from the first."""
    first_rows = np.cumsum([0] + [len(part.frames) for part in parts[:-1]])
    reports = [part.report for part in parts]
    return Geometry(
        centres=np.concatenate([part.centres for part in parts]),
        radii=np.concatenate([part.radii for part in parts]),
        shape_radii=np.concatenate([part.shape_radii for part in parts]),
        row_of=np.concatenate([part.row_of + first for part, first in zip(parts, first_rows, strict=True)]),
        slot_of=np.concatenate([part.slot_of for part in parts]),
        frames=joined_frames([part.frames for part in parts]),
        turns=np.concatenate([part.turns for part in parts]),
        flat=np.concatenate([part.flat for part in parts]),
        softest=np.concatenate([part.softest for part in parts]),
        report=Report(
            all(r.converged for r in reports),
            max(r.iterations for r in reports),
            max(r.residual for r in reports),
            sum(r.energy for r in reports),
            max(r.overlap_ratio for r in reports),
            all(r.in_order for r in reports),
        ),
    )


def place(radius: float | Floats, angle: float | Floats) -> tuple[Floats, Floats]:
    """X and y, mm, at a radius and an angle anticlockwise from the front."""
    return np.asarray(radius * np.sin(angle)), np.asarray(-radius * np.cos(angle))


def angle_of(x: float | Floats, y: float | Floats) -> Floats:
    """Angle anticlockwise from the front, radians in (-pi, pi]."""
    return np.asarray(np.arctan2(x, -np.asarray(y)))


def ring_radii(row: StackRow, pole_radius: float) -> Floats:
    """Distance of each balloon's centre from the centreline when the tether is just straight, mm."""
    radii = np.array(row.diameters) / 2
    return np.asarray(np.maximum(radii + np.array(row.slacks), pole_radius + radii))


def rises_for_turns(low: StackRow, high: StackRow, turns: Sequence[float] | Floats, pole_radius: float) -> Floats:
    """Rise of `high` over `low`, just touching, for each turn of slot 1, (t,) mm."""
    rings_low, rings_high = ring_radii(low, pole_radius), ring_radii(high, pole_radius)
    angles_low = np.arange(low.count) * 2 * np.pi / low.count
    angles_high = np.arange(high.count) * 2 * np.pi / high.count
    between = np.asarray(turns)[:, None, None] + angles_high[None, None, :] - angles_low[None, :, None]
    across = (
        rings_low[:, None] ** 2
        + rings_high[None, :] ** 2
        - 2 * rings_low[:, None] * rings_high[None, :] * np.cos(between)
    )
    reach = (np.array(low.diameters)[:, None] + np.array(high.diameters)[None, :]) / 2
    return np.asarray(np.sqrt(np.maximum(reach**2 - across, 0.0)).max(axis=(1, 2)))
