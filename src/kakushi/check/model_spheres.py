"""The plan of a piece as spheres: what a photograph of it should show."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from kakushi.check.values import FramePlace
from kakushi.colour.lab import linear_light
from kakushi.colour.rgb import rgb_of
from kakushi.dress.kind import BallMaterial
from kakushi.model.arrays import Floats, Ints
from kakushi.model.catalogue import BalloonColour
from kakushi.model.groups import LinkFrameGroup
from kakushi.model.job import Job
from kakushi.packing.link_frames import numbers_of_joints
from kakushi.picture.scene import pole_of
from kakushi.plan.values import PiecePlan

_PRESSES, _FAR_ROWS = 0.08, 4
"""Overlap of two balls, over the sum of their radii, from which one gives way to the other; rows from which they are no
neighbours."""
_OF_LINK = (3, 7, 11, 19, 23, 27)
"""Balls of those that a link is drawn with that show its outline well enough, beside the one in its middle."""


@dataclass(frozen=True, slots=True, eq=False)
class ModelSpheres:
    """Spheres of a piece as planned: centres (n, 3) and swollen radii (n,), mm.

    `rows`, `slots` (n,) from 0, -1 for what is in no row; `colours` (n,) index in `palette`; `is_balloon` (n,): of the
    others only the place is known. `pole`: radius, bottom and top, mm. `row_count`: how many rows there are.
    `is_bent`: rows lie along a path, or a flat frame is wide; such a piece is photographed from its front. `in_frames`:
    numbers in `rows` that are joints and chains of open frames, and which. `whole` (n,): the sphere that each is judged
    with, itself but for those that draw out a link.
    """

    centres: Floats
    radii: Floats
    rows: Ints
    slots: Ints
    colours: Ints
    palette: tuple[BalloonColour, ...]
    is_balloon: NDArray[np.bool_]
    pole: tuple[float, float, float] | None
    row_count: int
    is_bent: bool
    in_frames: Mapping[int, FramePlace]
    whole: Ints

    def __len__(self) -> int:
        return len(self.radii)

    @property
    def top_mm(self) -> float:
        """The highest point of any ball."""
        return float((self.centres[:, 2] + self.radii).max(initial=100.0))

    @property
    def wide_mm(self) -> float:
        """From its leftmost to its rightmost skin, seen from the front."""
        if not len(self):
            return 0.0
        return float((self.centres[:, 0] + self.radii).max() - (self.centres[:, 0] - self.radii).min())

    @property
    def albedo(self) -> Floats:
        """The palette in linear light, (p, 3): the share of white light that skins of these colours reflect."""
        return linear_light(np.array([rgb_of(colour.hex) for colour in self.palette]).reshape(-1, 3))

    @property
    def is_in_row(self) -> NDArray[np.bool_]:
        """Spheres of ordinary rows, (n,), without those of frames."""
        return (self.rows >= 0) & (self.rows < self.row_count)

    def only(self, kept: NDArray[np.bool_]) -> ModelSpheres:
        """Keep some of the spheres, (n,) bool; those that draw out a link go with the one it is judged by."""
        kept = kept & kept[self.whole]
        place = np.cumsum(kept) - 1
        return replace(
            self,
            centres=self.centres[kept],
            radii=self.radii[kept],
            rows=self.rows[kept],
            slots=self.slots[kept],
            colours=self.colours[kept],
            is_balloon=self.is_balloon[kept],
            whole=place[self.whole[kept]],
        )

    def without_parts(self) -> ModelSpheres:
        """The rows and frames alone."""
        return self.only(self.rows[self.whole] >= 0)

    def up_to_row(self, rows: int) -> ModelSpheres:
        """The piece half built: only the first `rows` rows, and no parts."""
        built = self.only((self.rows >= 0) & (self.rows < rows))
        return replace(built, row_count=min(rows, self.row_count))

    def without_topper(self) -> ModelSpheres:
        """The piece before anything is put on top: no part whose centre is above the top row."""
        rows = self.rows[self.whole] >= 0
        top = float(self.centres[rows, 2].max(initial=0.0))
        return self.only(rows | (self.centres[:, 2] <= top))

    def mirrored(self) -> ModelSpheres:
        """The mirror image of the piece, left and right exchanged."""
        return replace(self, centres=self.centres * np.array([-1.0, 1.0, 1.0]))


def pressed_balls(model: ModelSpheres) -> Ints:
    """Balls (k,) of rows that lie in balls of rows far from theirs, where a strand crosses itself."""
    from scipy.spatial import cKDTree  # noqa: PLC0415 - takes half a second, and few pieces need it

    balls = np.flatnonzero(model.rows >= 0)
    if not len(balls):
        return balls
    centres, radii, rows = model.centres[balls], model.radii[balls], model.rows[balls]
    pairs = cKDTree(centres).query_pairs(2 * float(radii.max()), output_type="ndarray")
    apart = np.linalg.norm(centres[pairs[:, 0]] - centres[pairs[:, 1]], axis=1)
    both = radii[pairs].sum(axis=1)
    deep = (apart < (1 - _PRESSES) * both) & (np.abs(rows[pairs[:, 0]] - rows[pairs[:, 1]]) >= _FAR_ROWS)
    return np.asarray(balls[np.unique(pairs[deep])])


def model_spheres_of(piece_plan: PiecePlan, job: Job) -> ModelSpheres:
    """Build the spheres that a photograph of a piece should show."""
    drawn = piece_plan.drawn
    palette = list(job.palette)
    known = {colour.key: index for index, colour in enumerate(palette)}
    colours = []
    for key in piece_plan.drawn_colours():
        if key not in known:
            known[key] = len(palette)
            palette.append(job.colour(key))
        colours.append(known[key])
    pole = pole_of(piece_plan.piece.frame, drawn)
    rows, slots, in_frames, links = _frame_places(piece_plan)
    own, places, radii = _drawn_out(piece_plan, links)
    pad = np.full(len(own), -1)
    return ModelSpheres(
        np.concatenate([drawn.centres, places]),
        np.concatenate([drawn.shape_radii, radii]),
        np.concatenate([rows, pad]),
        np.concatenate([slots, pad]),
        np.array(colours, dtype=np.int64)[np.concatenate([np.arange(len(colours)), own])],
        tuple(palette),
        np.concatenate(
            [[skin is BallMaterial.BALLOON for skin in piece_plan.drawn_skins()], np.ones(len(own), dtype=bool)]
        ).astype(bool),
        (pole.radius, pole.bottom, pole.top) if pole else None,
        len(piece_plan.piece.rows),
        bool(piece_plan.assembly.strands) or any(frame.is_flat for _, frame in piece_plan.assembly.frames),
        in_frames,
        np.concatenate([np.arange(len(colours)), own]),
    )


def _frame_places(piece_plan: PiecePlan) -> tuple[Ints, Ints, dict[int, FramePlace], Ints]:
    """Row and slot of each drawn ball, joints and chains of frames being rows after the others; which rows those are.

    Last the links, (l,), among the drawn balls.
    """
    drawn, assembly = piece_plan.drawn, piece_plan.assembly
    rows, slots = drawn.row_of.copy(), drawn.slot_of.copy()
    ball = len(assembly.rows.radii) + sum(len(each.radii) for each in assembly.balls)
    row, links = len(piece_plan.piece.rows), list[int]()
    in_frames: dict[int, FramePlace] = {}
    for place, _ in assembly.frames:
        group = piece_plan.piece.groups[place]
        if not isinstance(group, LinkFrameGroup):
            raise TypeError(group)
        numbers = numbers_of_joints(group)
        for joint, number in numbers.items():
            in_frames[row + joint] = FramePlace(number)
        sizes = [len(joint.balloons) for joint in group.joints]
        for k, chain in enumerate(group.chains, len(sizes)):
            low, high = sorted((numbers[chain.first], numbers[chain.last]))
            in_frames[row + k] = FramePlace(low, high)
        of_links = [chain.links for chain in group.chains]
        for count in (*sizes, *of_links):
            rows[ball : ball + count], slots[ball : ball + count] = row, np.arange(count)
            ball, row = ball + count, row + 1
        links += range(ball - sum(of_links), ball)
    return rows, slots, in_frames, np.array(links, dtype=np.int64)


def _drawn_out(piece_plan: PiecePlan, links: Ints) -> tuple[Ints, Floats, Floats]:
    """Balls that draw out the links to their tips: the ball of the link that each belongs to, centres and radii."""
    bodies = [frame.balls_of_links for _, frame in piece_plan.assembly.frames]
    if not bodies:
        return np.zeros(0, dtype=np.int64), np.zeros((0, 3)), np.zeros(0)
    places, radii = (np.concatenate([each[k] for each in bodies])[:, _OF_LINK] for k in (0, 1))
    return np.repeat(links, len(_OF_LINK)), places.reshape(-1, 3), radii.ravel()
