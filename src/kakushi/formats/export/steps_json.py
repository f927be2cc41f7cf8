"""Steps as JSON, with the keys other tools rely on (`docs/build.md`)."""

from __future__ import annotations

import math
from collections.abc import Iterable
from typing import Any

from kakushi.building.step import Step
from kakushi.colour.tying import Balloon
from kakushi.model.units import UnitSystem
from kakushi.plan.values import Plan
from kakushi.words.step_text import StepText, said_once, step_text
from kakushi.words.wording import Wording


def steps_json(steps: Iterable[Step], plan: Plan, units: UnitSystem = UnitSystem.METRIC) -> dict[str, Any]:
    """The steps as JSON, words in the chosen units; rows, slots, copies and places count from 1."""
    names = {piece.piece.key: piece.piece.name for piece in plan.pieces}
    wording = Wording(plan.job, units)
    told, hows = [], dict[int | None, set[str]]()
    for step in steps:
        # How it is done is said where a piece first needs it.
        text = said_once(step_text(step, wording), hows.setdefault(step.piece, set()))
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


def _balloon(balloon: Balloon) -> dict[str, Any]:
    return {
        "colour": balloon.colour,
        "nominal_in": balloon.nominal_in,
        "diameter_mm": round(balloon.diameter_mm, 2),
    }
