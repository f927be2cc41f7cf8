"""The log and what was learnt as JSON."""

from __future__ import annotations

from typing import Any

from kakushi.model.log import Learnt, LearntRate, LogEntry


def entry_json(entry: LogEntry) -> dict[str, Any]:
    """An entry."""
    return entry.model_dump(mode="json")


def rates_json(learnt: Learnt) -> dict[str, Any]:
    """What was learnt; `low` and `high` span 90 %."""
    return {
        "pops": [
            {"nominal_in": each.nominal_in, "finish": each.finish, "place": each.place, "fill": each.fill}
            | _rate(each, 6)
            | {"popped": each.popped}
            for each in learnt.pops
        ],
        "minutes": [{"kind": each.kind, "person": each.person} | _rate(each, 5) for each in learnt.minutes],
        "rise": [{"joint": each.joint, "packing": each.packing} | _rate(each, 5) for each in learnt.rise],
        "waste": [{"item": each.item} | _rate(each, 4) for each in learnt.waste],
        "scatter_mm": _rate(learnt.scatter, 3) if learnt.scatter else None,
        "softer": [{"softer": each.soft} | _rate(each, 6) | {"popped": each.popped} for each in learnt.soft],
        "shrink": _rate(learnt.shrink, 5) if learnt.shrink else None,
    }


def _rate(rate: LearntRate, digits: int) -> dict[str, float]:
    shown = {name: round(getattr(rate, name), digits) for name in ("mean", "low", "high")}
    return {**shown, "seen": int(rate.seen)}
