"""Ways out of a build that went wrong as JSON, with the keys other tools rely on (`docs/build.md`)."""

from __future__ import annotations

from collections.abc import Iterable
from typing import Any

from kakushi.building.remedies import RescueOption
from kakushi.words.rescue import way_words
from kakushi.words.wording import Wording


def ways_json(ways: Iterable[RescueOption], wording: Wording) -> dict[str, Any]:
    """The ways, best first; rows from 1, lengths mm."""
    return {"ways": [_way(option, wording) for option in ways]}


def _way(option: RescueOption, wording: Wording) -> dict[str, Any]:
    planned = option.planned
    return {
        "words": way_words(option, wording),
        "changes": option.piece is not None,
        "rows": [
            {
                "row": index + 1,
                "count": row.count,
                "z_mm": round(float(planned.geometry.knots[index]), 2),
                "slots": [
                    {
                        "slot": slot + 1,
                        "nominal_in": each.nominal_in,
                        "diameter_mm": round(each.diameter_mm, 2),
                        "colour": colour,
                    }
                    for slot, (each, colour) in enumerate(zip(row.slots, planned.colouring[index], strict=True))
                ],
            }
            for index, row in enumerate(planned.piece.rows)
        ],
        "height_mm": round(option.height_mm, 2),
        "match_mean": None if option.match is None else round(option.match, 4),
        "uses": [
            {"item": use.item, "nominal_in": use.nominal_in, "colour": use.colour, "count": int(use.count)}
            for use in option.uses
        ],
        "more_balloons": option.balloons,
        "minutes": round(option.minutes, 1),
    }
