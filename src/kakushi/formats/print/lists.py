"""A list of a job as a printed table."""

from __future__ import annotations

import dataclasses
from typing import Any

from reportlab.lib.units import mm
from reportlab.platypus import Flowable, LongTable

from kakushi.formats.print.style import GRID, QUIET, style, swatches
from kakushi.formats.print.text import paragraph
from kakushi.model.job import Job
from kakushi.model.units import UnitSystem
from kakushi.words.cells import cell_words
from kakushi.words.lists import Cell, Column, Listing

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
    heads = [paragraph(column.head, style(8.5, bold=True)) for column in listing.columns]
    cells: list[list[Any]] = [heads]
    cells += [
        [_cell(column, cell, job, listing.units) for column, cell in zip(listing.columns, row, strict=True)]
        for row in listing.rows
    ]
    if any(column.summed for column in listing.columns):
        cells.append(_sums(listing))
    weights = [_weight(column) for column in listing.columns]
    unit = _WIDE / sum(weights)
    table = LongTable(cells, colWidths=[weight * unit * mm for weight in weights], repeatRows=1)
    table.setStyle(GRID)
    return [
        paragraph(listing.title, style(16, bold=True, after=2)),
        paragraph(listing.note, style(9, colour=QUIET, after=5)),
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
        return [swatches([job.colour(str(cell))]), paragraph(words, style(8.5))]
    return paragraph(words, style(8.5))


def _sums(listing: Listing) -> list[Flowable | str]:
    shown: list[Flowable | str] = []
    for column in listing.columns:
        words = cell_words(column, listing.total(column.key), None, listing.units) if column.summed else ""
        shown.append(paragraph(words or ("In all" if not shown else ""), style(8.5, bold=True)))
    return shown
