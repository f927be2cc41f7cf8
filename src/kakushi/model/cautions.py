"""The usual cautions, in plain words, for screens and prints. They never replace local rules."""

from __future__ import annotations

from collections.abc import Iterable

from kakushi.model.parts import FoilShape, Hung, Part, Starburst

GENERAL = (
    "Uninflated or burst balloons choke small children: pick up every piece, watch children under eight.",
    "Natural latex can cause serious allergy: ask client and venue. Never inflate by mouth.",
    "Nothing may fall: level floor, out of walkways and exits. Outdoors only with the venue’s consent, "
    "anchoring approved by someone competent.",
    "Keep away from heat, flame, spotlights, sprinklers and alarm beams; public buildings follow the fire authority.",
    "Never release balloons; collect and bin everything.",
)
DRESS = (
    "Metallised foil conducts: away from power lines and live parts. Never cut a foil’s valve off or let it fly.",
    "What hangs takes two fixings, each able to hold it alone, and hangs where nobody stands.",
    "Blades for film, ladders, hot glue: follow their makers; work from the floor where you can.",
)
STAND = (
    "A falling column hurts people. These figures are estimates with stated assumptions, never an approval: "
    "try it by hand, keep people away while building, take it down when the wind rises.",
    "Lamp stands are stripped of electrics first.",
    "Ladders, blades, saws, hot glue, spray paint: follow their makers; ventilate, wear a mask and eye protection.",
)
PREPARATION = (
    "Eye and ear protection when inflating many; jewellery off. Never inflate by mouth. "
    "Pick up every burst and uninflated balloon.",
)
ESTIMATE = "Heights are computed for balloons sized exactly and packed as stated; measure the first rows you build."


def cautions_of(parts: Iterable[Part]) -> tuple[str, ...]:
    """Cautions for the parts of a piece: for foil, for what hangs, and for tools, where there are any."""
    kinds = list(parts)
    foil, hangs, tools = DRESS
    has_foil = any(isinstance(part, FoilShape | Starburst) for part in kinds)
    has_hung = any(isinstance(part, Hung) for part in kinds)
    return (*((foil,) if has_foil else ()), *((hangs,) if has_hung else ()), *((tools,) if kinds else ()))
