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
from kakushi.model.outline import Outline
from kakushi.model.units import UnitSystem
from kakushi.model.values import replace
from kakushi.plan.pipeline import plan
from kakushi.plan.values import PiecePlan, Plan
from kakushi.shape.presets import default_outline
from kakushi.sim.forecast import ForecastFailed, SimulatedForecast, forecast_for
from kakushi.words.plan import mechanics_words, note_words
from kakushi.words.sizing import row_sizes
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


def outline_named(text: str, height: float, straightened: bool) -> tuple[Outline, str, float]:
    """The outline of a preset or a file, its name, and by how many degrees a picture of it was turned upright.

    Raises JobFileError or BadInput.
    """
    path = Path(text)
    if not path.suffix and not path.exists():
        return default_outline(text, height), text, 0.0
    from kakushi.formats.read.outline_file import load_outline, straightened_deg

    turned = straightened_deg(path) if straightened else 0.0
    return load_outline(path, height, straightened), shown_name(path.stem)[:100] or "outline", turned


def shown_name(text: str) -> str:
    """A file's name as text: names are bytes, and some of them are no text."""
    return os.fsencode(text).decode("utf-8", "replace")


def nominals_named(text: str, option: str) -> tuple[float, ...]:
    """Nominal sizes (in) of the user's catalogue, read from “5,9,11”; none for empty text. Raises BadInput."""
    if not text.strip():
        return ()
    known = [size.nominal_in for size in studio_of_user().nominals]
    try:
        sizes = tuple(dict.fromkeys(float(part.strip().rstrip('"″')) for part in text.split(",")))
    except ValueError as error:
        raise BadInput(f"{option} takes sizes in inches, like 5,9,11.") from error
    if strange := [f"{n:g}" for n in sizes if n not in known]:
        raise BadInput(f"No {strange[0]}-inch balloon in the catalogue; it has {', '.join(f'{n:g}' for n in known)}.")
    return sizes


def piece_words(piece_plan: PiecePlan, wording: Wording) -> str:
    """A piece and its rows as lines of text."""
    match = f"{piece_plan.match.mean:.0%}" if piece_plan.match else "–"
    height = f"{wording.length(piece_plan.height_mm)} of {wording.length(piece_plan.column_target_mm)}"
    lines = [
        f"{piece_plan.piece.name}: {height}, match {match}, {piece_plan.balloon_count} balloons, "
        f"{piece_plan.distinct_sizes} sizes, {mechanics_words(piece_plan)}"
    ]
    # What must be known before anything is built stands before the rows.
    lines += [f"  note: {note_words(note, wording)}" for note in piece_plan.warnings]
    for index, row in enumerate(piece_plan.piece.rows):
        codes = " ".join(wording.code(key) for key in piece_plan.colouring[index])
        knot = wording.length(float(piece_plan.geometry.knots[index]))
        lines.append(f"  row {index + 1:>3}  {row_sizes(row, wording.units)}  knot at {knot}  {codes}")
    return "\n".join(lines)


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
