"""`kakushi export`: write documents of a job."""

from __future__ import annotations

import argparse
import datetime as dt
import re
import sys
from collections.abc import Callable, Iterator, Sequence
from functools import partial
from pathlib import Path

from kakushi.cli.common import add_force, add_units, check_free, dossier_of, planned, write_told
from kakushi.cli.parser import Parser, output_folder
from kakushi.formats.export.skin_svg import SMALLEST_SCALE, skin_pages, skin_svg
from kakushi.model.errors import BadInput
from kakushi.model.units import UnitSystem
from kakushi.plan.values import PiecePlan, Plan
from kakushi.words.lists import lists_of
from kakushi.workshop.dossier import Dossier

Document = tuple[str, Callable[[], bytes]]
"""A file's name and what makes its content."""

FORMATS = ("pdf", "xlsx", "csv", "png", "svg", "ics", "glb", "html")


def add_arguments(p: Parser) -> None:
    """Give the parser of the command its arguments."""
    p.add_argument("job", type=Path)
    p.add_argument("--to", type=output_folder, required=True, help="folder, made if missing")
    p.add_argument("--formats", default=",".join(FORMATS), help=f"of {','.join(FORMATS)} (default all)")
    add_units(p)
    p.add_argument("--scale", type=float, default=0.1, help="of the skin drawn as SVG, 1 is full size (default 0.1)")
    p.add_argument("--pages", action="store_true", help="the skin also in A4 pages with marks")
    add_force(p)
    p.set_defaults(run=_export)


def _export(arguments: argparse.Namespace) -> None:
    if not SMALLEST_SCALE <= arguments.scale <= 1:
        raise BadInput(f"The scale of the skin must lie between {SMALLEST_SCALE:g} and 1.")
    formats = [f.strip().lower() for f in arguments.formats.split(",") if f.strip()]
    if not formats:
        raise BadInput(f"--formats names none; there are {', '.join(FORMATS)}.")
    if strange := [f for f in formats if f not in FORMATS]:
        raise BadInput(f"Cannot export “{strange[0][:20]}” yet; there are {', '.join(FORMATS)}.")
    job_plan = planned(arguments.job)
    documents = dict(_documents(dossier_of(job_plan), formats, arguments))
    places = {arguments.to / name: make for name, make in documents.items()}
    check_free(places, arguments.force)
    arguments.to.mkdir(parents=True, exist_ok=True)
    for place, make in places.items():
        write_told(place, make())
    if "pdf" in formats:
        from kakushi.formats.print.text import not_printed

        if note := not_printed(job_plan.job):
            print(note, file=sys.stderr)


def _documents(dossier: Dossier, formats: Sequence[str], arguments: argparse.Namespace) -> Iterator[Document]:
    """Every document that is wanted: its name, and what makes its content."""
    stem, job_plan, units = arguments.job.stem, dossier.plan, UnitSystem(arguments.units)
    if "pdf" in formats:
        yield from _prints(dossier, stem, units)
    if "csv" in formats:
        from kakushi.formats.export.lists_csv import list_csv
        from kakushi.formats.export.supplies_csv import supplies_csv

        yield f"{stem}-supplies.csv", lambda: supplies_csv(job_plan).encode()
        for key, listing in lists_of(dossier, units).items():
            if key != "supplies":
                yield f"{stem}-{key}.csv", partial(lambda one: list_csv(one, job_plan.job).encode(), listing)
    if "xlsx" in formats:
        from kakushi.formats.export.workbook import workbook_bytes

        yield f"{stem}.xlsx", lambda: workbook_bytes(lists_of(dossier, units).values(), job_plan.job)
    if "ics" in formats and job_plan.job.brief.event_date is not None:
        from kakushi.building.schedule import scheduled
        from kakushi.formats.export.schedule_ics import schedule_ics

        now = dt.datetime.now(dt.UTC)
        yield f"{stem}.ics", lambda: schedule_ics(scheduled(job_plan, dt.datetime.now()), job_plan.job, now)
    if "html" in formats and job_plan.pieces:
        from kakushi.formats.export.phone_html import phone_html

        yield f"{stem}.html", lambda: phone_html(dossier, units).encode()
    if "glb" in formats and job_plan.pieces:
        from kakushi.formats.export.scene_glb import job_glb

        yield f"{stem}.glb", lambda: job_glb(job_plan)
    for piece in job_plan.pieces:
        slug = re.sub(r"[^\w-]+", "-", piece.piece.name).strip("-") or "piece"
        yield from _pictures(piece, job_plan, f"{stem}-{piece.piece.key}-{slug[:60]}", formats, arguments)


def _prints(dossier: Dossier, stem: str, units: UnitSystem) -> Iterator[Document]:
    from kakushi.formats.print.pack import one_document, wanted_pdf

    yield f"{stem}.pdf", lambda: wanted_pdf(dossier, units)
    yield f"{stem}-quote.pdf", lambda: wanted_pdf(dossier, units, one_document("client"))
    yield f"{stem}-cost.pdf", lambda: wanted_pdf(dossier, units, one_document("cost"))
    yield f"{stem}-labels.pdf", lambda: wanted_pdf(dossier, units, one_document("labels"))
    if dossier.plan.job.days.people > 1:
        # Somebody who builds alone has them on the build sheets.
        yield f"{stem}-steps.pdf", lambda: wanted_pdf(dossier, units, one_document("helpers"))


def _pictures(
    piece: PiecePlan, job_plan: Plan, name: str, formats: Sequence[str], arguments: argparse.Namespace
) -> Iterator[Document]:
    """A piece as it looks, its skin, and that in pages."""
    job = job_plan.job
    if "png" in formats:
        from kakushi.formats.export.png import piece_image, png_bytes

        yield f"{name}.png", lambda: png_bytes(piece_image(piece, job, 800, 1000))
    if "glb" in formats and len(job_plan.pieces) > 1:
        from kakushi.formats.export.scene_glb import piece_glb

        yield f"{name}.glb", lambda: piece_glb(piece, job)
    if "svg" in formats and piece.piece.rows:
        yield f"{name}-skin.svg", lambda: skin_svg(piece, job, arguments.scale).encode()
        pages = skin_pages(piece, job, arguments.scale) if arguments.pages else []
        for number, page in enumerate(pages, 1):
            yield f"{name}-skin-page-{number}.svg", page.encode
