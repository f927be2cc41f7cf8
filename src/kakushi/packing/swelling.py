"""Air is kept: a balloon pressed flat by its neighbours swells elsewhere until its volume is back.

Two spheres that overlap meet in a plane (their radical plane), so a balloon's shape is its sphere cut by the planes
of its neighbours. The radius of the spheres is raised until what the planes leave has the volume of the whole balloon.
A pole does not cut: a skin folds round it.
"""

from __future__ import annotations

import numpy as np

from kakushi.model.arrays import Floats, Ints

# Rings of directions and directions a ring over which a balloon's volume is summed: to a thousandth of its radius.
_RINGS, _AROUND = 10, 16
# Rounds at most; each brings the volume nearer by a factor of about four.
_ROUNDS = 14
# Of the radius: what no hand measures.
_TOLERANCE = 2e-4
NEAR = 1.15
"""Distance, as a multiple of the sum of radii, within which balloons may touch once they have swollen."""
# Of the radius: more was never seen settled; it bounds what a balloon in a vice can swell.
_MOST = 1.35
# Share of a skin: less is never left free, and a step must stay bounded.
_LEAST_FREE = 0.2
# Of a right angle: a plane seen from so far aside cuts nothing.
_ASIDE = 1e-6


def swollen_radii(centres: Floats, radii: Floats, pairs: Ints, alike: Ints | None = None) -> Floats:
    """Radii of the swollen spheres, (n,) mm, of balloons at `centres` (n, 3) with sized `radii` (n,), mm.

    `pairs` (p, 2): every two balloons that may touch. `alike` (n,): numbers from 0 of classes of balloons that lie
    alike by symmetry, one of each is worked out. Round the vertical axis and in a mirror the answer is the same.
    """
    neighbour, apart = _neighbours(centres, radii, pairs)
    if neighbour.shape[1] == 0:
        return radii.copy()
    every = np.arange(len(radii))
    first, back = (every, every) if alike is None else np.unique(alike, return_index=True, return_inverse=True)[1:]
    neighbour, apart = neighbour[first], apart[first]
    nearness = _nearness(centres, centres[first], neighbour)
    wanted, own = radii[first] ** 3, radii[first]
    swollen = own
    for _ in range(_ROUNDS):
        others = swollen[back][neighbour]
        planes = np.where(neighbour >= 0, (apart**2 + swollen[:, None] ** 2 - others**2) / (2 * apart), np.inf)
        # How far the shape reaches in every direction: to the nearest plane, or to the sphere.
        sphere = swollen[:, None].astype(np.float32)
        reach = np.minimum((nearness * planes[:, None, :].astype(np.float32)).min(axis=2), sphere)
        free = np.maximum((reach >= sphere).mean(axis=1), _LEAST_FREE)
        volume = (np.maximum(reach, 0.0) ** 3).mean(axis=1, dtype=np.float64)
        grown = np.clip(swollen + (wanted - volume) / (3 * swollen**2 * free), own, _MOST * own)
        change = float((np.abs(grown - swollen) / own).max())
        swollen = grown
        if change < _TOLERANCE:
            break
    return np.asarray(swollen[back])


def _neighbours(centres: Floats, radii: Floats, pairs: Ints) -> tuple[Ints, Floats]:
    """Neighbours of every balloon that it may touch, (n, k), -1 where it has fewer, and their distances (n, k), mm."""
    apart = np.linalg.norm(centres[pairs[:, 1]] - centres[pairs[:, 0]], axis=1)
    near = apart < NEAR * radii[pairs].sum(axis=1)
    one = np.concatenate([pairs[near, 0], pairs[near, 1]])
    other = np.concatenate([pairs[near, 1], pairs[near, 0]])
    order = np.argsort(one, kind="stable")
    one, other, distance = one[order], other[order], np.concatenate([apart[near]] * 2)[order]
    counts = np.bincount(one, minlength=len(radii))
    place = np.arange(len(one)) - np.repeat(np.cumsum(counts) - counts, counts)
    neighbour = np.full((len(radii), int(counts.max(initial=0))), -1)
    distances = np.ones(neighbour.shape)
    neighbour[one, place] = other
    distances[one, place] = np.maximum(distance, 1e-9)
    return neighbour, distances


def _nearness(centres: Floats, own: Floats, neighbour: Ints) -> Floats:
    """1 / cosine between every direction from `own` (n, 3) and the way to every neighbour, (n, directions, k).

    inf behind and aside.
    """
    towards = centres[neighbour] - own[:, None, :]
    towards /= np.maximum(np.linalg.norm(towards, axis=2, keepdims=True), 1e-9)
    cosine = (_directions(own) @ towards.transpose(0, 2, 1)).astype(np.float32)
    cosine[np.broadcast_to((neighbour < 0)[:, None, :], cosine.shape)] = 0.0
    return np.asarray(np.where(cosine > _ASIDE, 1 / np.maximum(cosine, _ASIDE), np.float32(np.inf)))


def _directions(centres: Floats) -> Floats:
    """Directions spread evenly over a sphere, the same in every balloon's own frame: out, round, up; (n, m, 3)."""
    ring = np.arange(_RINGS)
    up = (ring + 0.5) / _RINGS * 2 - 1
    # Every second ring turned by half a step, alike above and below, so that a mirror changes nothing.
    turned = np.minimum(ring, _RINGS - 1 - ring) % 2 / 2
    angle = (np.arange(_AROUND)[None, :] + 0.5 + turned[:, None]) * 2 * np.pi / _AROUND
    across = np.sqrt(1 - up**2)[:, None]
    out = np.hypot(centres[:, 0], centres[:, 1])
    x = np.where(out > 1e-9, centres[:, 0] / np.maximum(out, 1e-9), 0.0)[:, None]
    y = np.where(out > 1e-9, centres[:, 1] / np.maximum(out, 1e-9), -1.0)[:, None]
    own_out, own_round = (across * np.cos(angle)).ravel(), (across * np.sin(angle)).ravel()
    own_up = np.repeat(up, _AROUND)
    return np.stack(
        [
            x * own_out - y * own_round,
            y * own_out + x * own_round,
            np.broadcast_to(own_up, (len(centres), len(own_up))),
        ],
        axis=2,
    )
