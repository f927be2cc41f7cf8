"""The supplies list as CSV: per piece, then the whole job."""

from __future__ import annotations

import csv
import io

from kakushi.formats.spreadsheet_text import plain
from kakushi.model.job import Job
from kakushi.plan.values import Plan
from kakushi.prep.supplies import SupplyLine

COLUMNS = ("piece", "copies", "nominal_in", "colour", "code", "finish", "needed", "spares", "total")
WHOLE_JOB = "whole job"


def supplies_csv(plan: Plan) -> str:
    """CSV text; cells that a spreadsheet would take for a formula are quoted with an apostrophe."""
    buffer = io.StringIO()
    writer = csv.writer(buffer, lineterminator="\n")
    writer.writerow(COLUMNS)
    for piece in plan.pieces:
        for line in piece.supplies:
            writer.writerow(_cells(piece.piece.name, len(piece.piece.copies), line, plan.job))
    for line in plan.supplies:
        writer.writerow(_cells(WHOLE_JOB, None, line, plan.job))
    return buffer.getvalue()


def _cells(piece: str, copies: int | None, line: SupplyLine, job: Job) -> list[str | float | int]:
    colour = job.colour(line.colour)
    return [
        plain(piece),
        "" if copies is None else copies,
        f"{line.nominal_in:g}",
        plain(colour.name),
        plain(colour.code),
        colour.finish.value,
        line.needed,
        line.spares,
        line.total,
    ]
