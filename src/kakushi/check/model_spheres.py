"""The plan of a piece as spheres: what a photograph of it should show."""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from kakushi.colour.lab import linear_light
from kakushi.colour.rgb import rgb_of
from kakushi.dress.kind import BallMaterial
from kakushi.model.arrays import Floats, Ints
from kakushi.model.catalogue import BalloonColour
from kakushi.model.job import Job
from kakushi.picture.scene import pole_of
from kakushi.plan.values import PiecePlan

_PRESSES, _FAR_ROWS = 0.08, 4
"""Overlap of two balls, over the sum of their radii, from which one gives way to the other; rows from which they are no
neighbours."""


@dataclass(frozen=True, slots=True, eq=False)
class ModelSpheres:
    """Spheres of a piece as planned: centres (n, 3) and swollen radii (n,), mm.

    `rows`, `slots` (n,) from 0, -1 for what is in no row; `colours` (n,) index in `palette`; `is_balloon` (n,): of the
    others only the place is known. `pole`: radius, bottom and top, mm. `row_count`: how many rows there are.
    `is_bent`: rows lie along a path.
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
    is_bent: bool = False

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

    def only(self, kept: NDArray[np.bool_]) -> ModelSpheres:
        """Keep some of the spheres, (n,) bool."""
        return replace(
            self,
            centres=self.centres[kept],
            radii=self.radii[kept],
            rows=self.rows[kept],
            slots=self.slots[kept],
            colours=self.colours[kept],
            is_balloon=self.is_balloon[kept],
        )

    def up_to_row(self, rows: int) -> ModelSpheres:
        """The piece half built: only the first `rows` rows, and no parts."""
        built = self.only((self.rows >= 0) & (self.rows < rows))
        return replace(built, row_count=min(rows, self.row_count))

    def without_topper(self) -> ModelSpheres:
        """The piece before anything is put on top: no part whose centre is above the top row."""
        top = float(self.centres[self.rows >= 0, 2].max(initial=0.0))
        return self.only((self.rows >= 0) | (self.centres[:, 2] <= top))

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
    return ModelSpheres(
        drawn.centres,
        drawn.shape_radii,
        drawn.row_of,
        drawn.slot_of,
        np.array(colours, dtype=np.int64),
        tuple(palette),
        np.array([skin is BallMaterial.BALLOON for skin in piece_plan.drawn_skins()], dtype=bool),
        (pole.radius, pole.bottom, pole.top) if pole else None,
        len(piece_plan.piece.rows),
        bool(piece_plan.assembly.strands),
    )
