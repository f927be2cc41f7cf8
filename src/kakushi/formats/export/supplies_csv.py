"""The supplies list as CSV: one line per piece, nominal size and colour, so that every column adds up to the job."""

from __future__ import annotations

import csv
import io

from kakushi.formats.export.spreadsheet_text import plain
from kakushi.model.job import Job
from kakushi.plan.values import Plan
from kakushi.workshop.supplies import SupplyLine, supplies_of

COLUMNS = ("piece", "copies", "nominal_in", "colour", "code", "finish", "needed", "spares", "total")


def supplies_csv(plan: Plan) -> str:
    """CSV text; cells that a spreadsheet would take for a formula are quoted with an apostrophe."""
    buffer = io.StringIO()
    writer = csv.writer(buffer, lineterminator="\n")
    writer.writerow(COLUMNS)
    supplies = supplies_of(plan)
    for piece in plan.pieces:
        for line in supplies.pieces[piece.piece.key]:
            writer.writerow(_cells(piece.piece.name, len(piece.piece.copies), line, plan.job))
    return buffer.getvalue()


def _cells(piece: str, copies: int, line: SupplyLine, job: Job) -> list[str | float | int]:
    colour = job.colour(line.colour)
    return [
        plain(piece),
        copies,
        f"{line.nominal_in:g}",
        plain(colour.name),
        plain(colour.code),
        colour.finish.value,
        line.needed,
        line.spares,
        line.total,
    ]
