"""Open frames of link balloons: two-ended bars between joints, flat or round, in balance by springs.

Chains keep their length as far as the others let them; joints on the floor stay on it. Which ways a frame can lean
without any chain changing its length is read from its rigidity matrix (Laman; Maxwell's count of bars and joints).
"""

from __future__ import annotations

from dataclasses import dataclass, replace
from itertools import pairwise
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from kakushi.model.arrays import Floats, Ints
from kakushi.model.groups import MAX_LINKS, FrameJoint, LinkChain, LinkFrameGroup, Slot

FEWEST_ROUND = 3
"""Windows that a ring of them has at least."""
_FLOOR_MM = 1.0
"""Height of a joint above the lowest one up to which it stands on the floor, mm."""
_HOLDS = 1e-3
"""Stiffness that holds joints where they were drawn, over that of a chain: it settles only what chains leave free."""
_SAME = 1e-6
"""Singular value up to which two ways to move are the same, or one is none."""
_FREE = 1e-6
"""Singular value of the rigidity matrix, over the largest, up to which a mode costs no chain anything."""
_LEVEL_MM = 1.0
"""Distance from the plane of the front, mm, within which all joints of a flat frame lie."""
_TIP = 0.12
"""Thickness of a link at its tips, over that in its middle."""
_BALLS = 31
"""Balls that a link is drawn with, tip to tip."""


@dataclass(frozen=True, slots=True, eq=False)
class FrameGeometry:
    """A settled frame, mm: `joints` (n, 3); balloons of the joints' clusters, `centres` (m, 3) and `radii` (m,).

    `tips` (l, 2, 3): both ends of every link, `thick` (l,), `chain_of` (l,) its chain. `modes` (p, n, 3): ways to lean
    that no chain resists, of each joint; `strain` (c,): by what share each chain is longer than it is tied. `gives`
    (n,): how far each joint gives to the same force, as a share of the one that gives most; 0 for all that stay.
    """

    joints: Floats
    centres: Floats
    radii: Floats
    tips: Floats
    thick: Floats
    chain_of: Ints
    modes: Floats
    strain: Floats
    gives: Floats

    @property
    def weakest(self) -> int:
        """The joint that gives most."""
        return int(self.gives.argmax())

    @property
    def spheres(self) -> tuple[Floats, Floats]:
        """The balloons of the joints, then each link by the ball at its thickest."""
        middles = self.tips.mean(axis=1)
        return np.concatenate([self.centres, middles]), np.concatenate([self.radii, self.thick / 2])

    @property
    def is_flat(self) -> bool:
        """Whether it lies in a plane that faces the front."""
        return float(np.ptp(self.joints[:, 1])) <= _LEVEL_MM

    @property
    def bodies(self) -> tuple[Floats, Floats]:
        """What links are drawn as: the balls of all of them, centres (l * _BALLS, 3) and radii."""
        places, radii = self.balls_of_links
        return places.reshape(-1, 3), radii.ravel()

    @property
    def balls_of_links(self) -> tuple[Floats, Floats]:
        """Balls from tip to tip of every link, centres (l, _BALLS, 3) and radii (l, _BALLS), thick in the middle."""
        share = np.linspace(0.0, 1.0, _BALLS)
        places = self.tips[:, :1] + share[None, :, None] * (self.tips[:, 1:] - self.tips[:, :1])
        round_off = _TIP + (1 - _TIP) * np.sqrt(np.maximum(1 - (2 * share - 1) ** 2, 0.0))
        return places, self.thick[:, None] / 2 * round_off[None]

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
    """A frame in balance. One whose joints all lie in one plane stays in it."""
    drawn = np.array([(joint.x_mm, joint.y_mm, joint.z_mm) for joint in group.joints])
    first = np.array([chain.first for chain in group.chains])
    last = np.array([chain.last for chain in group.chains])
    lengths = np.array([chain.links * chain.length_mm for chain in group.chains])
    on_floor = np.flatnonzero(drawn[:, 2] <= drawn[:, 2].min() + _FLOOR_MM)
    free = np.ones(drawn.shape, dtype=bool)
    free[on_floor, 2] = False
    free[on_floor[0]] = False
    if np.ptp(drawn[:, 1]) <= _LEVEL_MM:
        free[:, 1] = False
    joints = _balanced(drawn, first, last, lengths, free)
    strain = np.linalg.norm(joints[last] - joints[first], axis=1) / lengths - 1
    tips, thick, chain_of = _links(group, joints)
    centres, radii = _clusters(group, joints)
    modes, gives = _softness(joints, first, last, free)
    return FrameGeometry(joints, centres, radii, tips, thick, chain_of, modes, strain, gives)


def _balanced(drawn: Floats, first: Ints, last: Ints, lengths: Floats, free: NDArray[np.bool_]) -> Floats:
    """Places (n, 3), mm, of least energy: chains are equal springs, joints are held weakly where they were drawn."""
    from scipy.optimize import least_squares  # noqa: PLC0415 - takes half a second to load, and few pieces need it

    def relaxed(places: Floats, hold: float) -> Floats:
        start = places[free]

        def off(values: Floats) -> Floats:
            now = places.copy()
            now[free] = values
            stretched = np.linalg.norm(now[last] - now[first], axis=1) - lengths
            return np.concatenate([stretched, np.sqrt(hold) * (values - start)])

        settled = places.copy()
        settled[free] = least_squares(off, start, x_scale=100.0).x
        return settled

    # Once more from there, held where it then is: what was drawn by hand pulls at nothing any more.
    return relaxed(relaxed(drawn, _HOLDS), _HOLDS**2)


def _softness(joints: Floats, first: Ints, last: Ints, free: NDArray[np.bool_]) -> tuple[Floats, Floats]:
    """Ways to move (p, n, 3) that change no chain's length, and how far each joint gives to a force (n,).

    Ways in which the frame moves as a whole, on the feet that hold it, are left out. The singular vectors of the
    rigidity matrix are the ways it moves, and the inverse squares of its singular values what they cost.
    """
    chains, size = len(first), joints.size
    ways = joints[last] - joints[first]
    ways = ways / np.maximum(np.linalg.norm(ways, axis=1), 1e-9)[:, None]
    rigidity = np.zeros((chains, len(joints), 3))
    rigidity[np.arange(chains), first], rigidity[np.arange(chains), last] = -ways, ways
    loose_in = free.ravel()
    _, values, shapes = np.linalg.svd(rigidity.reshape(chains, size)[:, loose_in])
    held = int((values > _FREE * max(float(values.max(initial=0.0)), 1e-12)).sum())
    whole = _as_a_whole(joints, free)
    # What is left of the loose ways once those of the frame as a whole are taken out of them.
    rest = shapes[held:] - shapes[held:] @ whole.T @ whole
    _, sizes, own = np.linalg.svd(rest)
    loose = own[: int((sizes > _SAME).sum())]
    modes = np.zeros((len(loose), size))
    modes[:, loose_in] = loose
    gives = np.zeros(size)
    gives[loose_in] = (loose**2).sum(axis=0) if len(loose) else (shapes[:held] ** 2 / values[:held, None] ** 2).sum(0)
    of_joints = gives.reshape(-1, 3).sum(axis=1)
    return modes.reshape(len(loose), len(joints), 3), of_joints / max(float(of_joints.max(initial=0.0)), 1e-12)


def _as_a_whole(joints: Floats, free: NDArray[np.bool_]) -> Floats:
    """Ways in which a frame moves as a whole that its feet allow, orthonormal, over what is free (k, free)."""
    axes = np.eye(3)
    ways = [np.tile(axis, (len(joints), 1)) for axis in axes] + [np.cross(axis, joints / 1000) for axis in axes]
    every = np.array([way.ravel() for way in ways])
    _, values, shapes = np.linalg.svd(every[:, ~free.ravel()].T)
    kept = shapes[int((values > _SAME).sum()) :] @ every[:, free.ravel()]
    _, sizes, whole = np.linalg.svd(kept, full_matrices=False)
    return np.asarray(whole[sizes > _SAME])


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
    """Balloons of the joints: clusters in a ring across the plane of the frame, collars in a ring in it."""
    centres: list[Floats] = [np.zeros((0, 3))]
    radii: list[float] = []
    for joint, place in zip(group.joints, joints, strict=True):
        for slots, collar in ((joint.slots, False), (joint.collar, True)):
            own = np.array([slot.diameter_mm / 2 for slot in slots])
            radii += own.tolist()
            centres.append(place + (_ring(own)[:, [0, 2, 1]] if collar else _ring(own)))
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
    """A frame of like windows: how many, links to each side, their length and thickness, mm, and whether braced.

    `is_round`: the windows stand in a ring, one ring on another, as a column of links.
    """

    columns: int
    rows: int
    across: int
    up: int
    link_mm: float
    thick_mm: float
    is_braced: bool
    is_round: bool = False

    @property
    def across_joints(self) -> int:
        """Joints in each level."""
        return self.columns if self.is_round else self.columns + 1


def numbers_of_joints(group: LinkFrameGroup) -> dict[int, int]:
    """The joints' numbers (from 1) as they are tied, from the foot up, from left to right, by their places."""
    joints = group.joints
    order = sorted(range(len(joints)), key=lambda k: (joints[k].z_mm, joints[k].x_mm, joints[k].y_mm))
    return {joint: number for number, joint in enumerate(order, 1)}


def grid_of(group: LinkFrameGroup) -> Grid | None:
    """The grid that a frame is; None where it is another one."""
    levels = len({round(joint.z_mm, 1) for joint in group.joints})
    each, odd = divmod(len(group.joints), levels)
    is_round = float(np.ptp([joint.y_mm for joint in group.joints])) > _LEVEL_MM
    columns, rows, chains = each if is_round else each - 1, levels - 1, group.chains
    sides = (columns * (rows + 1), each * rows)
    braces = len(chains) - sum(sides)
    if odd or braces not in (0, columns * rows) or not min(sides) or (is_round and columns < FEWEST_ROUND):
        return None
    made = Grid(columns, rows, chains[0].links, chains[sides[0]].links, chains[0].length_mm, chains[0].thick_mm,
                braces > 0, is_round)  # fmt: skip
    same = [(chain.first, chain.last, chain.links) for chain in grid(made, Trim(group.joints[0].slots)).chains]
    return made if same == [(chain.first, chain.last, chain.links) for chain in chains] else None


class Trim(NamedTuple):
    """What a grid is dressed in: the cluster and the collar of every joint, colours of links across and up.

    `has_water`: the lowest joints hold water.
    """

    slots: tuple[Slot, ...]
    collar: tuple[Slot, ...] = ()
    colour: str | None = None
    up_colour: str | None = None
    has_water: bool = False


def trim_of(group: LinkFrameGroup) -> Trim:
    """What a grid is dressed in."""
    up = next((chain for chain in group.chains if _levels(group, chain) == 1), group.chains[-1])
    top, foot = group.joints[-1], group.joints[0]
    return Trim(top.slots, top.collar, group.chains[0].colour, up.colour, foot.water_filled)


def _levels(group: LinkFrameGroup, chain: LinkChain) -> int:
    """How many levels a chain goes up: 0 across, 1 up or along a diagonal."""
    return int(group.joints[chain.last].z_mm - group.joints[chain.first].z_mm > _FLOOR_MM)


def grid(of: Grid, trim: Trim) -> LinkFrameGroup:
    """Windows in columns and rows, each side a chain of links; braced ones have a diagonal, of links to its length.

    Raises ValueError where a ring has fewer than three windows.
    """
    columns, rows, across, up, link_mm, thick_mm, braced, is_round = of
    if is_round and columns < FEWEST_ROUND:
        raise ValueError(f"a ring has {FEWEST_ROUND} windows at least")
    wide, tall, each = across * link_mm, up * link_mm, of.across_joints
    spots = [_on_ring(c, columns, wide) if is_round else (c * wide - columns * wide / 2, 0.0) for c in range(each)]
    joints = [
        FrameJoint(x_mm=x, y_mm=y, z_mm=r * tall, slots=trim.slots,
                   collar=trim.collar, water_filled=trim.has_water and not r)
        for r in range(rows + 1)
        for x, y in spots
    ]  # fmt: skip

    def at(column: int, row: int) -> int:
        return row * each + column % each

    def chain(a: int, b: int, links: int, length: float, colour: str | None) -> LinkChain:
        return LinkChain(first=a, last=b, links=links, length_mm=length, thick_mm=thick_mm, colour=colour)

    chains = [
        chain(at(c, r), at(c + 1, r), across, link_mm, trim.colour) for r in range(rows + 1) for c in range(columns)
    ]
    chains += [chain(at(c, r), at(c, r + 1), up, link_mm, trim.up_colour) for r in range(rows) for c in range(each)]
    if braced:
        long = float(np.hypot(wide, tall))
        links = min(max(round(long / link_mm), 1), MAX_LINKS)
        chains += [
            chain(at(c, r), at(c + 1, r + 1), links, long / links, trim.colour)
            for r in range(rows)
            for c in range(columns)
        ]
    return LinkFrameGroup(joints=tuple(joints), chains=tuple(chains))


def _on_ring(column: int, columns: int, wide: float) -> tuple[float, float]:
    """A joint of a ring whose windows are so wide, the first window to the front."""
    radius, turn = wide / (2 * np.sin(np.pi / columns)), (2 * column - 1) * np.pi / columns
    return float(radius * np.sin(turn)), float(-radius * np.cos(turn))


def windows_of(group: LinkFrameGroup) -> tuple[tuple[int, ...], ...]:
    """The windows of a frame, each by the joints round it (from 0), from the foot up and from left to right.

    Of a flat frame the faces of its drawing (half-edges followed round); of a ring of windows its cells.
    """
    if (made := grid_of(group)) is not None and made.is_round:
        each = made.columns
        cells = [(r * each + c, r * each + (c + 1) % each) for r in range(made.rows) for c in range(each)]
        return tuple((a, b, b + each, a + each) for a, b in cells)
    spots = np.array([(joint.x_mm, joint.z_mm) for joint in group.joints])
    beside: dict[int, list[int]] = {joint: [] for joint in range(len(spots))}
    for one, other in {frozenset((chain.first, chain.last)) for chain in group.chains}:
        beside[one].append(other)
        beside[other].append(one)
    for joint, others in beside.items():
        others.sort(key=lambda other: float(np.arctan2(*(spots[other] - spots[joint])[::-1])))
    left = {(one, other) for one, others in beside.items() for other in others}
    faces = []
    while left:
        side = min(left)
        face = []
        while side in left:
            left.remove(side)
            face.append(side[0])
            # Turning as far to the left as it goes at each joint, the window stays on the left.
            others = beside[side[1]]
            side = (side[1], others[others.index(side[0]) - 1])
        x, z = spots[face].T
        if float(x @ np.roll(z, -1) - z @ np.roll(x, -1)) > 0:
            faces.append(tuple(face))
    return tuple(sorted(faces, key=lambda face: tuple(spots[list(face)].mean(axis=0)[::-1].round(1).tolist())))
