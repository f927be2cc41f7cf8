"""A simulated camera: photographs of balloon pieces in a room or outdoors, for practice and for checking the check.

Rays from a pinhole meet balloons, pole, floor and a wall; light comes from a key light, a fill and the sky, with soft
shadows; skins are glossy and let light through. Then come lens, tint, noise and JPEG. Everything follows from one seed.
Nothing of this is shared with the program's own pictures.
"""

from __future__ import annotations

import io
import math
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from PIL import Image
from scipy.ndimage import gaussian_filter

from kakushi.model.arrays import Floats, Ints
from kakushi.sim.shot import Lens, Shot, Things, lens_of

_SKY_MAPS, _KEY_MAPS = 22, 6
"""Directions that light of the sky and of the key light comes from: enough for shadows without visible steps."""
_MAP_MM, _BIAS_MM = 7.0, 9.0
"""Cell of the shadow maps, mm, and the depth below which nothing is in shadow: more than the slope within a cell."""
_WRAP = 0.22
"""Share by which light wraps into the shadow side of a skin, which is thin and scatters."""
_COARSE = 4
"""Spacing of the pixels at which light on floor and wall is computed; between them it is interpolated."""
_POLE_ALBEDO = (0.42, 0.41, 0.40)
"""Albedo of a bare pole: grey plastic."""


@dataclass(frozen=True, slots=True, eq=False)
class Photograph:
    """A simulated photograph (h, w, 3) and its JPEG; where foot and top of the axis and the balloons are seen.

    `balloons` (n, 3): px right, px down, radius in px.
    """

    pixels: NDArray[np.uint8]
    jpeg: bytes
    foot: tuple[float, float]
    top: tuple[float, float]
    balloons: Floats
    focal_35mm: float


def photograph(things: Things, shot: Shot, seed: int) -> Photograph:
    """Take a photograph. Raises ValueError for a camera among the balloons."""
    chance = np.random.default_rng(seed)
    lens = lens_of(shot)
    if len(things.radii) and float((np.linalg.norm(things.centres - lens.place, axis=1) - things.radii).min()) < 50:
        raise ValueError("the camera stands among the balloons")
    light = _Light(things, shot, chance)
    radiance, identity = _seen(things, lens, shot, light, chance)
    if shot.covered > 0:
        _stand_in_front(radiance, identity >= 0, shot.covered, chance)
    pixels, jpeg = _developed(radiance, shot, chance)
    top_mm = float((things.centres @ things.axis - things.foot @ things.axis + things.radii).max())
    ends = lens.pixels(np.stack([things.foot, things.foot + things.axis * top_mm]))
    seen = lens.pixels(things.centres)
    balloons = np.column_stack([seen[:, :2], things.radii / seen[:, 2] * lens.focal])
    (foot_x, foot_y), (top_x, top_y) = ends[:, :2].tolist()
    return Photograph(pixels, jpeg, (foot_x, foot_y), (top_x, top_y), balloons, shot.focal * 36)


class _Light:
    """Light sources, (k, 3) directions and colours in linear light, and how much of them reaches a point."""

    def __init__(self, things: Things, shot: Shot, chance: np.random.Generator) -> None:
        self._things = things
        side = shot.azimuth + chance.uniform(-1.3, 1.3)
        high = chance.uniform(0.35, 1.0)
        self.key = np.array([math.sin(side) * math.cos(high), -math.cos(side) * math.cos(high), math.sin(high)])
        warm = chance.uniform(-0.12, 0.12)
        self.key_colour = chance.uniform(0.5, 1.3) * np.array([1 + warm, 1.0, 1 - warm])
        self.sky_colour = chance.uniform(0.45, 0.8) * np.array([1 - warm / 2, 1.0, 1 + warm / 2])
        spread = chance.uniform(0.03, 0.08) if shot.outdoors else chance.uniform(0.10, 0.25)
        jitter = self.key + spread * chance.normal(size=(_KEY_MAPS, 3))
        self._key_maps = [_Map(things, each / np.linalg.norm(each)) for each in jitter]
        up = (np.arange(_SKY_MAPS) + 0.5) / _SKY_MAPS * 1.25 - 0.25
        around = np.arange(_SKY_MAPS) * math.pi * (3 - math.sqrt(5)) + chance.uniform(0, 6)
        flat = np.sqrt(1 - up**2)
        self._sky = np.stack([flat * np.cos(around), flat * np.sin(around), up], axis=1)
        # From above most; from below what the floor throws back.
        self._sky_weight = np.clip(0.25 + up, 0.15, None)
        self._sky_maps = [_Map(things, each) for each in self._sky]

    def on(self, points: Floats, normals: Floats, albedo: Floats, wrap: float) -> Floats:
        """Light that points with such normals and colours send back, (k, 3)."""
        facing = np.clip((normals @ self.key + wrap) / (1 + wrap), 0, None)
        lit = np.mean([each.reaches(points)[0] for each in self._key_maps], axis=0)
        # Light that has come through skin is that skin's colour twice.
        through = albedo ** (1 + 0.8 * (1 - np.clip(normals @ self.key, 0, 1)))[:, None]
        light = through * (facing * lit)[:, None] * self.key_colour
        total = 0.0
        sky = np.zeros_like(light)
        for direction, weight, each in zip(self._sky, self._sky_weight, self._sky_maps, strict=True):
            amount = np.clip((normals @ direction + wrap) / (1 + wrap), 0, None) * weight
            free, blocker = each.reaches(points)
            colour = np.ones((len(points), 3))
            there = blocker >= 0
            colour[there] = 0.4 * self._things.albedo[blocker[there]]
            sky += np.where((free > 0)[:, None], 1.0, colour) * amount[:, None]
            total += weight * 0.35
        return np.asarray(light + albedo * sky / total * self.sky_colour)

    def reflected(self, rays: Floats, normals: Floats, gloss: Floats) -> Floats:
        """What glossy skins mirror of the lights, (k, 3); `rays` (k, 3) unit."""
        facing = -(rays * normals).sum(axis=1)
        mirrored = rays + 2 * facing[:, None] * normals
        fresnel = 0.04 + 0.96 * (1 - np.clip(facing, 0, 1)) ** 5
        towards = np.clip(mirrored @ self.key, 0, 1)
        spot = 9.0 * towards**400 + 1.6 * towards**60
        sky = 0.35 + 0.65 * np.clip(mirrored[:, 2], 0, 1)
        return np.asarray(
            (gloss * fresnel)[:, None] * (spot[:, None] * self.key_colour * 3 + 0.5 * sky[:, None] * self.sky_colour)
        )


class _Map:
    """Shadow map: depth of what is nearest to a distant light, in cells across its direction."""

    def __init__(self, things: Things, direction: Floats) -> None:
        self._way = direction
        helper = np.array([0.0, 0.0, 1.0]) if abs(direction[2]) < 0.9 else np.array([1.0, 0.0, 0.0])
        self._u = np.cross(helper, direction)
        self._u /= np.linalg.norm(self._u)
        self._v = np.cross(direction, self._u)
        u, v, w = (things.centres @ axis for axis in (self._u, self._v, direction))
        reach = things.radii
        self._low = np.array([float((u - reach).min()), float((v - reach).min())]) - _MAP_MM
        shape = np.ceil((np.array([(u + reach).max(), (v + reach).max()]) - self._low) / _MAP_MM).astype(int) + 2
        self._high = np.full(tuple(shape), -np.inf)
        self._who = np.full(tuple(shape), -1, dtype=np.int32)
        for index in range(len(reach)):
            self._draw(index, float(u[index]), float(v[index]), float(w[index]), float(reach[index]))

    def _draw(self, index: int, u: float, v: float, w: float, radius: float) -> None:
        first = np.floor((np.array([u, v]) - radius - self._low) / _MAP_MM).astype(int)
        last = np.ceil((np.array([u, v]) + radius - self._low) / _MAP_MM).astype(int) + 1
        x = self._low[0] + (np.arange(first[0], last[0]) + 0.5) * _MAP_MM - u
        y = self._low[1] + (np.arange(first[1], last[1]) + 0.5) * _MAP_MM - v
        inward = radius**2 - x[:, None] ** 2 - y[None] ** 2
        high = np.where(inward > 0, w + np.sqrt(np.maximum(inward, 0)), -np.inf)
        area = np.s_[first[0] : last[0], first[1] : last[1]]
        nearer = high > self._high[area]
        self._high[area][nearer], self._who[area][nearer] = high[nearer], index

    def reaches(self, points: Floats) -> tuple[Floats, Ints]:
        """Whether the light reaches points, (k,) 0 or 1, and who is in the way, (k,), -1 for nobody."""
        cell = [
            np.floor((points @ axis - low) / _MAP_MM).astype(int)
            for axis, low in zip((self._u, self._v), self._low, strict=True)
        ]
        inside = (cell[0] >= 0) & (cell[0] < self._high.shape[0]) & (cell[1] >= 0) & (cell[1] < self._high.shape[1])
        high, who = np.full(len(points), -np.inf), np.full(len(points), -1)
        at = cell[0][inside], cell[1][inside]
        high[inside], who[inside] = self._high[at], self._who[at]
        blocked = high > points @ self._way + _BIAS_MM
        return (~blocked).astype(float), np.where(blocked, who, -1)


def _seen(
    things: Things, lens: Lens, shot: Shot, light: _Light, chance: np.random.Generator
) -> tuple[Floats, NDArray[np.int32]]:
    """Light that reaches the pixels (h, w, 3), and which balloon they show, -1 for none."""
    rays = lens.rays(shot.size)
    squares = (rays**2).sum(axis=-1)
    height, width = squares.shape
    along = np.full((height, width), np.inf)
    who = np.full((height, width), -1, dtype=np.int32)
    seen = lens.pixels(things.centres)
    for index, (x, y, ahead) in enumerate(seen.tolist()):
        radius = float(things.radii[index])
        if ahead <= radius:
            continue
        reach = 1.25 * radius / (ahead - radius * 0.5) * lens.focal + 3
        x0, x1 = max(int(x - reach), 0), min(int(x + reach) + 1, width)
        y0, y1 = max(int(y - reach), 0), min(int(y + reach) + 1, height)
        if x0 >= x1 or y0 >= y1:
            continue
        area = np.s_[y0:y1, x0:x1]
        centre = things.centres[index] - lens.place
        middle = rays[area] @ centre
        inward = middle**2 - squares[area] * (centre @ centre - radius**2)
        distance = (middle - np.sqrt(np.maximum(inward, 0))) / squares[area]
        nearer = (inward > 0) & (distance < along[area])
        along[area][nearer], who[area][nearer] = distance[nearer], index
    pole = _pole_distance(things, lens, rays)
    on_pole = pole < along
    along = np.minimum(along, pole)
    who[on_pole] = -2
    radiance = _surroundings(things, lens, shot, rays, light, chance)
    hit = who >= 0
    points = lens.place + rays[hit] * along[hit][:, None]
    balloon = who[hit]
    normals = (points - things.centres[balloon]) / things.radii[balloon][:, None]
    unit = rays[hit] / np.sqrt(squares[hit])[:, None]
    radiance[hit] = light.on(points, normals, things.albedo[balloon], _WRAP)
    radiance[hit] += light.reflected(unit, normals, things.gloss[balloon])
    if on_pole.any():
        points = lens.place + rays[on_pole] * along[on_pole][:, None]
        away = points - things.foot
        normals = away - (away @ things.axis)[:, None] * things.axis
        normals /= np.maximum(np.linalg.norm(normals, axis=1), 1e-9)[:, None]
        radiance[on_pole] = light.on(points, normals, np.tile(_POLE_ALBEDO, (len(points), 1)), 0.0)
    return radiance, who


def _pole_distance(things: Things, lens: Lens, rays: Floats) -> Floats:
    """How far along the rays the pole is met, (h, w), inf where it is not."""
    if things.pole is None:
        return np.full(rays.shape[:2], np.inf)
    radius, top = things.pole
    start = lens.place - things.foot
    across = start - (start @ things.axis) * things.axis
    up = rays @ things.axis
    flat = rays - up[..., None] * things.axis
    a, b, c = (flat**2).sum(axis=-1), flat @ across, across @ across - radius**2
    inward = b**2 - a * c
    distance = (-b - np.sqrt(np.maximum(inward, 0))) / np.maximum(a, 1e-12)
    high = start @ things.axis + distance * up
    return np.where((inward > 0) & (distance > 0) & (high > 0) & (high < top), distance, np.inf)


def _surroundings(
    things: Things, lens: Lens, shot: Shot, rays: Floats, light: _Light, chance: np.random.Generator
) -> Floats:
    """Floor, wall and clutter, (h, w, 3)."""
    c, s = math.cos(shot.azimuth), math.sin(shot.azimuth)
    ahead = rays[..., 1] * c - rays[..., 0] * s
    wall = chance.uniform(6000, 15000) if shot.outdoors else chance.uniform(700, 3000)
    to_wall = np.where(ahead > 1e-6, (shot.distance_mm + wall) / np.maximum(ahead, 1e-6), np.inf)
    to_floor = np.where(rays[..., 2] < -1e-6, -shot.eye_mm / np.minimum(rays[..., 2], -1e-6), np.inf)
    on_floor = to_floor < to_wall
    distance = np.minimum(to_wall, to_floor)
    distance = np.where(np.isfinite(distance), distance, 1e5)
    points = lens.place + rays * distance[..., None]
    u = points[..., 0] * c + points[..., 1] * s
    far = points[..., 1] * c - points[..., 0] * s
    z = points[..., 2]
    # Walls have seams, a skirting and a grain of their own; outdoors the far wall is a row of houses.
    colour = np.empty(rays.shape)
    base = chance.uniform(0.25, 0.75) * (1 + 0.15 * chance.normal(size=3))
    ground = chance.uniform(0.12, 0.5) * (1 + 0.12 * chance.normal(size=3))
    colour[:] = np.where(on_floor[..., None], ground, base)
    every = chance.uniform(500, 1400) * (3 if shot.outdoors else 1)
    offset = chance.uniform(0, every)
    seam = (np.abs((u + offset) % every - every / 2) < 6 * (3 if shot.outdoors else 1)) & ~on_floor
    colour[seam] *= 0.6
    planks = (np.abs((u + offset) % 140) < 3) & on_floor
    colour[planks] *= 0.7
    colour[(z < 90) & ~on_floor] *= 1.3
    own = np.unique(things.albedo, axis=0)
    for _ in range(int(9 * shot.clutter)):
        _put_thing(colour, u, z, on_floor, own, chance, wall)
    colour *= 1 + 0.05 * _grain(shot.size, chance)[..., None]
    if shot.outdoors:
        sky = (z > chance.uniform(3500, 9000)) & ~on_floor
        colour[sky] = np.array([0.55, 0.65, 0.8])
    # Light changes slowly over floor and wall: every few pixels are enough.
    every_px = np.s_[::_COARSE, ::_COARSE]
    few, is_floor = points[every_px], on_floor[every_px]
    normals = np.where(is_floor[..., None], [0.0, 0.0, 1.0], [s, -c, 0.0]).reshape(-1, 3)
    near = (np.abs(u[every_px]) < 2500).ravel() & (np.abs(far[every_px]) < 4000).ravel()
    lit = np.empty((near.size, 3))
    lit[:] = light.sky_colour + 0.4 * light.key_colour
    lit[near] = light.on(few.reshape(-1, 3)[near], normals[near], np.ones((int(near.sum()), 3)), 0.0)
    whole = np.repeat(np.repeat(lit.reshape(few.shape), _COARSE, axis=0), _COARSE, axis=1)
    soft = gaussian_filter(whole[: rays.shape[0], : rays.shape[1]], (_COARSE / 2, _COARSE / 2, 0))
    return np.asarray(np.clip(colour, 0.02, 0.9) * soft)


def _put_thing(
    colour: Floats,
    u: Floats,
    z: Floats,
    on_floor: NDArray[np.bool_],
    own: Floats,
    chance: np.random.Generator,
    wall: float,
) -> None:
    """A picture, a door, a lamp or a box on the wall, now and then in one of the piece's own colours."""
    scale = 1 + wall / 4000
    middle, wide = chance.uniform(-2200, 2200) * scale, chance.uniform(80, 700) * scale
    low, tall = chance.uniform(0, 1800) * scale, chance.uniform(100, 1500) * scale
    paint = own[chance.integers(len(own))] if chance.random() < 0.35 else chance.uniform(0.05, 0.85, 3)
    match chance.integers(3):
        case 0:
            inside = (np.abs(u - middle) < wide / 2) & (np.abs(z - low - tall / 2) < tall / 2)
        case 1:
            inside = ((u - middle) / wide * 2) ** 2 + ((z - low) / wide * 2) ** 2 < 1
        case _:
            # A door or a shelf: it stands on the floor.
            inside = (np.abs(u - middle) < wide / 2) & (z < 2000 * scale)
    inside &= ~on_floor
    colour[inside] = paint
    if chance.random() < 0.5:
        stripes = inside & ((z % 160) < 30)
        colour[stripes] *= 0.7


def _grain(size: tuple[int, int], chance: np.random.Generator) -> Floats:
    shape = size[1], size[0]
    fine, coarse = chance.normal(size=shape), chance.normal(size=shape)
    coarse = gaussian_filter(coarse, 12)
    return np.asarray(0.5 * fine + coarse / max(float(coarse.std()), 1e-9))


def _stand_in_front(radiance: Floats, piece: NDArray[np.bool_], covered: float, chance: np.random.Generator) -> None:
    """Somebody in dark or bright clothes before that share of the piece's pixels, from one side."""
    lines, columns = np.nonzero(piece)
    if not len(lines):
        return
    wide, tall = int(np.ptp(columns)) + 1, int(np.ptp(lines)) + 1
    side = chance.choice([-1, 1])
    y, x = np.mgrid[: piece.shape[0], : piece.shape[1]]
    middle_y = int(lines.min()) + tall * chance.uniform(0.6, 0.8)
    size = tall * chance.uniform(0.20, 0.34)
    edge = int(columns.min()) if side < 0 else int(columns.max())
    blob = np.zeros_like(piece)
    for inward in np.linspace(-0.5, 1.0, 61):
        middle_x = edge - side * inward * wide
        body = ((x - middle_x) / (size * 0.45)) ** 2 + ((y - middle_y) / size) ** 4 < 1
        head = ((x - middle_x) / (size * 0.20)) ** 2 + ((y - middle_y + size * 1.15) / (size * 0.26)) ** 2 < 1
        blob = body | head
        if (blob & piece).sum() >= covered * piece.sum():
            break
    cloth = chance.uniform(0.03, 0.5, 3)
    shading = 1 + 0.35 * np.sin((x - middle_x) / size * 4 + chance.uniform(0, 6)) * np.cos((y - middle_y) / size * 5)
    level = float(np.median(radiance[piece].mean(axis=1)))
    radiance[body] = (cloth * shading[..., None])[body] * level * 2
    radiance[head] = (np.array([0.5, 0.33, 0.25]) * shading[..., None])[head] * level * 2


def _developed(radiance: Floats, shot: Shot, chance: np.random.Generator) -> tuple[NDArray[np.uint8], bytes]:
    """Lens blur, exposure, tint, noise, the tone curve and JPEG."""
    height, width = radiance.shape[:2]
    tint = np.exp(shot.tint * chance.normal(size=3) * np.array([0.11, 0.03, 0.13]))
    exposure = chance.uniform(0.55, 0.85) / max(float(np.quantile(radiance, 0.93)), 1e-6)
    y, x = np.mgrid[:height, :width]
    away = ((x - width / 2) ** 2 + (y - height / 2) ** 2) / (width**2 + height**2) * 4
    linear = radiance * exposure * tint * (1 - 0.18 * away)[..., None]
    blur = chance.uniform(0.55, 1.0) * max(width, height) / 1200
    linear = np.stack([gaussian_filter(linear[..., channel], blur) for channel in range(3)], axis=-1)
    linear += chance.normal(size=linear.shape) * np.sqrt(chance.uniform(0.5, 2.0) * 4e-4 * np.maximum(linear, 0) + 1e-5)
    shown = np.clip(linear, 0, 1)
    encoded = np.where(shown <= 0.0031308, 12.92 * shown, 1.055 * shown ** (1 / 2.4) - 0.055)
    curve = chance.uniform(0.0, 0.25)
    encoded = (1 - curve) * encoded + curve * (3 * encoded**2 - 2 * encoded**3)
    image = Image.fromarray(np.rint(encoded * 255).astype(np.uint8))
    buffer = io.BytesIO()
    image.save(buffer, "JPEG", quality=shot.quality)
    return np.asarray(Image.open(io.BytesIO(buffer.getvalue())).convert("RGB")), buffer.getvalue()
