"""`kakushi export`: write documents of a job."""

from __future__ import annotations

import argparse
import re
from pathlib import Path

from kakushi.cli.common import dossier_of, planned, write_told
from kakushi.cli.parser import Parser
from kakushi.formats.skin_svg import SMALLEST_SCALE, skin_pages, skin_svg
from kakushi.model.errors import BadInput
from kakushi.model.units import UnitSystem
from kakushi.production.dossier import Dossier

FORMATS = ("pdf", "xlsx", "csv", "png", "svg")


def add_arguments(p: Parser) -> None:
    """Give the parser of the command its arguments."""
    p.add_argument("job", type=Path)
    p.add_argument("--to", type=Path, required=True, help="folder, made if missing")
    p.add_argument("--formats", default=",".join(FORMATS), help=f"of {','.join(FORMATS)} (default all)")
    p.add_argument("--units", choices=[u.value for u in UnitSystem], default=UnitSystem.METRIC.value)
    p.add_argument("--scale", type=float, default=0.1, help="of the skin drawn as SVG, 1 is full size (default 0.1)")
    p.add_argument("--pages", action="store_true", help="the skin also in A4 pages with marks")
    p.set_defaults(run=_export)


def _export(arguments: argparse.Namespace) -> None:
    if not SMALLEST_SCALE <= arguments.scale <= 1:
        raise BadInput(f"The scale of the skin must lie between {SMALLEST_SCALE:g} and 1.")
    formats = [f.strip().lower() for f in arguments.formats.split(",") if f.strip()]
    if strange := [f for f in formats if f not in FORMATS]:
        raise BadInput(f"Cannot export “{strange[0][:20]}” yet; there are {', '.join(FORMATS)}.")
    job_plan = planned(arguments.job)
    dossier = dossier_of(job_plan)
    arguments.to.mkdir(parents=True, exist_ok=True)
    stem = arguments.job.stem
    if "pdf" in formats:
        _export_pdf(dossier, arguments.to, stem, UnitSystem(arguments.units))
    if "csv" in formats:
        from kakushi.formats.lists_csv import list_csv
        from kakushi.formats.supplies_csv import supplies_csv

        write_told(arguments.to / f"{stem}-supplies.csv", supplies_csv(job_plan).encode())
        for key, listing in dossier.lists.items():
            if key != "supplies":
                write_told(arguments.to / f"{stem}-{key}.csv", list_csv(listing, job_plan.job).encode())
    if "xlsx" in formats:
        from kakushi.formats.workbook import workbook_bytes

        write_told(arguments.to / f"{stem}.xlsx", workbook_bytes(dossier.lists.values(), job_plan.job))
    for piece in job_plan.pieces:
        slug = re.sub(r"[^\w-]+", "-", piece.piece.name).strip("-") or "piece"
        name = f"{stem}-{piece.piece.key}-{slug[:60]}"
        if "png" in formats:
            from kakushi.formats.png import piece_image, png_bytes

            write_told(arguments.to / f"{name}.png", png_bytes(piece_image(piece, job_plan.job, 800, 1000)))
        if "svg" in formats and piece.piece.rows:
            write_told(arguments.to / f"{name}-skin.svg", skin_svg(piece, job_plan.job, arguments.scale).encode())
            pages = skin_pages(piece, job_plan.job, arguments.scale) if arguments.pages else []
            for number, page in enumerate(pages, 1):
                write_told(arguments.to / f"{name}-skin-page-{number}.svg", page.encode())


def _export_pdf(dossier: Dossier, folder: Path, stem: str, units: UnitSystem) -> None:
    from kakushi.formats.pdf import dossier_pdf
    from kakushi.formats.pdf_quote import cost_pdf, labels_pdf, quote_pdf

    write_told(folder / f"{stem}.pdf", dossier_pdf(dossier, units))
    write_told(folder / f"{stem}-quote.pdf", quote_pdf(dossier, units))
    write_told(folder / f"{stem}-cost.pdf", cost_pdf(dossier, units))
    write_told(folder / f"{stem}-labels.pdf", labels_pdf(dossier))
