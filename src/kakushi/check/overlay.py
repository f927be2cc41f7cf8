"""The plan as a picture to lay over a photograph."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from kakushi.check.model_spheres import ModelSpheres
from kakushi.colour.rgb import rgb_of
from kakushi.sight.expected import POLE, Balls, Window, expected
from kakushi.sight.pinhole import Pose

_POLE_GREY = 140
"""Grey of the pole, 0 to 255: neither the light nor the dark of balloons."""
_RIM_DARK = 0.45
"""How much darker a ball is drawn at its rim, so that one tells them apart."""


def plan_picture(model: ModelSpheres, pose: Pose, width: int, height: int) -> NDArray[np.uint8]:
    """What a camera would see of the plan, RGBA (height, width, 4), nothing where the ground would be."""
    balls = Balls(pose.local(model.centres), model.radii)
    pole = None
    if model.pole is not None:
        radius, low, high = model.pole
        ends = pose.local(np.array([[0.0, 0.0, low], [0.0, 0.0, high]]))
        pole = (ends[0], ends[1], radius)
    shown = expected(pose, balls, Window(0, 0, width, height), pole)
    colours = np.array([rgb_of(colour.hex) for colour in model.palette]).reshape(-1, 3)
    picture = np.zeros((height, width, 4), dtype=np.uint8)
    there = shown.identity >= 0
    light = 1 - _RIM_DARK * shown.rim[there] ** 4
    picture[there, :3] = np.rint(colours[model.colours[shown.identity[there]]] * light[:, None] * 255)
    picture[shown.identity == POLE, :3] = _POLE_GREY
    picture[there | (shown.identity == POLE), 3] = 255
    return picture
