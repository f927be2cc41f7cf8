"""The light of a photograph, found from the piece itself, and the colour of each balloon in it.

What a camera sees of a skin is gain × (albedo^γ × shading + veil): the gain is that of light and white balance, γ tells
how saturated skins are in this light, the veil is what they mirror. Only ratios of channels are looked at, so that
shading drops out but for the veil.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from kakushi.check.image import Image
from kakushi.check.model_spheres import ModelSpheres
from kakushi.check.soft_fit import soft_least_squares
from kakushi.model.arrays import Floats, Ints
from kakushi.sight.expected import Expected

_INSIDE = 0.86
"""Share of the disc's radius within which colour is taken: farther out, light has come through the skin."""
_DARK_SHARE, _LIGHT_SHARE = 0.12, 0.82
"""Quantiles of brightness between which a balloon's pixels count: shadows and highlights are left out."""
LEAST_PIXELS = 24
"""Pixels of a balloon below which its colour is not taken."""
_FREEDOM = 4.0
"""Degrees of freedom of Student's t: balloons far off are more likely than a normal law says."""
_CHROMA_SPREAD, _LIGHT_SPREAD = 0.045, 0.22
"""Least standard deviations of colour ratios and of brightness, logarithms: lamps and neighbours change a colour."""
_MOST_SPREAD = 0.16
"""Largest standard deviation of colour ratios: balloons that scatter more do not have the planned colours."""
_UNKNOWN_SPREAD = 0.13
"""Standard deviation of a colour that the photograph shows nowhere else: skins differ from their swatches."""
_PLANNED = 0.97
"""Prior probability that a balloon has its planned colour."""
_TAIL = 7.0
"""Distance, in standard deviations, beyond which likelihood falls exponentially: Student's t forgives too much."""
_DRIFT_OFF, _BRIGHTNESS_OFF = 0.08, 0.3
"""Distance (logarithms) from a plane of slowly changing light at which a balloon counts half: ratio, brightness."""
_EXCHANGED = 0.7
"""Share of wrong colours that are another colour of the same piece: most were exchanged."""
_STRANGE = 4.5
"""Distance from every colour of the palette, in standard deviations, at which it is something else: somebody in front,
or what is seen through a gap."""


@dataclass(frozen=True, slots=True, eq=False)
class SampledBalls:
    """Samples of each ball, (n,): colour ratios and brightness (logarithms), scatter within it, pixels, share.

    `share`: visible share of its disc. NaN where there are too few pixels.
    """

    red: Floats
    blue: Floats
    light: Floats
    mixed: Floats
    pixels: Ints
    share: Floats
    glare: Floats

    @property
    def known(self) -> NDArray[np.bool_]:
        """Which balloons had their colour sampled, (balloons,)."""
        return np.isfinite(self.red)


@dataclass(frozen=True, slots=True, eq=False)
class JudgedColours:
    """Colours of balls: probability of each of the palette, (n, p); the likeliest, (n,); `strange` ones fit none, (n,).

    `far` (n,): distance from the planned colour, in standard deviations. `means` (p, 3): the palette in this light.
    """

    likely: Floats
    seen: Ints
    strange: NDArray[np.bool_]
    far: Floats
    means: Floats
    spread: Floats


def sampled(image: Image, shown: Expected, circles: Floats, hidden: NDArray[np.bool_] | None = None) -> SampledBalls:
    """Sample the colour of each ball from pixels inside it that are neither highlights nor in shadow.

    `hidden` (h, w) of the window: pixels where something else is in front.
    """
    balloons = len(circles)
    lines, columns = shown.window.slices
    inside = (shown.identity >= 0) & (shown.rim < _INSIDE)
    free = inside & image.clear[lines, columns]
    if hidden is not None:
        free &= ~hidden
    whose = shown.identity[free]
    values = [channel[lines, columns][free] for channel in (image.red, image.blue, image.light)]
    # By ball, and within it by brightness.
    order = np.lexsort((values[2], whose))
    whose, values = whose[order], [each[order] for each in values]
    begins = np.searchsorted(whose, np.arange(balloons + 1))
    samples = np.full((4, balloons), np.nan)
    pixels = np.diff(begins)
    for ball in np.flatnonzero(pixels >= LEAST_PIXELS).tolist():
        first, count = int(begins[ball]), int(pixels[ball])
        part = slice(first + int(_DARK_SHARE * count), first + max(int(_LIGHT_SHARE * count), 1))
        red, blue, light = (each[part] for each in values)
        samples[:3, ball] = np.median(red), np.median(blue), np.median(light)
        samples[3, ball] = np.median(np.abs(red - samples[0, ball]) + np.abs(blue - samples[1, ball]))
    all_inside = np.bincount(shown.identity[inside], minlength=balloons)
    glare = 1 - pixels / np.maximum(all_inside, 1)
    red_of, blue_of, light_of, mixed = samples
    return SampledBalls(red_of, blue_of, light_of, mixed, pixels, shown.shares(circles), glare)


def judged(sample: SampledBalls, model: ModelSpheres, places: Floats) -> JudgedColours:
    """Judge the colours of balls from samples; `places` (n, 2): in the picture, in heights of the piece.

    The light is fitted to the planned colours, balloons far off it counting ever less.
    """
    known = sample.known & model.is_balloon
    planned = model.colours
    albedo = model.albedo
    weight = np.where(known, np.clip(sample.share, 0.05, 1.0), 0.0)
    log_gain, gamma, veil = _light(sample, planned, albedo, weight)
    means = _look(albedo, log_gain, gamma, veil)
    observed = np.column_stack([sample.red, sample.blue, sample.light])
    chroma_off = observed[:, :2] - means[planned, :2]
    drift = _drift(chroma_off, weight, places)
    observed[:, :2] -= drift
    spread = _spread(observed[:, :2] - means[planned, :2], weight)
    means, counted = _settled(means, observed, planned, weight, spread)
    spread = _spread(observed[:, :2] - means[planned, :2], weight)
    light = _brightness(observed[:, 2] - means[planned, 2], weight, places)
    light_spread = max(1.48 * float(_median(np.abs(observed[:, 2] - light - means[planned, 2]), weight)), _LIGHT_SPREAD)
    unknown = _UNKNOWN_SPREAD / (1 + counted)
    scale = np.sqrt(spread[None, :2] ** 2 + unknown[:, None] ** 2)
    # Small and half hidden balloons are told less surely.
    unsure = np.sqrt(1 + 0.25 / np.clip(sample.share, 0.05, 1) + 60 / np.maximum(sample.pixels, 1))
    residuals = (observed[:, None, :2] - means[None, :, :2]) / (scale[None] * unsure[:, None, None])
    square = (residuals**2).sum(axis=2)
    dim = (observed[:, None, 2] - light[:, None] - means[None, :, 2]) / (1.6 * light_spread * unsure[:, None])
    logs = -(_FREEDOM + 2) / 2 * np.log1p(square / _FREEDOM) - (_FREEDOM + 1) / 2 * np.log1p(dim**2 / _FREEDOM)
    logs -= np.log(scale).sum(axis=1)[None] + np.maximum(np.sqrt(square) - _TAIL, 0.0)
    logs = np.where(np.isfinite(logs), logs, 0.0) + _prior(planned, len(albedo))
    likely = np.exp(logs - logs.max(axis=1, keepdims=True))
    likely /= likely.sum(axis=1, keepdims=True)
    nearest = np.sqrt(np.where(np.isfinite(square), square, 0.0).min(axis=1))
    far = np.sqrt(np.where(np.isfinite(square), square, 0.0)[np.arange(len(planned)), planned])
    return JudgedColours(likely, likely.argmax(axis=1), known & (nearest > _STRANGE), far, means, spread)


def _prior(planned: Ints, colours: int) -> Floats:
    """Log prior of each colour for each ball, (n, p): wrong colours were mostly exchanged."""
    used = np.bincount(planned[planned >= 0], minlength=colours) > 0
    share = np.where(used, _EXCHANGED / max(int(used.sum()) - 1, 1), (1 - _EXCHANGED) / max(int((~used).sum()), 1))
    prior = np.tile(np.log((1 - _PLANNED) * share), (len(planned), 1))
    prior[np.arange(len(planned)), planned] = np.log(_PLANNED)
    return prior


def _spread(residuals: Floats, weight: Floats) -> Floats:
    """Spread of colour ratios, (2,), from the median distance from the planned colours."""
    return np.asarray(np.clip(1.48 * _median_off(residuals, weight), _CHROMA_SPREAD, _MOST_SPREAD))


def _look(albedo: Floats, log_gain: Floats, gamma: float, veil: float) -> Floats:
    """Colour ratios and brightness (logarithms) of colours (p, 3) in a light."""
    seen = np.log(np.maximum(albedo, 1e-3) ** gamma + veil) + np.array([log_gain[0], 0.0, log_gain[1]])
    return np.column_stack([seen[:, 0] - seen[:, 1], seen[:, 2] - seen[:, 1], np.log(np.exp(seen).mean(axis=1))])


def _light(sample: SampledBalls, planned: Ints, albedo: Floats, weight: Floats) -> tuple[Floats, float, float]:
    """Gains of red and blue over green (logarithms), γ and veil."""
    from scipy.optimize import least_squares  # noqa: PLC0415 - large, and only needed here

    used = weight > 0
    if used.sum() < 3:
        return np.zeros(2), 1.0, 0.03
    observed = np.column_stack([sample.red, sample.blue])[used]
    planned_used, root = planned[used], np.sqrt(weight[used])[:, None]

    def off(values: Floats) -> Floats:
        look = _look(albedo, values[:2], float(np.exp(values[2])), float(np.exp(values[3])))
        apart = (observed - look[planned_used, :2]) * root / 0.08
        # What is known of skins before one looks.
        return np.concatenate([apart.ravel(), [values[2] / 0.25, (values[3] - np.log(0.03)) / 0.9]])

    starts = []
    for gamma in (0.8, 1.1):
        first = _look(albedo, np.zeros(2), gamma, 0.03)
        gain = np.median(observed - first[planned_used, :2], axis=0)
        starts.append(np.array([*gain, np.log(gamma), np.log(0.03)]))
    low, high = [-3, -3, np.log(0.5), np.log(0.002)], [3, 3, np.log(2.0), np.log(0.25)]
    lights = [
        least_squares(off, np.clip(start, low, high), bounds=(low, high), loss="cauchy", max_nfev=60)
        for start in starts
    ]
    best = min(lights, key=lambda each: float(each.cost)).x
    return best[:2], float(np.exp(best[2])), float(np.exp(best[3]))


def _settled(means: Floats, observed: Floats, planned: Ints, weight: Floats, spread: Floats) -> tuple[Floats, Floats]:
    """Shift each colour from its computed look towards the median of its balloons, the further the more there are.

    Also returns how many balloons support each, (p,).
    """
    settled, counted = means.copy(), np.zeros(len(means))
    for colour in range(len(means)):
        of_colour = (planned == colour) & (weight > 0)
        count = int(of_colour.sum())
        if count < 3:
            continue
        residuals = observed[of_colour] - means[colour]
        middle = np.array([_median(residuals[:, axis], weight[of_colour]) for axis in range(3)])
        # A wrong colour planned for most of its balloons is seen as that, and not learnt.
        near = np.abs(middle[:2]) < 6 * spread + 0.12
        if near.all():
            settled[colour] += middle * count / (count + 2)
            counted[colour] = count
    return settled, counted


def _drift(residuals: Floats, weight: Floats, places: Floats) -> Floats:
    """Slow change of the light's colour over the picture, (n, 2): a robust plane through what balloons are off."""
    known = (weight > 0) & np.isfinite(residuals).all(axis=1)
    drift = np.zeros_like(residuals)
    if known.sum() < 12:
        return drift
    across = np.column_stack([np.ones(len(residuals)), places])
    for axis in range(2):
        plane = soft_least_squares(
            across[known], residuals[known, axis], weight[known], _DRIFT_OFF, np.diag([0.0, 1.0, 1.0]), rounds=8
        )
        drift[:, axis] = across @ plane
    return np.asarray(drift - (drift[known] * weight[known, None]).sum(axis=0) / weight[known].sum())


def _brightness(residuals: Floats, weight: Floats, places: Floats) -> Floats:
    """Slow change of brightness, (n,), with its mean."""
    known = (weight > 0) & np.isfinite(residuals)
    if known.sum() < 4:
        return np.full(len(residuals), float(np.median(residuals[known])) if known.any() else 0.0)
    across = np.column_stack([np.ones(len(residuals)), places])
    prior = np.diag([0.0, 0.3, 0.3])
    return across @ soft_least_squares(across[known], residuals[known], weight[known], _BRIGHTNESS_OFF, prior, rounds=8)


def _median(values: Floats, weight: Floats) -> float:
    """Weighted median of the known values; 0 where there are none."""
    known = (weight > 0) & np.isfinite(values)
    if not known.any():
        return 0.0
    return float(np.quantile(values[known], 0.5, weights=weight[known], method="inverted_cdf"))


def _median_off(residuals: Floats, weight: Floats) -> Floats:
    return np.array([_median(np.abs(residuals[:, axis]), weight) for axis in range(residuals.shape[1])])
