"""The lists of a job as an XLSX workbook: one sheet a list, sums and differences as live formulas."""

from __future__ import annotations

import io
import re
from collections.abc import Iterable
from typing import Any

from openpyxl import Workbook
from openpyxl.cell.cell import TYPE_FORMULA, TYPE_STRING
from openpyxl.styles import Alignment, Font, PatternFill
from openpyxl.utils import get_column_letter
from openpyxl.worksheet.worksheet import Worksheet

from kakushi.model.job import Job
from kakushi.model.units import UnitSystem
from kakushi.words.cells import plain_cell
from kakushi.words.lists import Cell, Column, Listing

_FORMATS = {
    "money": "0.00", "amount": "0.##", "mm": "0.##", "minutes": "0", "count": "0", "setting": "0.00",
    "nominal": "0.##", "degrees": "0.0", "speed": "0.0",
}  # fmt: skip
_HEAD_ROW = 4
"""Row of the table's head: title, date and an empty row come first."""
_WIDEST, _NARROWEST = 60, 9
"""Widths of columns, characters."""
_ILLEGAL = re.compile(r"[\x00-\x08\x0b\x0c\x0e-\x1f]")
_HEAD_FILL = PatternFill("solid", fgColor="EDE7DA")


def workbook_bytes(listings: Iterable[Listing], job: Job) -> bytes:
    """The workbook; text is always text, whatever it begins with."""
    book = Workbook()
    book.remove(book.worksheets[0])
    for listing in listings:
        _fill(book.create_sheet(listing.title[:31].replace("?", "")), listing, job)
    book.properties.title = _clean(job.brief.title)
    buffer = io.BytesIO()
    book.save(buffer)
    return buffer.getvalue()


def _clean(text: str) -> str:
    return _ILLEGAL.sub(" ", text)


def _fill(sheet: Worksheet, listing: Listing, job: Job) -> None:
    _text(sheet, 1, 1, f"{job.brief.title}: {listing.title}").font = Font(bold=True, size=14)
    _text(sheet, 2, 1, listing.note)
    letters = {column.key: get_column_letter(place) for place, column in enumerate(listing.columns, 1)}
    for place, column in enumerate(listing.columns, 1):
        head = _text(sheet, _HEAD_ROW, place, _head(column, listing))
        head.font, head.fill = Font(bold=True), _HEAD_FILL
    for line, row in enumerate(listing.rows, _HEAD_ROW + 1):
        for place, (column, cell) in enumerate(zip(listing.columns, row, strict=True), 1):
            _put(
                sheet=sheet,
                line=line,
                place=place,
                column=column,
                cell=plain_cell(column, cell, listing.units),
                letters=letters,
                job=job,
            )
    last = _HEAD_ROW + len(listing.rows)
    for place, column in enumerate(listing.columns, 1):
        if column.summed and listing.rows:
            letter = get_column_letter(place)
            total = sheet.cell(last + 1, place, f"=SUM({letter}{_HEAD_ROW + 1}:{letter}{last})")
            total.font, total.number_format = Font(bold=True), _FORMATS.get(column.kind, "General")
    if any(column.summed for column in listing.columns) and listing.rows:
        _text(sheet, last + 1, 1, "In all").font = Font(bold=True)
    _widths(sheet, listing, job)
    sheet.freeze_panes = sheet.cell(_HEAD_ROW + 1, 1)


def _head(column: Column, listing: Listing) -> str:
    """A heading; of lengths and times with their unit, since cells are plain numbers."""
    units = {"mm": "in" if listing.units is UnitSystem.INCHES else "mm", "minutes": "min"}
    return f"{column.head}, {units[column.kind]}" if column.kind in units else column.head


def _put(
    *, sheet: Worksheet, line: int, place: int, column: Column, cell: Cell, letters: dict[str, str], job: Job
) -> None:
    if cell is None:
        return
    if isinstance(cell, str):
        shown = job.colour(cell).name if column.kind == "colour" else cell
        _text(sheet, line, place, shown)
        return
    target = sheet.cell(line, place)
    if column.formula:
        target.value = "=" + re.sub(r"\{(\w+)\}", lambda piece_plan: f"{letters[piece_plan[1]]}{line}", column.formula)
        target.data_type = TYPE_FORMULA
    else:
        target.value = cell
    target.number_format = _FORMATS.get(column.kind, "General")


def _text(sheet: Worksheet, line: int, place: int, text: str) -> Any:
    cell = sheet.cell(line, place)
    cell.value = _clean(text)
    # Without this a text that begins with = would be a formula.
    cell.data_type = TYPE_STRING
    cell.alignment = Alignment(vertical="top")
    return cell


def _widths(sheet: Worksheet, listing: Listing, job: Job) -> None:
    for place, column in enumerate(listing.columns, 1):
        cells = [job.colour(str(c)).name if column.kind == "colour" else c for c in listing.column(column.key)]
        longest = max([len(column.head), *(len(str(c)) for c in cells if isinstance(c, str))])
        sheet.column_dimensions[get_column_letter(place)].width = min(max(longest + 2, _NARROWEST), _WIDEST)
