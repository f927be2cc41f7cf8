"""The plan as a picture to lay over a photograph."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from kakushi.check.expected import POLE, Balls, Window, expected
from kakushi.check.pinhole import Pose
from kakushi.check.subject import Subject
from kakushi.colour.rgb import rgb_of

_POLE_GREY = 140
_RIM_DARK = 0.45
"""How much darker a ball is drawn at its rim, so that one tells them apart."""


def plan_picture(subject: Subject, pose: Pose, width: int, height: int) -> NDArray[np.uint8]:
    """What a camera would see of the plan, RGBA (height, width, 4), nothing where the ground would be."""
    balls = Balls(pose.local(subject.centres), subject.radii)
    pole = None
    if subject.pole is not None:
        radius, low, high = subject.pole
        ends = pose.local(np.array([[0.0, 0.0, low], [0.0, 0.0, high]]))
        pole = (ends[0], ends[1], radius)
    shown = expected(pose, balls, Window(0, 0, width, height), pole)
    colours = np.array([rgb_of(colour.hex) for colour in subject.palette]).reshape(-1, 3)
    picture = np.zeros((height, width, 4), dtype=np.uint8)
    there = shown.identity >= 0
    light = 1 - _RIM_DARK * shown.rim[there] ** 4
    picture[there, :3] = np.rint(colours[subject.colours[shown.identity[there]]] * light[:, None] * 255)
    picture[shown.identity == POLE, :3] = _POLE_GREY
    picture[there | (shown.identity == POLE), 3] = 255
    return picture
