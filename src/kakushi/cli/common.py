"""What the commands share: the parser, the studio, plans and words."""

from __future__ import annotations

import os
import sys
from collections.abc import Iterable
from pathlib import Path

from kakushi.cli.parser import Parser
from kakushi.formats.store.atomic import write_atomically
from kakushi.formats.store.job_file import load_job
from kakushi.formats.store.paths import studio_path
from kakushi.model.catalogue import Studio
from kakushi.model.errors import BadInput
from kakushi.model.job import Job
from kakushi.model.units import UnitSystem, format_nominal
from kakushi.model.values import replace
from kakushi.plan.pipeline import plan
from kakushi.plan.values import PiecePlan, Plan
from kakushi.sim.forecast import ForecastFailed, SimulatedForecast, forecast_for
from kakushi.words.plan import mechanics_words, note_words
from kakushi.words.wording import Wording
from kakushi.workshop.dossier import Dossier


def planned(path: Path, only: str | None = None) -> Plan:
    """The plan of a job file; `only` of the pieces of that name, where there are some. Raises JobFileError."""
    job = load_job(path)
    pieces = tuple(piece for piece in job.pieces if piece.name == only)
    return plan(replace(job, pieces=pieces) if pieces else job, studio_of_user())


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
    from kakushi.formats.store.studio_store import load_studio

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


def piece_words(piece_plan: PiecePlan, wording: Wording) -> str:
    """A piece and its rows as lines of text."""
    match = f"{piece_plan.match.mean:.0%}" if piece_plan.match else "–"
    height = f"{wording.length(piece_plan.height_mm)} of {wording.length(piece_plan.column_target_mm)}"
    lines = [
        f"{piece_plan.piece.name}: {height}, match {match}, {piece_plan.balloon_count} balloons, "
        f"{piece_plan.distinct_sizes} sizes, {mechanics_words(piece_plan)}"
    ]
    for index, row in enumerate(piece_plan.piece.rows):
        codes = " ".join(wording.code(key) for key in piece_plan.colouring[index])
        size = f"{format_nominal(row.slots[0].nominal_in)} to {wording.diameter(row.diameter_mm)}"
        knot = wording.length(float(piece_plan.geometry.knots[index]))
        lines.append(f"  row {index + 1:>3}  {row.count} × {size}  knot at {knot}  {codes}")
    return "\n".join([*lines, *(f"  note: {note_words(note, wording)}" for note in piece_plan.warnings)])


def add_units(p: Parser) -> None:
    """Give a command that prints sentences the argument for their units."""
    units = [system.value for system in UnitSystem]
    p.add_argument("--units", choices=units, default=UnitSystem.METRIC.value, help="of what is said (default cm)")


def wording_of(job: Job, units: str) -> Wording:
    """How the facts of a job are said with the units of `add_units`."""
    return Wording(job, UnitSystem(units))


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
