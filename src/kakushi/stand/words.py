"""What balance and wind come to, in a sculptor's words."""

from __future__ import annotations

import math

from kakushi.stand.balance import FRICTION, Balance, Push
from kakushi.stand.stance import Stance, StepStance

_SIDES = ("right", "back and right", "back", "back and left", "left", "front and left", "front", "front and right")
_LEANS = (
    "to the right", "back and to the right", "back", "back and to the left", "to the left", "forward and to the left",
    "forward", "forward and to the right",
)  # fmt: skip
_LEANING = 0.25
# Degrees: a thing that may lean further than that is told to, whatever its centre of mass says.
FAR_ENOUGH_DEG = 30.0
_PUSHES = ((2.0, "a draught or a touch"), (5.0, "a brush with a sleeve"), (15.0, "a bump in passing"),
           (40.0, "a child leaning"), (math.inf, "a grown-up leaning"))  # fmt: skip
"""Level pushes up to so many newtons, as people meet them. Assumed: 10 N is the weight of a litre of water."""
_MAX_SENSIBLE_G = 60_000


def _sector(x: float, y: float) -> int:
    return round(math.atan2(y, x) / (math.pi / 4)) % 8


def mass_words(grams: float) -> str:
    """A mass as one says it: 850 g, 1.8 kg, 14 kg; rounded up, since less would not do."""
    # A number and its unit stay on one line.
    if grams < 1000:
        return f"{math.ceil(grams / 10) * 10:g}\N{NO-BREAK SPACE}g"
    kilograms = f"{math.ceil(grams / 100) / 10:.1f}" if grams < 10_000 else f"{math.ceil(grams / 500) / 2:g}"
    return f"{kilograms}\N{NO-BREAK SPACE}kg"


def lean_words(balance: Balance) -> str:
    """Where it leans, empty where it stands straight."""
    if balance.offset <= _LEANING * balance.foot.reach or balance.offset < 1:
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


def tilt_words(balance: Balance) -> str:
    """How far it may lean: 12°, over 30°."""
    degrees = math.degrees(balance.tilt)
    return f"{degrees:.0f}°" if degrees <= FAR_ENOUGH_DEG else f"over {FAR_ENOUGH_DEG:.0f}°"


def push_words(push: Push) -> str:
    """A push as people meet it: 7 N at 100 cm height, like a bump in passing."""
    like = next(words for most, words in _PUSHES if push.newtons <= most)
    newtons = f"{push.newtons:.1f}" if push.newtons < 10 else f"{push.newtons:.0f}"
    return f"{newtons}\N{NO-BREAK SPACE}N at {push.height / 10:.0f}\N{NO-BREAK SPACE}cm height, like {like},"


def stance_sentences(stance: Stance) -> tuple[str, ...]:
    """How it stands: leaning and pushes, then wind where a gust is asked for; worst steps named where not the end."""
    advice = ballast_words(stance)
    first = _lean_sentence(stance)
    if math.degrees(stance.leaning.balance.tilt) >= 0:
        first += f"; {_push_sentence(stance)}"
    sentences = [f"{first}; {advice}." if advice and not stance.stands else f"{first}."]
    if stance.gust is not None:
        sentences.append(_wind_sentence(stance, stance.gust))
    return tuple(sentences)


def _when(step: StepStance, stance: Stance) -> str:
    return "" if step.name == stance.finished.name else f" {step.name}"


def _lean_sentence(stance: Stance) -> str:
    worst = stance.leaning
    lean, when = lean_words(worst.balance), _when(worst, stance)
    if math.degrees(worst.balance.tilt) < 0:
        return f"It {lean or 'falls'} by itself{when}"
    words = f"{lean.capitalize() + ': m' if lean else 'M'}ay lean {tilt_words(worst.balance)}{when} before it goes over"
    if worst.balance.tilt < stance.assumed.tilt:
        words += f", less than the {math.degrees(stance.assumed.tilt):.0f}° wanted"
    return words


def _push_sentence(stance: Stance) -> str:
    worst = stance.pushed
    moves = "slides" if worst.push.slides else "tips"
    words = f"{push_words(worst.push)} {moves} it{_when(worst, stance)}"
    if worst.push.newtons < stance.assumed.push:
        words += f", less than the {stance.assumed.push:g} N wanted"
    return words


def _wind_sentence(stance: Stance, gust: float) -> str:
    held = stance.windy.gust
    if held <= 0:
        return "Outdoors: it falls without any wind."
    when = "" if stance.windy.name == stance.finished.name else f" {stance.windy.name}"
    if stance.holds:
        mean = f"a mean wind of {held / stance.assumed.gust_factor:.1f}"
        return f"Outdoors: stands in gusts up to {held:.1f} m/s ({mean}){when}; gusts of {gust:.1f} m/s are expected."
    words = (
        f"Outdoors: not with this base. A gust of {held:.1f} m/s tips or slides it{when}; {gust:.1f} m/s are expected"
    )
    if stance.base_mass is not None:
        radius = f"{stance.base_radius / 10:.0f} cm"
        words += f"; a base of {mass_words(stance.base_mass)} on a radius of {radius} would hold that"
    return f"{words}."


def assumption_sentences(stance: Stance) -> tuple[str, ...]:
    """What was assumed, to be shown and printed with every figure."""
    a = stance.assumed
    return (
        f"Estimate, not an approval. Assumed: a level, hard, dry floor with a friction of {FRICTION:g}; a foot that "
        "does not give; a stiff pole; balloons as heavy as their latex. Without a base it stands on the lowest points "
        "of its balloons.",
        f"Wind: ½ × 1.2 kg/m³ × gust² × {a.drag:g} × area of the drawn silhouette at its middle height, from the worst "
        f"of all sides; a mean wind is taken to gust {a.gust_factor:g} times as fast.",
    )
