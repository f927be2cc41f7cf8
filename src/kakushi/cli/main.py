"""Command line of the headless commands. Exit 0, or one line on stderr and exit 2."""

from __future__ import annotations

import argparse
import json
import math
import os
import re
import sys
from collections.abc import Sequence
from pathlib import Path
from typing import NoReturn

from pydantic import ValidationError

from kakushi import __version__
from kakushi.formats.atomic import reason, write_atomically
from kakushi.formats.job_file import load_job, save_job
from kakushi.formats.lists_csv import list_csv
from kakushi.formats.outline_file import load_outline
from kakushi.formats.paths import studio_path
from kakushi.formats.pdf import pack_pdf
from kakushi.formats.pdf_quote import cost_pdf, labels_pdf, quote_pdf
from kakushi.formats.plan_json import miss_json, piece_json, plan_json
from kakushi.formats.png import piece_image, png_bytes
from kakushi.formats.skin_svg import SMALLEST_SCALE, skin_pages, skin_svg
from kakushi.formats.supplies_csv import supplies_csv
from kakushi.model.catalogue import Studio
from kakushi.model.errors import BadInput, KakushiError
from kakushi.model.job import (
    LARGEST_HEIGHT_MM,
    SMALLEST_HEIGHT_MM,
    Brief,
    FitControls,
    Frame,
    Job,
    Outline,
    Piece,
    Tightness,
)
from kakushi.model.layers import SolidLayer
from kakushi.model.units import UnitSystem, parse_length_between
from kakushi.pack import Pack
from kakushi.planning import PiecePlan, Plan, fit_piece, plan, with_rows
from kakushi.shape.profile import PRESETS, default_outline
from kakushi.sim.forecast import ForecastFailed, SimulatedForecast, asked

COMMANDS = ("fit", "plan", "export", "render")
FORMATS = ("pdf", "xlsx", "csv", "png", "svg")
MOST_PIXELS = 40_000_000


class _Parser(argparse.ArgumentParser):
    def error(self, message: str) -> NoReturn:
        raise BadInput(f"{message} (see {self.prog} --help)")


def main(arguments: Sequence[str]) -> int:
    """Run a headless command; the exit code."""
    try:
        asked = _parser().parse_args(arguments)
        asked.run(asked)
    except (KakushiError, ValidationError) as error:
        print(f"kakushi: {_one_line(error)}", file=sys.stderr)
        return 2
    except BrokenPipeError:
        # Whoever read our output has seen enough.
        os.dup2(os.open(os.devnull, os.O_WRONLY), sys.stdout.fileno())
        return 0
    except OSError as error:
        print(f"kakushi: {reason(error)}", file=sys.stderr)
        return 2
    return 0


def _one_line(error: Exception) -> str:
    if isinstance(error, ValidationError):
        first = error.errors(include_url=False, include_input=False)[0]
        return f"{' '.join(map(str, first['loc']))}: {first['msg']}"
    return " ".join(str(error).split())


def _parser() -> argparse.ArgumentParser:
    parser = _Parser(prog="kakushi", description="Plan packed balloon columns. Without a command a window opens.")
    parser.add_argument("--version", action="version", version=f"kakushi {__version__}")
    commands = parser.add_subparsers(dest="command", required=True, parser_class=_Parser)
    _add_fit(commands)
    _add_plan(commands)
    _add_export(commands)
    _add_render(commands)
    return parser


# --- fit ---------------------------------------------------------------------------------


def _add_fit(commands: argparse._SubParsersAction[_Parser]) -> None:
    presets = ", ".join(p.name for p in PRESETS)
    p = commands.add_parser("fit", help="choose rows for an outline and a height")
    p.add_argument("outline", help=f"an SVG, PNG, JPEG or CSV file (height,radius), or a preset: {presets}")
    p.add_argument("--height", required=True, help="target height: 2100mm, 2.1 m, 6'10\"")
    p.add_argument("--counts", default="4", help="balloons per row that may be used, like 4,5 (default 4)")
    p.add_argument("--nominals", default="", help="nominal sizes in inches, like 5,9,11 (default all)")
    p.add_argument("--max-sizes", type=int, help="most different sizer settings")
    p.add_argument("--rows", type=int, help="exactly so many rows")
    p.add_argument("--ratio", type=float, help="largest ratio of neighbouring sizes, like 1.4")
    p.add_argument("--pole", default="25mm", help="pole diameter; 0 for none (default 25mm)")
    p.add_argument("--packing", default="snug", choices=[t.value for t in Tightness])
    p.add_argument("--geometry", action="store_true", help="list the balloons too")
    p.add_argument("--json", action="store_true", help="print JSON")
    p.add_argument("-o", "--output", type=Path, help="write a job with the piece")
    p.set_defaults(run=_fit)


def _fit(asked: argparse.Namespace) -> None:
    height = parse_length_between(asked.height, SMALLEST_HEIGHT_MM, LARGEST_HEIGHT_MM, what="height")
    pole = parse_length_between(asked.pole, 0.0, 300.0, what="pole diameter")
    outline, name = _outline(asked.outline, height)
    if asked.max_sizes is not None and not 1 <= asked.max_sizes <= 60:
        raise BadInput("--max-sizes must lie between 1 and 60.")
    if asked.rows is not None and not 1 <= asked.rows <= 200:
        raise BadInput("--rows must lie between 1 and 200.")
    if asked.ratio is not None and not 1.05 <= asked.ratio <= 5:
        raise BadInput("--ratio must lie between 1.05 and 5.")
    job = Job(brief=Brief(title=name))
    piece = Piece(
        key=1, name=name, target_height_mm=height, outline=outline,
        frame=Frame(kind="pole" if pole > 0 else "line", pole_diameter_mm=pole),
        tightness=Tightness(asked.packing), layers=(SolidLayer(colour=job.palette[0].key),),
        fit=FitControls(
            counts=_counts(asked.counts), nominals=_nominals(asked.nominals), max_sizes=asked.max_sizes,
            row_count=asked.rows, ratio_limit=asked.ratio,
        ),
    )  # fmt: skip
    studio = _studio()
    result = fit_piece(piece, studio)
    job = Job(brief=job.brief, pieces=(with_rows(piece, result.rows),))
    planned = plan(job, studio)
    found = planned.pieces[0]
    if asked.output:
        save_job(job, asked.output)
    if asked.json:
        told = {"notes": list(result.notes), "misses": [miss_json(miss) for miss in result.misses]}
        print(json.dumps(piece_json(found, planned, asked.geometry) | told, indent=1))
    else:
        print("\n".join([_words(found, job), *(f"  note: {note}" for note in result.notes)]))


def _outline(text: str, height: float) -> tuple[Outline, str]:
    path = Path(text)
    if not path.suffix and not path.exists():
        return default_outline(text, height), text
    return load_outline(path, height), path.stem[:100] or "outline"


def _counts(text: str) -> tuple[int, ...]:
    if not re.fullmatch(r"\s*[2-8]\s*(,\s*[2-8]\s*)*", text):
        raise BadInput("--counts takes 2 to 8, like 4,5.")
    return tuple(dict.fromkeys(int(part) for part in text.split(",")))


def _nominals(text: str) -> tuple[float, ...]:
    if not text.strip():
        return ()
    known = [size.nominal_in for size in _studio().nominals]
    try:
        asked = tuple(dict.fromkeys(float(part.strip().rstrip('"″')) for part in text.split(",")))
    except ValueError as error:
        raise BadInput("--nominals takes sizes in inches, like 5,9,11.") from error
    if strange := [f"{n:g}" for n in asked if n not in known]:
        raise BadInput(f"No {strange[0]}-inch balloon in the catalogue; it has {', '.join(f'{n:g}' for n in known)}.")
    return asked


# --- plan, export, render ------------------------------------------------------------------


def _add_plan(commands: argparse._SubParsersAction[_Parser]) -> None:
    p = commands.add_parser("plan", help="print what follows from a job")
    p.add_argument("job", type=Path)
    p.add_argument("--piece", help="only this piece")
    p.add_argument("--geometry", action="store_true", help="list the balloons too")
    p.add_argument("--json", action="store_true", help="print JSON")
    p.set_defaults(run=_plan)


def _plan(asked: argparse.Namespace) -> None:
    found = _planned(asked.job)
    pieces = [_piece(found, asked.piece)] if asked.piece is not None else list(found.pieces)
    if asked.json:
        print(json.dumps(plan_json(_pack(found), asked.piece, asked.geometry), indent=1))
    else:
        print("\n\n".join(_words(piece, found.job) for piece in pieces))


def _planned(path: Path) -> Plan:
    return plan(load_job(path), _studio())


def _pack(found: Plan) -> Pack:
    """The plan for the weather that the simulated service foretells."""
    try:
        forecast = asked(SimulatedForecast(), found.job.brief.event_date)
    except ForecastFailed as error:
        print(f"kakushi: {error}", file=sys.stderr)
        forecast = None
    return Pack(found, forecast)


def _studio() -> Studio:
    """The studio of this user; the defaults where there is none."""
    path = studio_path()
    if not path.exists():
        return Studio()
    from kakushi.formats.studio_store import load_studio  # noqa: PLC0415 - large, and only needed with a file

    studio, problem = load_studio(path)
    if problem:
        print(f"kakushi: {problem}", file=sys.stderr)
    return studio


def _piece(found: Plan, name: str) -> PiecePlan:
    for piece in found.pieces:
        if piece.piece.name == name:
            return piece
    names = ", ".join(f"“{p.piece.name}”" for p in found.pieces) or "none"
    raise BadInput(f"No piece is called “{name[:60]}”; the job has {names}.")


def _words(found: PiecePlan, job: Job) -> str:
    match = f"{found.match.mean:.0%}" if found.match else "–"
    lines = [
        f"{found.piece.name}: {found.height_mm:.0f} of {found.column_target_mm:.0f} mm, match {match}, "
        f"{found.balloon_count} balloons, {found.distinct_sizes} sizes"
    ]
    for index, row in enumerate(found.piece.rows):
        codes = " ".join(job.colour(key).code for key in found.colouring[index])
        slot = row.slots[0]
        lines.append(
            f"  row {index + 1:>3}  {row.count} × {slot.nominal_in:g} in to {row.diameter_mm:.0f} mm  "
            f"knot at {found.geometry.knots[index]:.0f} mm  {codes}"
        )
    return "\n".join([*lines, *(f"  note: {w}" for w in found.warnings)])


def _add_export(commands: argparse._SubParsersAction[_Parser]) -> None:
    p = commands.add_parser("export", help="write documents of a job")
    p.add_argument("job", type=Path)
    p.add_argument("--to", type=Path, required=True, help="folder, made if missing")
    p.add_argument("--formats", default=",".join(FORMATS), help=f"of {','.join(FORMATS)} (default all)")
    p.add_argument("--units", choices=[u.value for u in UnitSystem], default=UnitSystem.METRIC.value)
    p.add_argument("--scale", type=float, default=0.1, help="of the skin drawn as SVG, 1 is full size (default 0.1)")
    p.add_argument("--pages", action="store_true", help="the skin also in A4 pages with marks")
    p.set_defaults(run=_export)


def _export(asked: argparse.Namespace) -> None:
    if not SMALLEST_SCALE <= asked.scale <= 1:
        raise BadInput(f"The scale of the skin must lie between {SMALLEST_SCALE:g} and 1.")
    formats = [f.strip().lower() for f in asked.formats.split(",") if f.strip()]
    if strange := [f for f in formats if f not in FORMATS]:
        raise BadInput(f"Cannot export “{strange[0][:20]}” yet; there are {', '.join(FORMATS)}.")
    found = _planned(asked.job)
    pack = _pack(found)
    asked.to.mkdir(parents=True, exist_ok=True)
    stem = asked.job.stem
    if "pdf" in formats:
        _export_pdf(pack, asked.to, stem, UnitSystem(asked.units))
    if "csv" in formats:
        _write(asked.to / f"{stem}-supplies.csv", supplies_csv(found).encode())
        for key, listing in pack.lists.items():
            if key != "supplies":
                _write(asked.to / f"{stem}-{key}.csv", list_csv(listing, found.job).encode())
    if "xlsx" in formats:
        from kakushi.formats.workbook import workbook_bytes  # noqa: PLC0415 - large, and only needed here

        _write(asked.to / f"{stem}.xlsx", workbook_bytes(pack.lists.values(), found.job))
    for piece in found.pieces:
        slug = re.sub(r"[^\w-]+", "-", piece.piece.name).strip("-") or "piece"
        name = f"{stem}-{piece.piece.key}-{slug[:60]}"
        if "png" in formats:
            _write(asked.to / f"{name}.png", png_bytes(piece_image(piece, found.job, 800, 1000)))
        if "svg" in formats and piece.piece.rows:
            _write(asked.to / f"{name}-skin.svg", skin_svg(piece, found.job, asked.scale).encode())
            pages = skin_pages(piece, found.job, asked.scale) if asked.pages else []
            for number, page in enumerate(pages, 1):
                _write(asked.to / f"{name}-skin-page-{number}.svg", page.encode())


def _export_pdf(pack: Pack, folder: Path, stem: str, units: UnitSystem) -> None:
    _write(folder / f"{stem}.pdf", pack_pdf(pack, units))
    _write(folder / f"{stem}-quote.pdf", quote_pdf(pack, units))
    _write(folder / f"{stem}-cost.pdf", cost_pdf(pack, units))
    _write(folder / f"{stem}-labels.pdf", labels_pdf(pack))


def _write(path: Path, data: bytes) -> None:
    write_atomically(path, data)
    print(path)


def _add_render(commands: argparse._SubParsersAction[_Parser]) -> None:
    p = commands.add_parser("render", help="draw a piece as PNG")
    p.add_argument("job", type=Path)
    p.add_argument("--piece", required=True)
    p.add_argument("--azimuth", type=float, default=0.0, help="degrees anticlockwise from the front (default 0)")
    p.add_argument("--size", default="800x1000", help="pixels (default 800x1000)")
    p.add_argument("-o", "--output", type=Path, required=True)
    p.set_defaults(run=_render)


def _render(asked: argparse.Namespace) -> None:
    size = re.fullmatch(r"(\d{1,5})[x×](\d{1,5})", asked.size.strip())
    if not size or not math.isfinite(asked.azimuth):
        raise BadInput("--size takes width and height in pixels, like 800x1000; --azimuth takes degrees.")
    width, height = int(size[1]), int(size[2])
    if not (width >= 16 and height >= 16 and width * height <= MOST_PIXELS):
        raise BadInput("A picture has at least 16 pixels a side and at most 40 million in all.")
    found = _planned(asked.job)
    image = piece_image(_piece(found, asked.piece), found.job, width, height, math.radians(asked.azimuth))
    _write(asked.output, png_bytes(image))
