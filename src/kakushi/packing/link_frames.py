"""Open frames of link balloons: two-ended bars between joints, in the plane of the front, in balance by springs.

Chains keep their length as far as the others let them; joints on the floor stay on it. Which ways a frame can lean
without any chain changing its length is read from its rigidity matrix (Laman; Maxwell's count of bars and joints).
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from itertools import pairwise
from typing import NamedTuple

import numpy as np

from kakushi.model.arrays import Floats, Ints
from kakushi.model.groups import LinkFrameGroup, Slot

_FLOOR_MM = 1.0
"""Height of a joint above the lowest one up to which it stands on the floor, mm."""
_HOLDS = 1e-3
"""Stiffness that holds joints where they were drawn, over that of a chain: it settles only what chains leave free."""
_FREE = 1e-6
"""Singular value of the rigidity matrix, over the largest, up to which a mode costs no chain anything."""
_TIP = 0.12
"""Thickness of a link at its tips, over that in its middle."""
_BALLS = 31
"""Balls that a link is drawn with, tip to tip."""


@dataclass(frozen=True, slots=True, eq=False)
class FrameGeometry:
    """A settled frame, mm: `joints` (n, 3); balloons of the joints' clusters, `centres` (m, 3) and `radii` (m,).

    `tips` (l, 2, 3): both ends of every link, `thick` (l,), `chain_of` (l,) its chain. `modes` (p, n, 2): ways to lean
    that no chain resists, x and z of each joint; `strain` (c,): by what share each chain is longer than it is tied.
    """

    joints: Floats
    centres: Floats
    radii: Floats
    tips: Floats
    thick: Floats
    chain_of: Ints
    modes: Floats
    strain: Floats

    @property
    def spheres(self) -> tuple[Floats, Floats]:
        """The balloons of the joints, then each link by the ball at its thickest."""
        middles = self.tips.mean(axis=1)
        return np.concatenate([self.centres, middles]), np.concatenate([self.radii, self.thick / 2])

    @property
    def bodies(self) -> tuple[Floats, Floats]:
        """What links are drawn as: balls from tip to tip, centres (l * _BALLS, 3) and radii, thick in the middle."""
        share = np.linspace(0.0, 1.0, _BALLS)
        places = self.tips[:, :1] + share[None, :, None] * (self.tips[:, 1:] - self.tips[:, :1])
        round_off = _TIP + (1 - _TIP) * np.sqrt(np.maximum(1 - (2 * share - 1) ** 2, 0.0))
        return places.reshape(-1, 3), (self.thick[:, None] / 2 * round_off[None]).ravel()

    @property
    def bottom(self) -> float:
        """Lowest point, mm."""
        centres, radii = self.spheres
        return float((centres[:, 2] - radii).min())

    @property
    def top(self) -> float:
        """Highest point, mm."""
        centres, radii = self.spheres
        return float((centres[:, 2] + radii).max())

    def lifted(self, by: float) -> FrameGeometry:
        """This frame `by` mm higher."""
        up = np.array([0.0, 0.0, by])
        return replace(self, joints=self.joints + up, centres=self.centres + up, tips=self.tips + up)


def settle_frame(group: LinkFrameGroup) -> FrameGeometry:
    """A frame in balance."""
    drawn = np.array([(joint.x_mm, joint.z_mm) for joint in group.joints])
    first = np.array([chain.first for chain in group.chains])
    last = np.array([chain.last for chain in group.chains])
    lengths = np.array([chain.links * chain.length_mm for chain in group.chains])
    on_floor = np.flatnonzero(drawn[:, 1] <= drawn[:, 1].min() + _FLOOR_MM)
    free = np.ones(drawn.size, dtype=bool)
    free[2 * on_floor + 1] = False
    free[2 * on_floor[0]] = False
    places = _balanced(drawn, first, last, lengths, free)
    strain = np.linalg.norm(places[last] - places[first], axis=1) / lengths - 1
    joints = np.stack([places[:, 0], np.zeros(len(places)), places[:, 1]], axis=1)
    tips, thick, chain_of = _links(group, joints)
    centres, radii = _clusters(group, joints)
    modes = _modes(places, first, last, free, len(on_floor))
    return FrameGeometry(joints, centres, radii, tips, thick, chain_of, modes, strain)


def _balanced(drawn: Floats, first: Ints, last: Ints, lengths: Floats, free: np.ndarray) -> Floats:
    """Places (n, 2) of least energy: chains as springs of one stiffness, joints held weakly where they were drawn."""
    from scipy.optimize import least_squares  # noqa: PLC0415 - takes half a second to load, and few pieces need it

    def relaxed(places: Floats, hold: float) -> Floats:
        start = places.ravel()

        def off(values: Floats) -> Floats:
            now = start.copy()
            now[free] = values
            flat = now.reshape(-1, 2)
            stretched = np.linalg.norm(flat[last] - flat[first], axis=1) - lengths
            return np.concatenate([stretched, np.sqrt(hold) * (values - start[free])])

        settled = start.copy()
        settled[free] = least_squares(off, start[free], x_scale=100.0).x
        return settled.reshape(-1, 2)

    # Once more from there, held where it then is: what was drawn by hand pulls at nothing any more.
    return relaxed(relaxed(drawn, _HOLDS), _HOLDS**2)


def _modes(places: Floats, first: Ints, last: Ints, free: np.ndarray, standing: int) -> Floats:
    """Ways to move, (p, n, 2), that change no chain's length; a frame on one foot may also turn as a whole."""
    rows = np.zeros((len(first), places.size))
    ways = places[last] - places[first]
    ways = ways / np.maximum(np.linalg.norm(ways, axis=1), 1e-9)[:, None]
    for chain, (a, b, way) in enumerate(zip(first, last, ways, strict=True)):
        rows[chain, 2 * a : 2 * a + 2], rows[chain, 2 * b : 2 * b + 2] = -way, way
    _, values, shapes = np.linalg.svd(rows[:, free])
    held = int((values > _FREE * max(float(values.max(initial=0.0)), 1e-12)).sum())
    loose = shapes[held + (1 if standing < 2 else 0) :]
    modes = np.zeros((len(loose), places.size))
    modes[:, free] = loose
    return modes.reshape(len(loose), len(places), 2)


def _links(group: LinkFrameGroup, joints: Floats) -> tuple[Floats, Floats, Ints]:
    tips, thick, chain_of = [], [], []
    for place, chain in enumerate(group.chains):
        ends = np.linspace(0.0, 1.0, chain.links + 1)[:, None]
        places = joints[chain.first] + ends * (joints[chain.last] - joints[chain.first])
        tips += [np.stack([a, b]) for a, b in pairwise(places)]
        thick += [chain.thick_mm] * chain.links
        chain_of += [place] * chain.links
    return np.array(tips), np.array(thick), np.array(chain_of)


def _clusters(group: LinkFrameGroup, joints: Floats) -> tuple[Floats, Floats]:
    """Balloons of the joints' clusters: in a ring across the plane of the frame, touching their joint."""
    centres: list[Floats] = [np.zeros((0, 3))]
    radii: list[float] = []
    for joint, place in zip(group.joints, joints, strict=True):
        own = np.array([slot.diameter_mm / 2 for slot in joint.slots])
        radii += own.tolist()
        centres.append(place + _ring(own))
    return np.concatenate(centres), np.array(radii)


def _ring(radii: Floats) -> Floats:
    """Balloons round a joint, half of them before the frame and half behind, to both sides of its chains."""
    count = len(radii)
    turn = (np.arange(count) + 0.5) * 2 * np.pi / max(count, 1)
    out = radii / max(np.sin(np.pi / count), 0.5) if count > 1 else radii
    return np.stack([out * np.sin(turn) * _OBLIQUE, -out * np.cos(turn), out * np.sin(turn) * _OBLIQUE], axis=1)


_OBLIQUE = np.sqrt(0.5)
"""Clusters lie across the corner that two chains make, half-way between them."""


class Grid(NamedTuple):
    """A frame of like windows: how many, links to each side, their length and thickness, mm, and whether braced."""

    columns: int
    rows: int
    across: int
    up: int
    link_mm: float
    thick_mm: float
    is_braced: bool


def grid_of(group: LinkFrameGroup) -> Grid | None:
    """The grid that a frame is; None where it is another one."""
    columns = len({round(joint.x_mm, 1) for joint in group.joints}) - 1
    rows = len({round(joint.z_mm, 1) for joint in group.joints}) - 1
    sides = (columns * (rows + 1), (columns + 1) * rows)
    chains, braces = group.chains, len(group.chains) - sum(sides)
    if len(group.joints) != (columns + 1) * (rows + 1) or braces not in (0, columns * rows) or not min(sides):
        return None
    made = Grid(columns, rows, chains[0].links, chains[sides[0]].links, chains[0].length_mm, chains[0].thick_mm,
                braces > 0)  # fmt: skip
    same = [(chain.first, chain.last, chain.links) for chain in grid(made, group.joints[0].slots).chains]
    return made if same == [(chain.first, chain.last, chain.links) for chain in chains] else None


def grid(of: Grid, like: Sequence[Slot], colour: str | None = None) -> LinkFrameGroup:
    """Windows in columns and rows, each side a chain of links; braced ones have a diagonal, of links to its length.

    `like`: slots of the cluster at every joint; `colour` of the links.
    """
    columns, rows, across, up, link_mm, thick_mm, braced = of
    wide, tall = across * link_mm, up * link_mm
    left = -columns * wide / 2
    joints = [
        {"x_mm": left + c * wide, "z_mm": r * tall, "slots": tuple(like)}
        for r in range(rows + 1)
        for c in range(columns + 1)
    ]

    def at(column: int, row: int) -> int:
        return row * (columns + 1) + column

    def chain(a: int, b: int, links: int, length: float) -> dict[str, object]:
        return {"first": a, "last": b, "links": links, "length_mm": length, "thick_mm": thick_mm, "colour": colour}

    chains = [chain(at(c, r), at(c + 1, r), across, link_mm) for r in range(rows + 1) for c in range(columns)]
    chains += [chain(at(c, r), at(c, r + 1), up, link_mm) for r in range(rows) for c in range(columns + 1)]
    if braced:
        long = float(np.hypot(wide, tall))
        links = min(max(round(long / link_mm), 1), 5)
        chains += [chain(at(c, r), at(c + 1, r + 1), links, long / links) for r in range(rows) for c in range(columns)]
    return LinkFrameGroup.model_validate({"joints": tuple(joints), "chains": tuple(chains)})
