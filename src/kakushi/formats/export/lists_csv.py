"""Any list of a job as CSV: numbers plain, lengths in mm or inches as the list's units say, colours by name."""

from __future__ import annotations

import csv
import io

from kakushi.formats.export.spreadsheet_text import plain
from kakushi.model.job import Job
from kakushi.words.cells import plain_cell, plain_key
from kakushi.words.lists import Cell, Column, Listing


def list_csv(listing: Listing, job: Job) -> str:
    """CSV text with the columns' keys as heads."""
    buffer = io.StringIO()
    writer = csv.writer(buffer, lineterminator="\n")
    writer.writerow([plain(_key(column, listing)) for column in listing.columns])
    for row in listing.rows:
        writer.writerow(
            [
                _cell(column, plain_cell(column, cell, listing.units), job)
                for column, cell in zip(listing.columns, row, strict=True)
            ]
        )
    return buffer.getvalue()


def _key(column: Column, listing: Listing) -> str:
    is_piece = column.key.startswith("piece") and column.key != "piece"
    return column.head if is_piece else plain_key(column, listing)


def _cell(column: Column, cell: Cell, job: Job) -> Cell:
    if cell is None:
        return ""
    if column.kind == "colour":
        return plain(job.colour(str(cell)).name)
    if isinstance(cell, str):
        return plain(cell)
    return f"{cell:.2f}" if column.kind == "money" else round(cell, 3)
