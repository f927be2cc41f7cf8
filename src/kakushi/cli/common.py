"""What the commands share: the parser, the studio, plans and words."""

from __future__ import annotations

import os
import sys
from collections.abc import Iterable
from pathlib import Path

from kakushi.cli.parser import Parser
from kakushi.formats.atomic import write_atomically
from kakushi.formats.job_file import load_job
from kakushi.formats.paths import studio_path
from kakushi.model.catalogue import Studio
from kakushi.model.errors import BadInput
from kakushi.model.job import Job
from kakushi.model.values import replace
from kakushi.plan.pipeline import plan
from kakushi.plan.values import PiecePlan, Plan
from kakushi.production.dossier import Dossier
from kakushi.sim.forecast import ForecastFailed, SimulatedForecast, forecast_for


def planned(path: Path, only: str | None = None) -> Plan:
    """The plan of a job file; `only` of the pieces of that name, where there are some. Raises JobFileError."""
    job = load_job(path)
    mine = tuple(piece for piece in job.pieces if piece.name == only)
    return plan(replace(job, pieces=mine) if mine else job, studio_of_user())


def dossier_of(job_plan: Plan) -> Dossier:
    """The plan for the weather that the simulated service foretells."""
    try:
        forecast = forecast_for(SimulatedForecast(), job_plan.job.brief.event_date)
    except ForecastFailed as error:
        print(f"kakushi: {error}", file=sys.stderr)
        forecast = None
    return Dossier(job_plan, forecast)


def studio_of_user() -> Studio:
    """The studio of this user; the defaults where there is none."""
    path = studio_path()
    if not path.exists():
        return Studio()
    from kakushi.formats.studio_store import load_studio

    studio, problem, _ = load_studio(path)
    if problem:
        print(f"kakushi: {problem}", file=sys.stderr)
    return studio


def piece_named(job_plan: Plan, name: str) -> PiecePlan:
    """The plan of the piece of that name. Raises BadInput."""
    for piece in job_plan.pieces:
        if piece.piece.name == name:
            return piece
    names = ", ".join(f"“{p.piece.name}”" for p in job_plan.pieces) or "none"
    raise BadInput(f"No piece is called “{name[:60]}”; the job has {names}.")


def piece_words(piece_plan: PiecePlan, job: Job) -> str:
    """A piece and its rows as lines of text."""
    match = f"{piece_plan.match.mean:.0%}" if piece_plan.match else "–"
    lines = [
        f"{piece_plan.piece.name}: {piece_plan.height_mm:.0f} of {piece_plan.column_target_mm:.0f} mm, match {match}, "
        f"{piece_plan.balloon_count} balloons, {piece_plan.distinct_sizes} sizes, {piece_plan.core_words}"
    ]
    for index, row in enumerate(piece_plan.piece.rows):
        codes = " ".join(job.colour(key).code for key in piece_plan.colouring[index])
        slot = row.slots[0]
        lines.append(
            f"  row {index + 1:>3}  {row.count} × {slot.nominal_in:g} in to {row.diameter_mm:.0f} mm  "
            f"knot at {piece_plan.geometry.knots[index]:.0f} mm  {codes}"
        )
    return "\n".join([*lines, *(f"  note: {w}" for w in piece_plan.warnings)])


def add_force(p: Parser) -> None:
    """Give a command that writes files the argument that lets it replace some."""
    p.add_argument("--force", action="store_true", help="replace files that are already there")


def check_free(paths: Iterable[Path], force: bool) -> None:
    """Refuse to replace files, before any is written. Raises BadInput with the first that is there."""
    there = [path for path in paths if path.exists()]
    if there and not force:
        more = f" and {len(there) - 1} more" if len(there) > 1 else ""
        verb = "are" if more else "is"
        raise BadInput(f"“{there[0]}”{more} {verb} already there and nothing was written; --force replaces.")


def write_told(path: Path, data: bytes) -> None:
    """Write a file and print its path. Raises JobFileError."""
    write_atomically(path, data)
    print(os.fsencode(path).decode("utf-8", "replace"))
