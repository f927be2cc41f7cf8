"""How a piece stands, its frame, and what water weight it has room for, in a sculptor's words."""

from __future__ import annotations

import math
from collections.abc import Iterator

from kakushi.dress.table import wishes_of
from kakushi.model.frame import Frame
from kakushi.model.units import UnitSystem, format_length
from kakushi.plan.mounts import mount_loads
from kakushi.plan.stability import water_weight
from kakushi.plan.strands import is_hung
from kakushi.plan.values import PiecePlan
from kakushi.stand.balance import FRICTION, Balance, Push
from kakushi.stand.stance import BuiltPart, Stance, StepStance
from kakushi.words.parts import wish_words
from kakushi.words.strands import MOUNTS
from kakushi.words.wording import capital, counted, mass_words, thickness

_SIDES = ("right", "back and right", "back", "back and left", "left", "front and left", "front", "front and right")
_LEANS = (
    "to the right", "back and to the right", "back", "back and to the left", "to the left", "forward and to the left",
    "forward", "forward and to the right",
)  # fmt: skip
_LEANING = 0.25
"""Offset of the centre of mass, as a share of the foot's reach, from which a piece is said to lean."""
FAR_ENOUGH_DEG = 30.0
"""Tilt, degrees, beyond which a piece is only said to stand far more than it needs, whatever its centre of mass."""
_PUSHES = ((2.0, "a draught or a touch"), (5.0, "a brush with a sleeve"), (15.0, "a bump in passing"),
           (40.0, "a child leaning"), (math.inf, "a grown-up leaning"))  # fmt: skip
"""Level pushes up to so many newtons, as people meet them. Assumed: 10 N is the weight of a litre of water."""
_MAX_SENSIBLE_G = 60_000
"""Ballast, g, beyond which a wider base is advised instead: nobody carries it."""
_LEAST_WATER_G = 50.0
"""Least water that counts as a weight, g: a cup holds more."""


def _sector(x: float, y: float) -> int:
    return round(math.atan2(y, x) / (math.pi / 4)) % 8


def lean_words(balance: Balance) -> str:
    """Where it leans, empty where it stands straight."""
    if balance.offset <= _LEANING * balance.foot.reach or balance.offset < 1:
        return ""
    verb = "falls" if balance.margin < 0 else "leans"
    return f"{verb} {_LEANS[_sector(balance.x, balance.y)]}"


def mark_words(piece_plan: PiecePlan, stance: Stance | None) -> list[str]:
    """What to look at on a piece, in few words for its place on the shelf; nothing where all is well."""
    marks = []
    if stance is not None and not is_hung(piece_plan.piece, piece_plan.assembly):
        if stance.leaning.balance.tilt < 0:
            marks.append("falls by itself")
        elif stance.gust is not None and not stance.holds:
            marks.append("tips in the wind")
        elif not stance.stands:
            marks.append("tips easily")
    if piece_plan.warnings:
        marks.append(counted(len(piece_plan.warnings), "warning"))
    return marks


def ballast_words(stance: Stance, units: UnitSystem) -> str:
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
        return f"add {mass_words(ballast.mass_g, units)} at the {side} edge of the foot"
    return f"add {mass_words(ballast.mass_g, units)} low in the middle"


def tilt_words(balance: Balance) -> str:
    """How far it may lean: 12°, over 30°."""
    degrees = math.degrees(balance.tilt)
    return f"{degrees:.0f}°" if degrees <= FAR_ENOUGH_DEG else f"over {FAR_ENOUGH_DEG:.0f}°"


def push_words(push: Push, units: UnitSystem) -> str:
    """A push as people meet it: 7 N at 100 cm height, like a bump in passing."""
    like = next(words for most, words in _PUSHES if push.newtons <= most)
    newtons = f"{push.newtons:.1f}" if push.newtons < 10 else f"{push.newtons:.0f}"
    height = format_length(round(push.height, -1), units).replace(" ", "\N{NO-BREAK SPACE}")
    return f"{newtons}\N{NO-BREAK SPACE}N at {height} height, like {like},"


def stance_sentences(stance: Stance, units: UnitSystem) -> tuple[str, ...]:
    """Say how a piece stands: tilt and pushes, then wind where a gust is set; the worst step, unless it is the last."""
    advice = ballast_words(stance, units)
    first = _lean_sentence(stance)
    if math.degrees(stance.leaning.balance.tilt) >= 0:
        first += f"; {_push_sentence(stance, units)}"
    sentences = [f"{first}; {advice}." if advice and not stance.stands else f"{first}."]
    if stance.gust is not None:
        sentences.append(_wind_sentence(stance, stance.gust, units))
    return tuple(sentences)


def _when(step: StepStance, stance: Stance) -> str:
    return "" if step.stage == stance.finished.stage else f" {stage_words(step.stage)}"


def stage_words(stage: BuiltPart) -> str:
    """How much of a piece stands: with 4 rows on."""
    match stage.what:
        case "frame":
            return "with the bare frame"
        case "rows":
            return f"with {counted(stage.rows, 'row')} on"
        case "ball":
            return "with the ball on"
        case "part":
            return f"with “{stage.part}” on"


def _lean_sentence(stance: Stance) -> str:
    worst = stance.leaning
    lean, when = lean_words(worst.balance), _when(worst, stance)
    if math.degrees(worst.balance.tilt) < 0:
        return f"It {lean or 'falls'} by itself{when}"
    words = f"{capital(lean) + ': m' if lean else 'M'}ay lean {tilt_words(worst.balance)}{when} before it tips"
    if worst.balance.tilt < stance.assumed.tilt and not stance.stands:
        words += f", less than the {math.degrees(stance.assumed.tilt):.0f}° wanted"
    return words


def _push_sentence(stance: Stance, units: UnitSystem) -> str:
    worst = stance.pushed
    moves = "slides" if worst.push.slides else "tips"
    words = f"{push_words(worst.push, units)} {moves} it{_when(worst, stance)}"
    if worst.push.newtons < stance.assumed.push and not stance.stands:
        words += f", less than the {stance.assumed.push:g} N wanted"
    return words


def _wind_sentence(stance: Stance, gust: float, units: UnitSystem) -> str:
    held = stance.windy.gust
    if held <= 0:
        return "Outdoors: it falls without any wind."
    when = _when(stance.windy, stance)
    if stance.holds:
        mean = f"a mean wind of {held / stance.assumed.gust_factor:.1f}"
        return f"Outdoors: stands in gusts up to {held:.1f} m/s ({mean}){when}; gusts of {gust:.1f} m/s are expected."
    words = (
        f"Not safe outdoors on this base. A gust of {held:.1f} m/s tips or slides it{when}; {gust:.1f} m/s is expected"
    )
    if stance.base_mass is not None:
        radius = format_length(round(stance.base_radius, -1), units)
        words += f"; a base of {mass_words(stance.base_mass, units)} on a radius of {radius} would hold that"
    return f"{words}."


def stand_words(piece_plan: PiecePlan, stance: Stance, units: UnitSystem) -> tuple[str, ...]:
    """How a piece stands, fixings, water weight: sentences for panel and print, without the assumptions."""
    if not piece_plan.balloon_count:
        return ("No balloons yet: choose rows to see how it stands.",)
    if is_hung(piece_plan.piece, piece_plan.assembly):
        hangs = mass_words(stance.finished.balance.mass_g, units)
        bears = "What it hangs on, and every cord, must be rated for it"
        whole = f"It hangs: {hangs} with all that is on it. {bears}; ask whoever answers for the ceiling."
        return (whole, *mount_words(piece_plan, stance, units))
    sentences = [*stance_sentences(stance, units)]
    if any(load.mount == "wall" for load in mount_loads(piece_plan, 0.0, 0.0)):
        sentences.append("It is tied to the wall too; that is not counted: what holds it there has to be looked at.")
    sentences += [wish_words(wish, units) for wish in wishes_of(piece_plan.piece.parts)]
    if piece_plan.piece.frame.base.is_tied_on:
        sentences.append("The weight on its ribbon keeps the piece from wandering off, not from tipping over.")
    stands_straight = not piece_plan.assembly.strands
    if stands_straight and (water := water_words(water_weight(piece_plan), stance, units)):
        sentences.append(water)
    return tuple(sentences)


def mount_words(piece_plan: PiecePlan, stance: Stance, units: UnitSystem) -> Iterator[str]:
    """What each thing that a hanging piece is tied to bears."""
    balance = stance.finished.balance
    for row, mount, bears_g in mount_loads(piece_plan, balance.mass_g, balance.x):
        what = "bears" if bears_g >= 0 else "is pulled up with"
        yield f"Row {row + 1}: {MOUNTS[mount]} {what} {mass_words(abs(bears_g), units)}."


def water_words(grams: float | None, stance: Stance, units: UnitSystem) -> str:
    """What water weight fits into the hole of row 1 and whether that is enough; empty without rows."""
    if grams is None:
        return ""
    if grams < _LEAST_WATER_G:
        return "The hole of row 1 has no room for a water weight."
    words = f"The hole of row 1 holds a water weight of about {mass_words(grams, units)}"
    wanted = stance.ballast.mass_g if stance.ballast and not stance.ballast.offset else 0.0
    if stance.stands or not wanted:
        return f"{words}."
    return f"{words}: {'enough' if grams >= wanted else 'not enough'} to make it stand."


def frame_words(frame: Frame, units: UnitSystem) -> str:
    """A frame in a few words."""
    base = "no base" if not frame.base.is_there else f"{frame.base.kind} of {mass_words(frame.base.mass_g, units)}"
    if frame.has_pole:
        return f"pole of {thickness(frame.pole_diameter_mm, units)} on a {base}"
    return f"{'line' if frame.kind == 'line' else 'link frame'} on a {base}"


def assumption_sentences(stance: Stance) -> tuple[str, ...]:
    """List the assumptions, to be shown with every figure."""
    a = stance.assumed
    return (
        f"Estimate, not an approval. Assumed: a level, hard, dry floor with a friction of {FRICTION:g}; a foot that "
        "does not give; a stiff pole; balloons as heavy as their latex. Without a base it stands on the lowest points "
        "of its balloons.",
        f"It should withstand a lean of {math.degrees(a.tilt):.0f}° and a level push of {a.push:g} N once finished; "
        "half-built, with somebody beside it, it need only stand by itself.",
        f"Wind: ½ × 1.2 kg/m³ × gust² × {a.drag:g} × area of the drawn silhouette at its middle height, from the worst "
        f"of all sides; a mean wind is taken to gust {a.gust_factor:g} times as fast.",
    )
