"""Where a photograph was taken from: a coarse search by colours and edges, then finer."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from kakushi.check.image import Image
from kakushi.check.model_spheres import ModelSpheres
from kakushi.model.arrays import Floats
from kakushi.model.memo import Cancelled, never, stop_if
from kakushi.sight.expected import Balls, Expected, borders, expected, window_of
from kakushi.sight.pinhole import Ends, Pose, pose_of_ends

_STEP_DEG = 5.0
"""Step between the azimuths tried first, degrees: four or six balloons a row look much the same 3° off."""
_FAR = (1.5, 2.3, 3.6)
"""Distances of the camera that are tried, as multiples of the piece's height."""
_EYES = (900.0, 1400.0, 1900.0)
"""Distances, in heights of the piece, and eye heights, mm, tried for the best azimuths."""
NEAREST_TALL_MM = 1000.0
"""Height, mm, below which a piece is photographed from no nearer than one of this height."""
AWAY_PER_WIDTH = 0.7
"""Height for which a wide piece is photographed from as far, over its width."""
_WIDE_TURN_DEG = 40
"""Largest angle from the front, degrees, at which a wide piece is photographed: farther round it hides itself."""
_LOW_MM = 1300.0
"""Height, mm, below which a piece may be seen from above."""
_BEST, _GLANCES = 4, 24
"""Azimuths refined after the first pass; azimuths tried where only places are compared."""
_SMALL = 0.45
"""Size, relative to the median balloon of the rows, below which a balloon says little of the pose."""
_BEHIND = 0.35
"""Distance behind the axis, in radii, beyond which a ball is left out of a quick search."""
_INSIDE = 0.80
"""Share of the disc's radius within which colour counts: nearer the rim, light has come through the skin."""
_FARTHEST = 0.7
"""Largest distance (logarithm) from its colour's median that a pixel counts with: beyond, it is something else."""
_EDGE_WEIGHT, _UNLIKE_WEIGHT = 0.45, 0.15
"""Weights of edges, and of colours unlike the planned ones, beside the scatter of colours."""
_FARTHEST_COLOUR = 2.0
"""Largest difference from the planned colours that counts. It is there because a plain wall scatters little."""
_AWAY_DEG = 12.0
"""Unit, degrees, in which the distance from the expected azimuth is counted."""
_AWAY_COST, _AWAY_MOST = 0.012, 4.0
"""Cost per unit of distance from the expected azimuth (less than one wrong colour makes), and the most units
counted."""
_FOCAL, _FOCAL_SPREAD = 0.85, 0.45
"""Focal length of telephones, as a share of the longer side of the picture, and its standard deviation (logarithm)."""
_FOCAL_TOLD = 0.06
"""The same standard deviation where the file tells the focal length."""


@dataclass(frozen=True, slots=True, eq=False)
class Fitted:
    """A pose with its ends, and the cost of its disagreement with colours and edges: lower is better.

    `edges`, `scatter` (0 to 1) and how `unlike` the planned colours are (0 to 2) are what `cost` is made of.
    """

    pose: Pose
    ends: Ends
    cost: float
    edges: float
    scatter: float
    unlike: float


@dataclass(frozen=True, slots=True)
class PosePrior:
    """Prior knowledge of the pose: expected azimuth, radians; focal length as a share of the longer side, or None."""

    azimuth: float = 0.0
    focal: float | None = None


class Search:
    """Compares poses of a model in an image; `is_quick`: by the balls in front of its axis only. Ends in px."""

    def __init__(self, image: Image, model: ModelSpheres, prior: PosePrior, is_quick: bool = False) -> None:
        self.image, self.prior = image, prior
        self.model = model
        self._is_quick = is_quick
        self.has_rims = is_large(model)
        self._colours = np.where(model.is_balloon, model.colours, -1)
        used = model.colours[model.is_balloon]
        self._used = np.unique(used[used >= 0])
        albedo = np.log(np.maximum(model.albedo, 2e-3))
        self._ratios = np.column_stack([albedo[:, 0] - albedo[:, 1], albedo[:, 2] - albedo[:, 1]])
        height, width = image.shape
        self._middle = (width / 2, height / 2)
        self._long = max(image.shape)

    def pose(self, values: Floats, ends: Ends) -> tuple[Pose, Ends] | None:
        """Pose from (azimuth, log distance, eye height, shifts of both ends in px (4)); None where no lens gives it."""
        azimuth, far, eye, *moved = values.tolist()
        there = replace(
            ends,
            foot=(ends.foot[0] + moved[0], ends.foot[1] + moved[1]),
            top=(ends.top[0] + moved[2], ends.top[1] + moved[3]),
        )
        pose = pose_of_ends(azimuth, math.exp(far), eye, there, self._middle)
        return None if pose is None else (pose, there)

    def circles(self, pose: Pose) -> Floats:
        """Middles and radii of all balls in the image, (n, 3) px."""
        return pose.circles(pose.local(self.model.centres), self.model.radii)

    def shown(self, pose: Pose, margin: float = 0.0) -> Expected:
        """What the image should show, in a window about the piece."""
        centres, radii = self.model.centres, self.model.radii
        balls = Balls(pose.local(centres), radii)
        front = None
        if self._is_quick:
            # What stands behind the axis is hidden but for a little.
            deep = centres[:, 1] * math.cos(pose.azimuth) - centres[:, 0] * math.sin(pose.azimuth)
            front = deep < _BEHIND * radii
        return expected(pose, balls, window_of(pose, balls, self.image.shape, margin), None, front)

    def judged(self, pose: Pose, ends: Ends) -> Fitted:
        """Cost of a pose."""
        shown = self.shown(pose)
        edges, (scatter, unlike) = self._edges(shown), self._colours_off(shown)
        unlikely = math.log(pose.focal / self._long / (self.prior.focal or _FOCAL))
        unlikely = (unlikely / (_FOCAL_TOLD if self.prior.focal else _FOCAL_SPREAD)) ** 2
        turn = abs((pose.azimuth - self.prior.azimuth + math.pi) % (2 * math.pi) - math.pi)
        cost = scatter + _UNLIKE_WEIGHT * unlike - _EDGE_WEIGHT * edges + 0.01 * min(unlikely, 6.0)
        cost += _AWAY_COST * min(turn / math.radians(_AWAY_DEG), _AWAY_MOST)
        return Fitted(pose, ends, cost, edges, scatter, unlike)

    def coarse(self, ends: Ends, cancelled: Cancelled = never) -> list[Fitted]:
        """The best poses with different azimuths, best first."""
        tall = max(ends.top_mm - ends.foot_mm, 1.0)
        away, half_turn = self._away(ends), _WIDE_TURN_DEG if self.model.is_bent else 180
        steps = round(half_turn / _STEP_DEG)
        fits = []
        for eye in _EYES[1:2] if tall > _LOW_MM else _EYES[:2]:
            for step in range(-steps, steps + self.model.is_bent):
                stop_if(cancelled)
                fits += self._tried(math.radians(step * _STEP_DEG), math.log(_FAR[1] * away), eye, ends)
        fits = apart(fits)[:_BEST]
        finer = []
        for each in fits:
            for far in _FAR:
                for eye in _EYES:
                    stop_if(cancelled)
                    finer += self._tried(each.pose.azimuth, math.log(far * away), eye, ends)
        return apart(finer or fits)

    def glance(self, ends: Ends, cancelled: Cancelled = never, sides: Sequence[float] | None = None) -> Fitted | None:
        """Best of a few poses, from all round or from `sides` (azimuths, radians): enough to compare places."""
        away = self._away(ends)
        fits = []
        for azimuth in [2 * math.pi * step / _GLANCES for step in range(_GLANCES)] if sides is None else sides:
            stop_if(cancelled)
            fits += self._tried(azimuth, math.log(_FAR[1] * away), _EYES[1], ends)
        return min(fits, key=lambda each: each.cost, default=None)

    def _away(self, ends: Ends) -> float:
        """Height of a piece that would be photographed from as far, mm."""
        wide = AWAY_PER_WIDTH * self.model.wide_mm if self.model.is_bent else 0.0
        return max(ends.top_mm - ends.foot_mm, NEAREST_TALL_MM, wide)

    def _tried(self, azimuth: float, far: float, eye: float, ends: Ends) -> list[Fitted]:
        placed = self.pose(np.array([azimuth, far, eye, 0.0, 0.0, 0.0, 0.0]), ends)
        return [self.judged(*placed)] if placed else []

    def finer(self, start: Fitted, rounds: int, px: float, cancelled: Cancelled = never) -> Fitted:
        """The best pose near one, by a simplex; ends may move by some `px`."""
        from scipy.optimize import minimize  # noqa: PLC0415 - large, and only needed here

        pose, ends = start.pose, start.ends
        begin = np.array([pose.azimuth, math.log(pose.distance), pose.eye, 0.0, 0.0, 0.0, 0.0])
        steps = np.array([math.radians(4), 0.15, 200.0, px, px, px, px])
        best = [start]

        def cost(values: Floats) -> float:
            stop_if(cancelled)
            placed = self.pose(begin + values * steps, ends)
            if placed is None:
                return 10.0
            fitted = self.judged(*placed)
            # Ends that were told are nearly right.
            total = fitted.cost + 0.004 * float((values[3:] ** 2).sum()) + 0.004 * float((values[:3] ** 2).sum())
            if total < best[0].cost:
                best[0] = replace(fitted, cost=total)
            return total

        simplex = np.vstack([np.zeros(7), np.eye(7)])
        minimize(
            cost,
            np.zeros(7),
            method="Nelder-Mead",
            options={"initial_simplex": simplex, "maxfev": rounds, "fatol": 1e-4},
        )
        return best[0]

    def _colours_off(self, shown: Expected) -> tuple[float, float]:
        """Scatter of pixels about the median of their planned colour, and distance of the medians from the plan."""
        lines, columns = shown.window.slices
        owner = np.where(shown.identity >= 0, self._colours[shown.identity], -1)
        clear = (owner >= 0) & (shown.rim < _INSIDE) & self.image.clear[lines, columns]
        whose = owner[clear]
        if len(whose) < 30:
            return _FARTHEST, _FARTHEST_COLOUR
        red, blue = self.image.red[lines, columns][clear], self.image.blue[lines, columns][clear]
        differences = np.zeros(len(whose), dtype=np.float32)
        medians, weights, known = [], [], []
        for colour in self._used.tolist():
            which = whose == colour
            if not which.any():
                continue
            middle = float(np.median(red[which])), float(np.median(blue[which]))
            differences[which] = np.abs(red[which] - middle[0]) + np.abs(blue[which] - middle[1])
            medians.append(middle)
            weights.append(float(which.mean()))
            known.append(colour)
        # The light's own colour is the same for all.
        apart = np.array(medians) - self._ratios[known]
        apart = np.abs(apart - np.average(apart, axis=0, weights=weights)).sum(axis=1)
        unlike = float(np.average(np.minimum(apart, _FARTHEST_COLOUR), weights=weights))
        return float(np.minimum(differences, _FARTHEST).mean()), unlike

    def _edges(self, shown: Expected) -> float:
        """Mean strength of edges where balloons end, less that elsewhere on the piece."""
        lines, columns = shown.window.slices
        edges = self.image.edges[lines, columns]
        border = borders(np.append(self.model.whole, [-2, -1])[shown.identity])
        piece = shown.identity >= 0
        if not border.any() or not piece.any():
            return 0.0
        return float(edges[border].mean() - edges[piece & ~border].mean())


def is_large(model: ModelSpheres) -> NDArray[np.bool_]:
    """Balloons large enough to constrain the pose, (n,) bool; much smaller ones than those of the rows are not."""
    rows = model.rows >= 0 if (model.rows >= 0).any() else np.ones(len(model), dtype=bool)
    return np.asarray(model.is_balloon & (model.radii >= _SMALL * float(np.median(model.radii[rows]))))


def for_pose(model: ModelSpheres) -> ModelSpheres:
    """Keep the spheres that a pose is searched by."""
    return model.only(is_large(model))


def apart(fits: Sequence[Fitted], by_deg: float = 12.0) -> list[Fitted]:
    """Keep the best poses, best first, no two with nearly the same azimuth."""
    kept: list[Fitted] = []
    for each in sorted(fits, key=lambda one: one.cost):
        turns = [abs((each.pose.azimuth - other.pose.azimuth + math.pi) % (2 * math.pi) - math.pi) for other in kept]
        if all(turn > math.radians(by_deg) for turn in turns):
            kept.append(each)
    return kept
