"""A check of a photograph as JSON, and what a simulated photograph holds, with the keys other tools rely on."""

from __future__ import annotations

import math
from typing import Any

from kakushi.check.model_spheres import ModelSpheres
from kakushi.check.practice import Practice
from kakushi.check.values import Result
from kakushi.words.check import fault_words, note_words, refusal_words
from kakushi.words.wording import Wording


def check_json(result: Result, wording: Wording) -> dict[str, Any]:
    """Pose, balloons and faults; rows and slots from 1, pixels of the photograph as it stands upright."""
    lean = None if result.lean is None else round(math.degrees(result.lean), 2)
    return {
        "pose": {
            "azimuth_deg": round(math.degrees(result.azimuth), 2),
            "lean_deg": lean,
            "px_per_m": round(result.px_per_m, 2),
            "confidence": round(result.confidence, 3),
            "azimuths_deg": [round(math.degrees(each), 1) for each in result.azimuths],
            "distance_mm": round(result.pose.distance),
            "eye_mm": round(result.pose.eye),
            "foot": [round(each, 1) for each in result.foot],
            "top": [round(each, 1) for each in result.top],
        },
        "refused": refusal_words(result.refused) if result.refused else "",
        "notes": [note_words(note) for note in result.notes],
        "balloons": [
            {
                "row": each.row + 1,
                "slot": each.slot + 1,
                "planned": each.planned,
                "seen": each.seen,
                "confidence": round(each.sure, 4),
                "x_px": round(each.x, 1),
                "y_px": round(each.y, 1),
                "r_px": round(each.radius, 1),
                "share": round(each.share, 3),
                "unjudged": each.why_not.value if each.why_not else "",
            }
            for each in result.balloons
        ],
        "faults": [
            {
                "kind": each.kind.value,
                "row": each.row + 1 if each.row >= 0 else None,
                "slot": each.slot + 1 if each.slot >= 0 else None,
                "x_px": round(each.at[0], 1),
                "y_px": round(each.at[1], 1),
                "r_px": round(each.at[2], 1),
                "confidence": round(each.likely, 3),
                "look": each.look,
                "words": fault_words(each, wording, result.in_frames),
            }
            for each in result.faults
        ],
        "rows": [
            {
                "row": each.row + 1,
                "left_mm": _mm(each.left),
                "right_mm": _mm(each.right),
                "planned_left_mm": _mm(each.planned_left),
                "planned_right_mm": _mm(each.planned_right),
                "higher_mm": _mm(each.rise),
            }
            for each in result.sides
        ],
    }


def practice_json(practice: Practice, model: ModelSpheres) -> dict[str, Any]:
    """Describe a simulated photograph: how it was taken, its foot and top, and its faults."""
    shot, photo = practice.shot, practice.photograph
    places = {(int(r), int(s)): k for k, (r, s) in enumerate(zip(model.rows, model.slots, strict=True)) if r >= 0}

    def planned(row: int, slot: int) -> str:
        ball = places.get((row, slot))
        return "" if ball is None else model.palette[int(model.colours[ball])].key

    return {
        "azimuth_deg": round(math.degrees(shot.azimuth), 2),
        "lean_deg": round(math.degrees(practice.lean), 2),
        "distance_mm": round(shot.distance_mm),
        "eye_mm": round(shot.eye_mm),
        "foot": [round(each, 1) for each in photo.foot],
        "top": [round(each, 1) for each in photo.top],
        "faults": [
            {
                "kind": each.kind,
                "row": each.row + 1,
                "slot": each.slot + 1,
                "planned": planned(each.row, each.slot),
                "there": each.colour,
                "size": each.size,
            }
            for each in practice.made
        ],
        "seen": [
            {"row": row + 1, "slot": slot + 1, "share": round(share, 3)}
            for row, slot, share in practice.seen
            if row >= 0
        ],
    }


def _mm(value: float) -> float | None:
    return round(value, 1) if math.isfinite(value) else None
