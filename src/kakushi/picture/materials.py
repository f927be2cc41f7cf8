"""How each finish takes the light of a small studio, tabled over the direction in which a bit of skin faces.

The studio: a window to the upper left in front, soft light from all above, a pale floor. Since the light stands still
and the viewer is far off, what a bit of skin shows depends on its normal alone (x right, y up, z to the viewer), so
that light, saturation and reflections are looked up.
"""

from __future__ import annotations

from dataclasses import dataclass
from functools import lru_cache

import numpy as np
from numpy.typing import NDArray

from kakushi.model.catalogue import Finish

GRID = 256
"""Entries across: on a balloon of 500 pixels each is two pixels wide."""
LEVELS = 24
"""Steps of saturation."""
MOST_GAMMA = 2.2
"""Of the last level: light that has come through the skin twice."""

_KEY = np.array([-0.42, 0.58, 0.70]) / np.linalg.norm([-0.42, 0.58, 0.70])
_WINDOW = np.array([-0.50, 0.56, 0.66]) / np.linalg.norm([-0.50, 0.56, 0.66])
_FLOOR = np.array([0.25, -0.80, 0.55]) / np.linalg.norm([0.25, -0.80, 0.55])
"""Directions of the key light, of the window that glossy balloons mirror, and of light from the floor."""

Table = NDArray[np.float32]


@dataclass(frozen=True, slots=True)
class _Look:
    """What a finish does with the light, each about 0 to 1.

    `contrast` of light and shadow; `glow` through the skin at rim and shadow; `window` and `spot` reflected; `floor`;
    `sheen` at the rim; `haze`: a broad veil as of pearl; `mirror`: how much of the studio the skin shows in its own
    colour; `opacity`.
    """

    contrast: float = 1.0
    glow: float = 1.0
    window: float = 0.42
    spot: float = 0.45
    floor: float = 0.10
    sheen: float = 0.22
    haze: float = 0.0
    mirror: float = 0.0
    opacity: float = 1.0


LOOKS = {
    Finish.PLAIN: _Look(),
    Finish.PEARL: _Look(contrast=0.75, glow=0.6, window=0.22, spot=0.12, floor=0.08, sheen=0.34, haze=0.34),
    Finish.METALLIC: _Look(contrast=1.2, glow=0.4, window=0.60, spot=0.5, floor=0.16, sheen=0.2, mirror=0.55),
    Finish.MIRROR: _Look(contrast=0.6, glow=0.2, window=0.85, spot=0.7, floor=0.25, sheen=0.3, mirror=1.0),
    Finish.MATTE: _Look(contrast=0.85, glow=0.8, window=0.05, spot=0.0, floor=0.02, sheen=0.06),
    Finish.CLEAR: _Look(contrast=0.5, glow=0.3, window=0.60, spot=0.6, floor=0.2, sheen=0.5, opacity=0.40),
    Finish.PRINTED: _Look(),
    Finish.STARS: _Look(),
    Finish.CONFETTI: _Look(contrast=0.5, glow=0.3, window=0.60, spot=0.6, floor=0.2, sheen=0.5, opacity=0.28),
}
"""How each finish answers the light; chosen by eye beside balloons."""
FINISHES = tuple(LOOKS)
POLE_LOOK = _Look(contrast=1.1, glow=0.0, window=0.25, spot=0.1, sheen=0.1)
"""How a pole answers the light."""


@dataclass(frozen=True, slots=True, eq=False)
class Tables:
    """Of every finish, the pole last, flattened (finishes, GRID · GRID).

    `gain` times the balloon's own colour at saturation `level`, then `white` of the way to white.
    """

    gain: Table
    level: Table
    white: Table
    opacity: NDArray[np.float32]


@lru_cache(maxsize=1)
def tables() -> Tables:
    """The tables, made once: some 3 MB."""
    looks = [*LOOKS.values(), POLE_LOOK]
    made = [_made(look) for look in looks]
    return Tables(
        np.array([gain.ravel() for gain, _, _ in made], dtype=np.float32),
        np.array([level.ravel() for _, level, _ in made], dtype=np.float32),
        np.array([white.ravel() for _, _, white in made], dtype=np.float32),
        np.array([look.opacity for look in looks], dtype=np.float32),
    )


def index_of(nx: NDArray[np.float32], ny: NDArray[np.float32]) -> NDArray[np.int32]:
    """Index into the tables of normals with components `nx` and `ny` (−1 to 1), any one shape."""
    half = np.float32((GRID - 1) / 2)
    column = ((nx + 1) * half + np.float32(0.5)).astype(np.int32)
    line = ((1 - ny) * half + np.float32(0.5)).astype(np.int32)
    line *= np.int32(GRID)
    line += column
    return np.asarray(np.clip(line, 0, GRID * GRID - 1, out=line))


def _made(look: _Look) -> tuple[NDArray[np.float64], NDArray[np.float64], NDArray[np.float64]]:
    axis = np.linspace(-1, 1, GRID)
    nx, ny = np.meshgrid(axis, -axis)
    # Beyond the rim as at the rim: rims are drawn half a pixel wider than they are.
    out = np.maximum(np.hypot(nx, ny), 1e-9)
    scale = np.minimum(1.0, 0.9999 / out)
    nx, ny = nx * scale, ny * scale
    nz = np.sqrt(np.maximum(1 - nx**2 - ny**2, 0.0))
    facing = nx * _KEY[0] + ny * _KEY[1] + nz * _KEY[2]
    wrapped = _smooth(np.clip((facing + 0.50) / 1.42, 0.0, 1.0))
    bounce = np.clip(-ny, 0, 1) * (1 - wrapped)
    gain = 1 + look.contrast * (0.62 * (wrapped - 0.90) - 0.16 * (1 - nz) ** 2) + 0.12 * bounce
    # What is lit shows its own colour; at the rim and in the shade light has come through the skin and is saturated.
    glow = look.glow * (0.55 * (1 - wrapped) + 0.55 * (1 - nz) ** 2)
    # Reflected towards the viewer.
    r = np.stack([2 * nz * nx, 2 * nz * ny, 2 * nz**2 - 1], axis=-1)
    window = _pane(r)
    spot = np.clip(r @ _KEY, 0, 1) ** 220
    floor = _smooth(np.clip((r @ _FLOOR - 0.72) / 0.28, 0, 1))
    sheen = (1 - nz) ** 4 * (0.65 + 0.35 * ny)
    haze = np.clip(r @ _WINDOW, 0, 1) ** 3
    white = (
        look.window * window + look.spot * spot + look.floor * floor + look.sheen * sheen + look.haze * 0.6 * haze
    )  # fmt: skip
    if look.mirror:
        # The studio in the skin's own colour: bright above, a dark horizon, a paler floor.
        sky = _smooth(np.clip(0.45 + r[..., 1] * 0.9, 0, 1))
        ground = _smooth(np.clip(-r[..., 1] * 1.4 - 0.1, 0, 1))
        shown = 0.50 + 0.62 * sky + 0.30 * ground
        gain = (1 - look.mirror) * gain + look.mirror * shown
    return gain, np.clip(glow, 0, 1) * (LEVELS - 1) / 1.2, np.clip(white, 0, 0.92)


def _pane(r: NDArray[np.float64]) -> NDArray[np.float64]:
    """A soft window of four panes seen in the direction r."""
    right = np.cross(np.array([0.0, 1.0, 0.0]), _WINDOW)
    right /= np.linalg.norm(right)
    up = np.cross(_WINDOW, right)
    ahead = r @ _WINDOW
    u, v = r @ right / np.maximum(ahead, 0.2), r @ up / np.maximum(ahead, 0.2)
    edge = 0.10
    inside = _smooth(np.clip((0.26 - np.abs(u)) / edge + 0.5, 0, 1)) * _smooth(
        np.clip((0.34 - np.abs(v)) / edge + 0.5, 0, 1)
    )
    bars = (1 - 0.45 * np.exp(-((u / 0.03) ** 2))) * (1 - 0.45 * np.exp(-((v / 0.03) ** 2)))
    return np.where(ahead > 0, inside * bars * (0.75 + 0.5 * np.clip(v, -0.5, 0.5)), 0.0)


def _smooth(x: NDArray[np.float64]) -> NDArray[np.float64]:
    return np.asarray(x * x * (3 - 2 * x))
