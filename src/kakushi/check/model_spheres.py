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

_SLIM = 0.5
"""Width over height up to which a piece is slim."""


@dataclass(frozen=True, slots=True, eq=False)
class ModelSpheres:
    """Spheres of a piece as planned: centres (n, 3) and swollen radii (n,), mm.

    `rows`, `slots` (n,) from 0, -1 for what is in no row; `colours` (n,) index in `palette`; `is_balloon` (n,): of the
    others only the place is known. `pole`: radius, bottom and top, mm. `middle_row`: how many rows there are.
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

    def __len__(self) -> int:
        return len(self.radii)

    @property
    def top_mm(self) -> float:
        """The highest point of any ball."""
        return float((self.centres[:, 2] + self.radii).max(initial=100.0))

    @property
    def is_slim(self) -> bool:
        """Whether it is a column rather than an arch, a ring or a wave: judged by its rows' balloons."""
        in_rows = self.centres[self.rows >= 0]
        return not len(in_rows) or float(np.ptp(in_rows[:, 0])) <= _SLIM * self.top_mm

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
    )
