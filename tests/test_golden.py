"""The demo's plan, as it was before the house was rebuilt: figures, supplies, prices."""

from __future__ import annotations

import json
import math
from collections.abc import Iterator
from pathlib import Path
from typing import Any

from kakushi.formats.export.plan_json import plan_json
from kakushi.formats.store.job_file import load_job
from kakushi.formats.store.paths import demo_job_path
from kakushi.model.catalogue import Studio
from kakushi.plan.pipeline import plan
from kakushi.sim.forecast import SimulatedForecast, forecast_for
from kakushi.workshop.dossier import Dossier

GOLDEN = Path(__file__).parent / "samples" / "demo-plan.json"
OF_PIECE = (
    "name", "copies", "height_mm", "overall_height_mm", "match_mean", "match_min", "balloon_count", "distinct_sizes",
    "supplies", "uses", "warnings", "advice", "colour_faults", "stand",
)  # fmt: skip
OF_JOB = ("supplies", "buying", "materials", "cuts", "packing", "cost", "price")


def summary(told: dict[str, Any]) -> dict[str, Any]:
    """What is compared of `kakushi plan --json`."""
    return {
        "pieces": [
            {key: piece[key] for key in OF_PIECE} | {"rows": [_row(row) for row in piece["rows"]]}
            for piece in told["pieces"]
        ],
        **{key: told[key] for key in OF_JOB},
        "duplets": sum(duplet["count"] for duplet in told["duplets"]),
    }


def _row(row: dict[str, Any]) -> list[Any]:
    return [row["count"], row["diameter_mm"], row["z_mm"], row["turn_deg"], [slot["colour"] for slot in row["slots"]]]


def differences(now: Any, then: Any, where: str = "") -> Iterator[str]:
    """Places where two summaries differ; lengths may differ by what another processor rounds."""
    if isinstance(now, dict) and isinstance(then, dict) and now.keys() == then.keys():
        for key in now:
            yield from differences(now[key], then[key], f"{where}/{key}")
    elif isinstance(now, list) and isinstance(then, list) and len(now) == len(then):
        for index, (a, b) in enumerate(zip(now, then, strict=True)):
            yield from differences(a, b, f"{where}/{index}")
    elif isinstance(now, float) and isinstance(then, int | float):
        if not math.isclose(now, then, rel_tol=1e-4, abs_tol=0.1):
            yield f"{where}: {now} was {then}"
    elif now != then:
        yield f"{where}: {now} was {then}"


def test_the_demo_is_planned_as_before() -> None:
    job = load_job(demo_job_path())
    dossier = Dossier(plan(job, Studio()), forecast_for(SimulatedForecast(), job.brief.event_date))
    now = json.loads(json.dumps(summary(plan_json(dossier, None, geometry=False))))
    assert list(differences(now, json.loads(GOLDEN.read_text("utf-8")))) == []
