"""What balance and wind come to, in a sculptor's words."""

from __future__ import annotations

import math

from kakushi.stand.balance import Balance
from kakushi.stand.stance import Stance

_SIDES = ("right", "back and right", "back", "back and left", "left", "front and left", "front", "front and right")
_LEANS = (
    "to the right", "back and to the right", "back", "back and to the left", "to the left", "forward and to the left",
    "forward", "forward and to the right",
)  # fmt: skip
_LEANING = 0.25
_MAX_SENSIBLE_G = 60_000


def _sector(x: float, y: float) -> int:
    return round(math.atan2(y, x) / (math.pi / 4)) % 8


def mass_words(grams: float) -> str:
    """A mass as one says it: 850 g, 1.8 kg, 14 kg; rounded up, since less would not do."""
    if grams < 1000:
        return f"{math.ceil(grams / 10) * 10:g} g"
    return f"{math.ceil(grams / 100) / 10:.1f} kg" if grams < 10_000 else f"{math.ceil(grams / 500) / 2:g} kg"


def lean_words(balance: Balance) -> str:
    """Where it leans, empty where it stands straight."""
    if balance.offset <= _LEANING * balance.radius or balance.offset < 1:
        return ""
    verb = "falls" if balance.margin < 0 else "leans"
    return f"{verb} {_LEANS[_sector(balance.x, balance.y)]}"


def ballast_words(stance: Stance) -> str:
    """What to add where, empty where nothing is missing."""
    ballast = stance.ballast
    if ballast is None:
        return "no weight on this foot helps: a wider base is needed"
    if ballast.mass_g <= 0:
        return ""
    if ballast.mass_g > _MAX_SENSIBLE_G:
        return "a wider base is needed"
    if ballast.offset:
        side = _SIDES[_sector(math.cos(ballast.angle), math.sin(ballast.angle))]
        return f"add {mass_words(ballast.mass_g)} at the {side} edge of the foot"
    return f"add {mass_words(ballast.mass_g)} low in the middle"


def stance_sentences(stance: Stance) -> tuple[str, ...]:
    """How it stands: bumps, then wind where a gust is asked for; the worst step is named where it is not the end."""
    worst = stance.leaning
    degrees = math.degrees(worst.balance.tilt)
    lean = lean_words(worst.balance)
    when = "" if worst.name == stance.finished.name else f" {worst.name}"
    if degrees < 0:
        first = f"It {lean or 'falls'} by itself{when}"
    else:
        first = f"{lean.capitalize() + ': s' if lean else 'S'}tands a bump of {degrees:.0f}°{when}"
        if not stance.stands:
            first += f", less than the {math.degrees(stance.assumed.tilt):.0f}° wanted"
    advice = ballast_words(stance)
    sentences = [f"{first}; {advice}." if advice and not stance.stands else f"{first}."]
    if stance.gust is not None:
        sentences.append(_wind_sentence(stance, stance.gust))
    return tuple(sentences)


def _wind_sentence(stance: Stance, gust: float) -> str:
    held = stance.windy.gust
    if held <= 0:
        return "Outdoors: it falls without any wind."
    when = "" if stance.windy.name == stance.finished.name else f" {stance.windy.name}"
    if stance.holds:
        mean = f"a mean wind of {held / stance.assumed.gust_factor:.1f}"
        return f"Outdoors: stands in gusts up to {held:.1f} m/s ({mean}){when}; gusts of {gust:.1f} m/s are expected."
    words = f"Outdoors: not with this base. A gust of {held:.1f} m/s tips it{when}; {gust:.1f} m/s are expected"
    if stance.base_mass is not None:
        radius = f"{stance.base_radius:.0f} mm"
        words += f"; a base of {mass_words(stance.base_mass)} on a radius of {radius} would hold that"
    return f"{words}."


def assumption_sentences(stance: Stance) -> tuple[str, ...]:
    """What was assumed, to be shown and printed with every figure."""
    a = stance.assumed
    return (
        "Estimate, not an approval. Assumed: a level, hard floor; a round foot that does not give or slide; a stiff "
        "pole; balloons as heavy as their latex.",
        f"Wind: ½ × 1.2 kg/m³ × gust² × {a.drag:g} × area of the drawn silhouette at its middle height, from the worst "
        f"of all sides; a mean wind is taken to gust {a.gust_factor:g} times as fast.",
    )
