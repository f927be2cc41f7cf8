"""Photographs for practice: a planned piece as somebody built it, with faults, before the simulated camera."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from kakushi.check.model_spheres import ModelSpheres
from kakushi.check.pose import AWAY_PER_WIDTH
from kakushi.colour.lab import differences
from kakushi.model.errors import BadInput
from kakushi.sight.expected import Balls, Window, expected
from kakushi.sight.pinhole import Ends, pose_of_ends
from kakushi.sim.camera import Photograph, photograph
from kakushi.sim.shot import Shot, Things, leaned

KINDS = ("colour", "swap", "missing", "size")
"""Faults of single balloons."""
ROW_KINDS = ("gap", "turned", "sides")
"""Faults of rows: pushed apart, turned by one place, pushed aside together with the next."""
_GAP, _ASIDE = 0.45, 0.2
"""Gap made between two rows, in rises of a row, and shift made aside, in widths of the row."""
_PLACE_MM, _SIZE = 3.0, 0.015
"""Standard deviations of good work: place of a balloon, mm, and size, as a share of it."""
_NEAREST_TALL_MM = 900.0
"""Height, mm, below which a piece is photographed from no nearer than one of this height."""
_PICTURE = (900, 1200)
"""Width and height of a simulated photograph, px."""
_WELL_SEEN = 0.55
"""Share of its disc that must show of a balloon that a fault is put on: it is to be found by looking."""
_PLAIN_DIFFERENCE = 20.0
"""ΔE00 from which everybody calls two colours different."""
_GLOSS = {"matte": 0.2, "metallic": 2.0, "mirror": 4.0, "pearl": 1.2}
"""Reflections of each finish, relative to a plain balloon."""


@dataclass(frozen=True, slots=True)
class Made:
    """A fault that was made: kind, row and slot from 0; `colour`: the key used; `size`: as a multiple of the planned.

    The slot is -1 for faults of rows.
    """

    kind: str
    row: int
    slot: int
    colour: str = ""
    size: float = 1.0


@dataclass(frozen=True, slots=True, eq=False)
class Practice:
    """A simulated photograph, how it was taken, its faults, and what is visible: (row, slot, share of the disc)."""

    photograph: Photograph
    shot: Shot
    made: tuple[Made, ...]
    lean: float
    seen: tuple[tuple[int, int, float], ...]


def usual_shot(
    model: ModelSpheres, azimuth: float, chance: np.random.Generator, size: tuple[int, int] | None = None
) -> Shot:
    """Draw a camera position as used by somebody who wants the piece to fill the picture.

    `size`: width and height, px; None: upright, or across for a piece that is wider than tall.
    """
    tall, wide = model.top_mm, model.wide_mm if model.is_bent else 0.0
    size = size or (_PICTURE[::-1] if wide > tall else _PICTURE)
    away = max(tall, wide * AWAY_PER_WIDTH, _NEAREST_TALL_MM)
    distance, eye = float(chance.uniform(1.5, 4.0) * away), float(chance.uniform(800, 1800))
    fill = chance.uniform(0.68, 0.88)
    # As tall as the picture would have to be for all of its width to be in it.
    focal = fill * math.hypot(distance, eye - tall / 2) / max(tall, wide * size[1] / size[0], 1.0)
    return Shot(
        azimuth=azimuth,
        distance_mm=distance,
        eye_mm=eye,
        roll=math.radians(chance.normal(0, 1.2)),
        focal=float(np.clip(focal * size[1] / max(size), 0.4, 4.0)),
        aim=(float(chance.normal(0, 0.04) * tall), tall / 2 + float(chance.normal(0, 0.02) * tall)),
        size=size,
        outdoors=bool(chance.random() < 0.4),
        quality=int(chance.integers(72, 95)),
        distortion=float(chance.normal(0, 0.015)),
    )


def practise(model: ModelSpheres, shot: Shot, seed: int, faults: Sequence[str] = (), lean: float = 0.0) -> Practice:
    """Build the piece with small errors and the wished kinds of faults, and take its photograph.

    `lean` to the right, radians. Raises BadInput for more faults than well-seen balloons have room for.
    """
    chance = np.random.default_rng(seed)
    seen = well_seen(model, shot)
    order = [int(i) for i in chance.permutation(np.flatnonzero((seen >= _WELL_SEEN) & (model.rows >= 0)))]
    whole = model.whole
    centres = model.centres + chance.normal(0, _PLACE_MM, model.centres.shape)[whole]
    radii = model.radii * (1 + chance.normal(0, _SIZE, len(model)))[whole]
    as_meant, colours, kept = radii.copy(), model.colours.copy(), np.ones(len(model), dtype=bool)
    made: list[Made] = []
    for kind in faults:
        if kind in ROW_KINDS:
            made += _make_of_row(kind, model, shot, (centres, colours), chance)
            continue
        if not order:
            raise BadInput(f"So many faults do not fit: only {len(made)} were made.")
        index = order.pop()
        made += _make(kind, index, order, model, (centres, radii, colours, kept), chance)
    colours, kept, radii = colours[whole], kept[whole], as_meant * (radii / as_meant)[whole]
    gloss = np.array([_GLOSS.get(model.palette[k].finish.value, 1.0) for k in colours])
    pole = (model.pole[0], model.pole[2]) if model.pole else None
    things = Things(centres[kept], radii[kept], model.albedo[colours[kept]], gloss[kept], pole)
    if lean:
        things = leaned(things, lean, shot)
    shares = [(int(model.rows[i]), int(model.slots[i]), float(seen[i])) for i in range(len(model)) if seen[i] > 0]
    return Practice(photograph(things, shot, seed + 1), shot, tuple(made), lean, tuple(shares))


def well_seen(model: ModelSpheres, shot: Shot) -> np.ndarray:
    """Share of each ball's disc that the camera sees, (n,) 0 to 1."""
    ends = Ends((0.0, 400.0), (0.0, -400.0), 0.0, model.top_mm)
    pose = pose_of_ends(shot.azimuth, shot.distance_mm, shot.eye_mm, ends, (0.0, 0.0))
    if pose is None:
        return np.zeros(len(model))
    balls = Balls(pose.local(model.centres), model.radii)
    shown = expected(pose, balls, Window(-500, -500, 1000, 1000))
    return np.asarray(shown.shares(pose.circles(balls.local, balls.radii)))


def _make(
    kind: str,
    index: int,
    order: list[int],
    model: ModelSpheres,
    built: tuple[np.ndarray, np.ndarray, np.ndarray, np.ndarray],
    chance: np.random.Generator,
) -> list[Made]:
    """Make one fault in `built`: centres, radii, colours and which balloons are there, changed in place."""
    centres, radii, colours, kept = built
    row, slot = int(model.rows[index]), int(model.slots[index])
    match kind:
        case "colour":
            others = [k for k in range(len(model.palette)) if _differ(model, k, int(colours[index]))]
            if not others:
                return []
            colours[index] = int(chance.choice(others))
            return [Made("colour", row, slot, model.palette[int(colours[index])].key)]
        case "swap":
            others = [i for i in order if _differ(model, int(colours[i]), int(colours[index]))]
            if not others:
                return []
            other = min(others, key=lambda i: float(np.linalg.norm(centres[i] - centres[index])))
            order.remove(other)
            colours[index], colours[other] = colours[other], colours[index]
            return [
                Made("colour", int(model.rows[i]), int(model.slots[i]), model.palette[int(colours[i])].key)
                for i in (index, other)
            ]
        case "missing":
            kept[index] = False
            return [Made("missing", row, slot)]
        case "size":
            factor = 0.67 if chance.random() < 0.5 else 1.33
            # It hangs on the same neck: its foot stays where it was.
            centres[index, :2] *= 1 + (factor - 1) * radii[index] / max(float(np.hypot(*centres[index, :2])), 1.0)
            radii[index] *= factor
            return [Made("size", row, slot, size=factor)]
        case _:
            raise BadInput(f"There is no fault “{kind[:40]}”: {', '.join((*KINDS, *ROW_KINDS))}.")


def _make_of_row(
    kind: str, model: ModelSpheres, shot: Shot, built: tuple[np.ndarray, np.ndarray], chance: np.random.Generator
) -> list[Made]:
    """Make a fault of a whole row in `built`: centres and colours, changed in place."""
    centres, colours = built
    heights = [float(model.centres[model.rows == row, 2].mean()) for row in range(model.row_count)]
    if len(heights) < 4:
        return []
    row = int(chance.integers(1, len(heights) - 1))
    match kind:
        case "gap":
            above = model.centres[:, 2] > (heights[row - 1] + heights[row]) / 2
            above &= (model.rows >= row) | (model.rows < 0)
            centres[above, 2] += _GAP * (heights[row] - heights[row - 1])
        case "turned":
            in_row = np.flatnonzero(model.rows == row)
            in_row = in_row[np.argsort(model.slots[in_row])]
            turned = np.roll(colours[in_row], 1)
            if (turned == colours[in_row]).all():
                return []
            colours[in_row] = turned
        case "sides":
            in_row = (model.rows == row) | (model.rows == row + 1)
            wide = float(2 * (np.hypot(*model.centres[in_row, :2].T) + model.radii[in_row]).max())
            aside = _ASIDE * wide * chance.choice([-1, 1])
            centres[in_row, :2] += aside * np.array([math.cos(shot.azimuth), math.sin(shot.azimuth)])
    return [Made(kind, row, -1)]


def _differ(model: ModelSpheres, one: int, other: int) -> bool:
    apart = differences((model.palette[one].hex, model.palette[other].hex))
    return bool(apart[0, 1] >= _PLAIN_DIFFERENCE)
