"""Steps as JSON, with the keys other tools rely on (`docs/build.md`)."""

from __future__ import annotations

import math
from collections.abc import Iterable
from typing import Any

from kakushi.building.step import LayingRow, Step
from kakushi.colour.relation import AllAlike, BalloonLabel, Balloons, Beside, Faces, Lies, Relation
from kakushi.colour.tying import Balloon
from kakushi.model.units import UnitSystem
from kakushi.plan.values import Plan
from kakushi.words.rows import Said
from kakushi.words.step_text import StepText, said_once, step_text
from kakushi.words.wording import Wording


def steps_json(steps: Iterable[Step], plan: Plan, units: UnitSystem = UnitSystem.METRIC) -> dict[str, Any]:
    """The steps as JSON, words in the chosen units; rows, slots, copies and places count from 1."""
    names = {piece.piece.key: piece.piece.name for piece in plan.pieces}
    wording = Wording(plan.job, units)
    told, known = [], dict[tuple[int | None, int | None], dict[str, Said]]()
    for step in steps:
        # How it is done is said where a copy first needs it.
        text = said_once(step_text(step, wording), known.setdefault((step.piece, step.copy), {}))
        told.append(_step(step, names, text))
    return {"job": plan.job.brief.title, "steps": told}


def _step(step: Step, names: dict[int, str], text: StepText) -> dict[str, Any]:
    told: dict[str, Any] = {
        "step": step.key,
        "piece": None if step.piece is None else names[step.piece],
        "copy": None if step.copy is None else step.copy + 1,
        "kind": step.kind.value,
        "headline": text.headline,
        "words": text.words,
        "how": text.how,
        "after": list(step.after),
        "minutes": round(step.minutes, 2),
        "wait_minutes": round(step.wait_minutes, 2),
        "row": None if step.row is None else step.row.index + 1,
        "on": None if step.row is None or step.row.on is None else step.row.on + 1,
        "relation": _relation(step.fact.relation) if isinstance(step.fact, LayingRow) else None,
        "any_way": step.fact.any_way if isinstance(step.fact, LayingRow) else None,
        "knot_mm": round(step.fact.knot_mm, 1) if isinstance(step.fact, LayingRow) and step.fact.knot_mm else None,
        "group": None if step.row is None else step.row.group + 1,
        "run": step.run,
        "uses": [
            {
                "item": use.item,
                "nominal_in": use.nominal_in,
                "colour": use.colour,
                "count": int(use.count) if use.count.is_integer() else round(use.count, 6),
                "unit": use.unit,
            }
            for use in step.uses
        ],
        "ties": [[_balloon(balloon) for balloon in bunch] for bunch in step.ties],
        "half_turns": None,
        "lock": None,
        "places": [
            {"slot": spot.slot + 1, "azimuth_deg": round(math.degrees(spot.azimuth) % 360, 2), **_balloon(spot.balloon)}
            for spot in step.places
        ],
    }
    if step.laid is not None:
        laid = step.laid
        told |= {
            "ties": [[_balloon(balloon) for balloon in bunch] for bunch in laid.ties],
            "half_turns": laid.half_turns,
            "lock": None if laid.lock is None else [place + 1 for place in laid.lock],
            "school": laid.school,
            "first_slot": laid.first + 1,
            "taught": laid.is_taught,
        }
    return told


def _relation(fact: Relation) -> dict[str, Any]:
    """How a row lies, as a value: `kind` of place, the neighbours there, `turn` in degrees to the right of the front.

    `what`: the balloons it is said of, `each` where several of the row are meant.
    """
    match fact:
        case AllAlike(place, below, as_they_fall):
            kind = "on" if place == "balloon" else "gap" if place == "gap" else "beside"
            side = place if kind == "beside" else None
            return {"kind": kind, "what": None, "each": not as_they_fall, "side": side, "on": None, "left": [],
                    "right": [], "turn": None, "below": below}  # fmt: skip
        case Faces(what, turn, several, all_alike):
            about = None if all_alike else what.label if isinstance(what, Balloons) else None
            kind = "balloon faces" if isinstance(what, Balloons) else "gap faces"
            return {"kind": kind, "what": _label(about), "each": several, "side": None, "on": None,
                    "left": _labels(what.left), "right": _labels(what.right),
                    "turn": round(math.degrees(turn), 2), "below": None}  # fmt: skip
        case Lies(what, on, below, several, _, rows):
            under = on.balloon if isinstance(on, Beside) else on
            return {
                "kind": "beside" if isinstance(on, Beside) else "on" if isinstance(on, Balloons) else "gap",
                "what": _label(what.label), "what_left": _labels(what.left), "what_right": _labels(what.right),
                "each": several, "side": _SIDES[on.on_left] if isinstance(on, Beside) else None,
                "on": _label(under.label) if isinstance(under, Balloons) else None,
                "left": _labels(under.left), "right": _labels(under.right), "turn": None, "below": below, "rows": rows,
            }  # fmt: skip


_SIDES = {True: "left", False: "right", None: None}
"""On which side of a balloon another one lies beside it; None: on it or on either side."""


def _labels(labels: Iterable[BalloonLabel]) -> list[dict[str, Any] | None]:
    """Neighbours, the nearest first."""
    return [_label(label) for label in labels]


def _label(label: BalloonLabel | None) -> dict[str, Any] | None:
    """A balloon by colour (null for any) and size (a word, a diameter in mm, or null)."""
    return None if label is None else {"colour": label.colour or None, "size": label.size}


def _balloon(balloon: Balloon) -> dict[str, Any]:
    return {
        "colour": balloon.colour,
        "nominal_in": balloon.nominal_in,
        "diameter_mm": round(balloon.diameter_mm, 2),
    }
