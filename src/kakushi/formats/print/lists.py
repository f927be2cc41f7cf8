"""A list of a job as a printed table."""

from __future__ import annotations

import dataclasses
from typing import Any

from reportlab.lib.units import mm
from reportlab.platypus import Flowable, LongTable

from kakushi.formats.print.style import BOX, GRID, QUIET, named_swatch, style
from kakushi.formats.print.text import paragraph
from kakushi.model.job import Job
from kakushi.model.units import UnitSystem
from kakushi.words.cells import cell_words
from kakushi.words.lists import Cell, Column, Listing

_SIZE = 8.2
"""Size of the type in lists, points."""
_BOX_WIDE = 6.0
"""Width of the boxes to tick, mm."""
_WIDE = 178.0
"""Width of a list, mm: A4 less its margins."""
_WEIGHTS = {"text": 3.0, "colour": 3.4}
"""Relative widths of columns by kind; `_DIGITS` for numbers."""
_WIDER = {
    "kind": 5.0, "words": 9.0, "advice": 4.0, "rows": 3.6, "content": 8.0, "cuts": 5.0, "item": 5.0, "what": 2.0,
    "unit": 1.2, "nominal": 1.9, "fill": 1.5, "sized_mm": 2.0,
}  # fmt: skip
_DIGITS = 1.7
"""Relative width of a column of numbers."""


def list_flowables(listing: Listing, job: Job) -> list[Flowable]:
    """Heading, note and table; empty where the list is."""
    if not listing.rows:
        return []
    listing = without_empty(listing)
    heads = ["", *(paragraph(column.head, style(8, bold=True)) for column in listing.columns)]
    cells: list[list[Any]] = [heads]
    cells += [
        [
            paragraph(BOX, style(9)),
            *(_cell(column, cell, job, listing.units) for column, cell in zip(listing.columns, row, strict=True)),
        ]
        for row in listing.rows
    ]
    if any(column.summed for column in listing.columns):
        cells.append(["", *_sums(listing)])
    weights = [_weight(column) for column in listing.columns]
    unit = (_WIDE - _BOX_WIDE) / sum(weights)
    widths = [_BOX_WIDE * mm, *(weight * unit * mm for weight in weights)]
    table = LongTable(cells, colWidths=widths, repeatRows=1)
    table.setStyle([*GRID, ("TOPPADDING", (0, 0), (-1, -1), 0.8), ("BOTTOMPADDING", (0, 0), (-1, -1), 1.6)])
    return [
        paragraph(listing.title, style(16, bold=True, after=2)),
        paragraph(listing.note, style(8.5, colour=QUIET, after=4)),
        table,
    ]


def without_empty(listing: Listing) -> Listing:
    """A list without the columns that say nothing in any row."""
    kept = [place for place, column in enumerate(listing.columns) if any(listing.column(column.key))]
    return dataclasses.replace(
        listing,
        columns=tuple(listing.columns[place] for place in kept),
        rows=tuple(tuple(row[place] for place in kept) for row in listing.rows),
    )


def _weight(column: Column) -> float:
    return _WIDER.get(column.key, _WEIGHTS.get(column.kind, _DIGITS))


def _cell(column: Column, cell: Cell, job: Job, units: UnitSystem) -> Flowable | list[Flowable]:
    words = cell_words(column, cell, job, units)
    if column.kind == "colour":
        return named_swatch(job.colour(str(cell)), words)
    return paragraph(words, style(_SIZE))


def _sums(listing: Listing) -> list[Flowable | str]:
    shown: list[Flowable | str] = []
    for column in listing.columns:
        words = cell_words(column, listing.total(column.key), None, listing.units) if column.summed else ""
        shown.append(paragraph(words or ("In all" if not shown else ""), style(_SIZE, bold=True)))
    return shown
