"""What is said of parts: how they are put on and held, and what is not as it should be."""

from __future__ import annotations

import math
from collections.abc import Iterator, Mapping, Sequence

from kakushi.building.part_order import Order
from kakushi.building.step import PuttingOn, StepKind
from kakushi.dress.fixings import fixings_of
from kakushi.dress.kinds.flowers import petals_of
from kakushi.dress.table import kind_of, name_of
from kakushi.dress.wishes import (
    EvenNumber,
    LargerThanItsBalloon,
    NoSuchSigns,
    TooFewFixings,
    TurnsRound,
    Wish,
    WrongClusterSize,
    WrongForFoil,
)
from kakushi.model.groups import LinkFrameGroup
from kakushi.model.parts import Extended, FillerTie, Fixing, Flowers, Lettering, Part, Starburst, Sticks, Weight
from kakushi.model.piece import Piece
from kakushi.model.units import UnitSystem, format_length
from kakushi.packing.link_frames import numbers_of_joints, windows_of
from kakushi.words.wording import Wording, counted, listed, side_name

_RIBBON_ON_TOP = "Wind its ribbon round the top row, then tape the end down."
"""How a ribbon holds what stands on the top row."""
HELD: Mapping[Fixing, str] = {
    Fixing.LISTED: "",
    Fixing.STRIP: "Catch a strip in the knot before tying; wind its tails round the top two rows on both sides and tie "
    "them with two knots, three for transport.",
    Fixing.VALVE: "Roll the valve up and tie half a strip round the roll, never tight enough to cut the foil off.",
    Fixing.RIBBON: "Tie a length of ribbon to it, wind that round a balloon and tape its end down where nobody looks.",
    Fixing.DOTS: "Stick it on with four dots; they hold on latex, not on foil.",
    Fixing.MAGNET: "A magnet disc inside the balloon, another one behind what it holds.",
    Fixing.CROSSED: "At each point lay a strip on its back, tape over it crosswise, and knot the strip’s ends; tuck "
    "the tips out of sight.",
}
"""How a part is held."""
TIED: Mapping[FillerTie, str] = {
    FillerTie.ASTRIDE: "Hang two clusters on one whole strip astride a balloon; twist one balloon of each together.",
    FillerTie.LOOP: "Loop a strip round a neck of the row and tie the cluster on.",
    FillerTie.BAND: "Tie it on with a doubled band.",
    FillerTie.NECK: "Tie its neck to a neck of the row.",
    FillerTie.DOT: "Stick it on with two dots.",
    FillerTie.CHAIN: "Chain it on to the strip that hangs down.",
}
"""How a cluster of fillers is put on."""
HALF_A_STRIP = "Hang two clusters on half a strip astride a balloon; twist one balloon of each together."
"""The same astride a balloon for small clusters."""


def part_step_words(fact: PuttingOn, kind: StepKind, wording: Wording) -> str:
    """How a part is put on."""
    part, row, side_deg, joints = fact
    name, where = f"“{name_of(part)}”", "" if row is None else f" at row {row + 1}"
    if joints:
        where = f" {'at' if len(joints) == 1 else 'between'} {joints_words(joints)}"
    elif side_deg is not None:
        where += f", {side_name(side_deg)}"
    fixings = fixings_of(part) if isinstance(part, Extended) else 1
    match kind:
        case _ if joints:
            begin = f"Hang {name}{where}, by {counted(fixings, 'fixing')}."
        case StepKind.TOPPER if kind_of(part).standing(part):
            begin = f"Put {name} on top."
        case StepKind.HANG:
            begin = f"Hang {name}{where}, by {counted(fixings, 'fixing')}."
        case StepKind.WEIGHT:
            mass = f", {wording.mass(part.mass_g)}" if isinstance(part, Weight) and part.mass_g else ""
            begin = f"Put {name}{mass}{_place_of_weight(part, row, side_deg)}."
        case StepKind.CAP:
            begin = f"Pull {name} over the pole end."
        case _:
            begin = f"Stick {name} on its balloon." if isinstance(part, Lettering) else f"Put {name} on{where}."
    if isinstance(part, Sticks):
        begin = f"Cut {counted(part.sticks, 'piece')} to {wording.length(part.tall_mm)}. {begin}"
    if isinstance(part, Flowers) and (petals := petals_of(part)):
        middle = " round a middle" if part.middle_colour else ""
        begin = (
            f"Tie {counted(part.flowers, 'flower')}: {counted(petals, 'petal')}{middle} each, on a modelling balloon "
            f"as its stem. {begin}"
        )
    if isinstance(part, Starburst) and part.tied:
        pairs = counted(math.ceil(part.cones / 2), "pair")
        begin = (
            f"Tie {part.cones} small foils in {pairs} by their tails, twist the pairs into one another, then tie one "
            f"strip round the middle. {begin}"
        )
    return f"{begin} {_held_words(part)}".strip()


def _held_words(part: Part) -> str:
    """How a part is held; empty where nothing more is said of that."""
    if not isinstance(part, Extended):
        return ""
    return _RIBBON_ON_TOP if part.fixing is Fixing.RIBBON and kind_of(part).standing(part) else HELD[part.fixing]


def _place_of_weight(part: Part, row: int | None, side_deg: float | None) -> str:
    """Where a weight lies or hangs: on the foot, under a row's balloons, or beside them."""
    if row is None or not isinstance(part, Weight) or not part.height_mm:
        return " on the foot, at the pole"
    return f" inside row {row + 1}" if side_deg is None else f" at row {row + 1}, {side_name(side_deg)}"


def joints_words(joints: Sequence[int]) -> str:
    """Joints of a frame by their numbers."""
    return f"{'joint' if len(joints) == 1 else 'joints'} {listed(map(str, joints))}"


def windows_said(piece: Piece | None) -> Iterator[tuple[tuple[int, ...], str]]:
    """The windows of a piece's first open frame: the joints round each, and the same in words."""
    group = next((group for group in piece.groups if isinstance(group, LinkFrameGroup)), None) if piece else None
    if group is not None:
        numbers = numbers_of_joints(group)
        for window in windows_of(group):
            yield window, joints_words(sorted(numbers[joint] for joint in window))


def wish_words(wish: Wish, units: UnitSystem) -> str:
    """Say what is wrong with a part."""
    name = f"“{wish.name}”"
    match wish:
        case TooFewFixings(_, fixings):
            return f"{name} hangs by {counted(fixings, 'fixing')}: give it two, each able to hold it alone."
        case TurnsRound():
            return f"{name}: both its fixings are in the same place, so it can turn."
        case WrongForFoil(_, "dots"):
            return f"{name}: dots hold on latex, not on foil: stick them to the balloon it touches."
        case WrongForFoil():
            return f"{name}: a strip strangles a foil’s valve: roll the valve up and tie the roll."
        case NoSuchSigns(_, made_of, signs):
            what = "is no foil" if made_of == "foil" else "are no letters"
            return f"{name}: there {what} for {' '.join(signs)}."
        case WrongClusterSize(_, balloons, most):
            return f"{name} has {balloons} balloons in a cluster: 1 to {most} can be placed."
        case EvenNumber(_, clusters):
            return f"{name}: {clusters} clusters are an even number."
        case LargerThanItsBalloon(_, tall, most):
            said = format_length(tall, units), format_length(most, units)
            return f"{name} cannot be {said[0]} tall: its balloon is {said[1]} at most, and it is planned that tall."


def order_words(order: Order) -> str:
    """In which order parts are put on."""
    names = ", ".join(f"“{name_of(part)}”" for part in order.parts)
    if order.is_usual:
        return f"The usual order of the parts is as safe as any: it may lean {_degrees(order.usual_tilt)} at its worst."
    end = "falls at some step" if order.usual_tilt < 0 else f"only {_degrees(order.usual_tilt)}"
    if order.least_tilt < 0:
        return f"It falls at some step in any order. The least bad: {names}."
    return f"Safest order: {names}: it may lean {_degrees(order.least_tilt)} at its worst, in the usual order {end}."


def _degrees(angle: float) -> str:
    return f"{math.degrees(angle):.0f}°" if math.degrees(angle) >= 10 else f"{math.degrees(angle):.1f}°"
