"""Reading stock and supplies from CSV or XLSX of any layout: find the columns, then the lines. Nothing is trusted."""

from __future__ import annotations

import csv
import io
import math
import re
import zipfile
from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from pathlib import Path
from typing import Any

from kakushi.formats.store.atomic import read_limited
from kakushi.formats.store.limits import (
    STOCK_BYTES,
    STOCK_CELL,
    STOCK_COLUMNS,
    STOCK_ELEMENTS,
    STOCK_ENTRIES,
    STOCK_LINES,
    STOCK_SHEETS,
    STOCK_UNPACKED,
)
from kakushi.model.catalogue import BalloonColour
from kakushi.model.errors import BadInput
from kakushi.model.quantities import is_two_ways
from kakushi.model.workshop import StockItem

FIELDS = ("nominal", "colour", "balloons")
_WORDS = {
    "nominal": ("nominal", "size", "inch", "zoll", "diameter"),
    "colour": ("colour", "color", "shade"),
    "balloons": ("balloons", "on hand", "on_hand", "stock", "quantity", "count", "qty", "total", "number"),
}
_MAX_BALLOONS = 1_000_000
"""Most balloons of one line: more is a misread column."""


@dataclass(frozen=True, slots=True)
class Sheet:
    """A table as read: heads and lines of text, all lines as long as the heads."""

    name: str
    heads: tuple[str, ...]
    lines: tuple[tuple[str, ...], ...]


@dataclass(frozen=True, slots=True)
class Mapping:
    """Which column (from 0) holds what."""

    nominal: int
    colour: int
    balloons: int


@dataclass(frozen=True, slots=True)
class Imported:
    """Stock found, and a sentence for every line that was left out."""

    items: tuple[StockItem, ...]
    problems: tuple[str, ...]


def read_sheets(path: Path) -> list[Sheet]:
    """The tables of a CSV or XLSX file; cells as shown, formulas never worked out. Raises BadInput."""
    data = read_limited(path, STOCK_BYTES, "a list")
    if data[:2] == b"PK":
        return _xlsx_sheets(data, path.name)
    return [_csv_sheet(data, path.name)]


def _csv_sheet(data: bytes, name: str) -> Sheet:
    try:
        text = data.decode("utf-8-sig")
    except UnicodeDecodeError:
        text = data.decode("cp1252", errors="replace")
    if "\0" in text:
        raise BadInput(f"“{name}” is not a table of text.")
    sample = text[:4096]
    delimiter = max(",;\t|", key=sample.count)
    try:
        lines = []
        for line in csv.reader(io.StringIO(text), delimiter=delimiter):
            lines.append(line)
            if len(lines) > STOCK_LINES:
                raise BadInput(f"“{name}” has more than {STOCK_LINES} lines.")
    except csv.Error as error:
        raise BadInput(f"“{name}” is damaged: {error}.") from error
    return _sheet(name, lines)


_HEADS_WITHIN = 100
"""Lines from the top that may say what the columns are; a list may begin below a letterhead."""


def _xlsx_sheets(data: bytes, name: str) -> list[Sheet]:
    from openpyxl import load_workbook  # noqa: PLC0415 - large, and only needed here

    try:
        with zipfile.ZipFile(io.BytesIO(data)) as archive:
            entries = archive.infolist()
            if len(entries) > STOCK_ENTRIES:
                raise BadInput(f"“{name}” holds too many files to be a list.")
            if sum(entry.file_size for entry in entries) > STOCK_UNPACKED:
                raise BadInput(f"“{name}” unpacks to more than {STOCK_UNPACKED // 2**20} MB and was left alone.")
            # Counted before the elements are read one by one, which takes a thousand times as long.
            if sum(archive.read(entry).count(b"<") for entry in entries) > 2 * STOCK_ELEMENTS:
                raise BadInput(f"“{name}” has too many cells to be a list; keep only the columns that matter.")
        book = load_workbook(io.BytesIO(data), read_only=True, data_only=True, keep_links=False)
        try:
            sheets = [
                _sheet(f"{name}: {sheet.title}", _xlsx_lines(sheet, name)) for sheet in book.worksheets[:STOCK_SHEETS]
            ]
        finally:
            book.close()
    except BadInput:
        raise
    except Exception as error:  # openpyxl raises many kinds for files made to break it
        raise BadInput(f"“{name}” is damaged or not a workbook.") from error
    return [sheet for sheet in sheets if sheet.heads]


def _xlsx_lines(sheet: Any, name: str) -> list[list[str]]:
    lines = []
    for line in sheet.iter_rows(values_only=True, max_row=STOCK_LINES + 1, max_col=STOCK_COLUMNS):
        cells = ["" if cell is None else str(cell)[:STOCK_CELL] for cell in line]
        while cells and not cells[-1]:
            cells.pop()
        lines.append(cells)
        if len(lines) > STOCK_LINES:
            raise BadInput(f"“{name}” has more than {STOCK_LINES} lines.")
    return lines


def _sheet(name: str, lines: Sequence[Sequence[str]]) -> Sheet:
    """The first line that looks like heads, and what follows."""
    filled = [[cell[:STOCK_CELL].strip() for cell in line[:STOCK_COLUMNS]] for line in lines]
    first = filled[:_HEADS_WITHIN]
    start = next((i for i, line in enumerate(first) if sum(bool(cell and _field(cell)) for cell in line) >= 2), None)
    if start is None:
        start = next((i for i, line in enumerate(filled) if sum(map(bool, line)) >= 2), None)
    if start is None:
        return Sheet(name, (), ())
    heads = tuple(filled[start])
    width = len(heads)
    body = [tuple((*line, *[""] * width)[:width]) for line in filled[start + 1 :] if any(line)]
    return Sheet(name, heads, tuple(body))


def _field(head: str) -> str | None:
    words = head.casefold()
    return next((field for field, known in _WORDS.items() if any(word in words for word in known)), None)


def guessed(sheet: Sheet) -> Mapping | None:
    """Guess the columns from their headings; None where one is missing."""
    places: dict[str, int] = {}
    for field, known in _WORDS.items():
        for word in known:
            column = next((i for i, head in enumerate(sheet.heads) if word in head.casefold()), None)
            if column is not None and column not in places.values():
                places[field] = column
                break
    return Mapping(**places) if len(places) == len(FIELDS) else None


def imported(sheet: Sheet, mapping: Mapping, palette: Iterable[BalloonColour]) -> Imported:
    """Stock in the lines of a sheet: sizes in inches, colours by name, code or key; equal ones are added up."""
    known: dict[str, str] = {}
    for colour in palette:
        known |= {colour.name.casefold(): colour.key, colour.key.casefold(): colour.key}
        known.setdefault(colour.code.casefold(), colour.key)
    counts: dict[tuple[float, str], int] = {}
    problems = []
    for number, line in enumerate(sheet.lines, 1):
        try:
            nominal = _nominal(line[mapping.nominal])
            colour_name = line[mapping.colour].lstrip("'")
            key = known.get(colour_name.casefold())
            if key is None:
                raise BadInput(f"no colour is called “{colour_name[:40]}”")
            balloons = _balloons(line[mapping.balloons])
        except BadInput as error:
            problems.append(f"Line {number}: {error}.")
            continue
        counts[nominal, key] = min(counts.get((nominal, key), 0) + balloons, _MAX_BALLOONS)
    items = tuple(StockItem(nominal_in=n, colour=c, balloons=b) for (n, c), b in counts.items())
    return Imported(items, tuple(problems))


def _nominal(text: str) -> float:
    match = re.fullmatch(r"'?\s*(\d{1,2}(?:[.,]\d{1,2})?)\s*(?:\"|″|”|in|inch|inches|-inch)?\s*", text)
    value = float(match[1].replace(",", ".")) if match else math.nan
    if not 1 <= value <= 60:
        raise BadInput(f"“{text[:30]}” is no nominal size in inches")
    return value


def _balloons(text: str) -> int:
    cleaned = text.strip().lstrip("'").replace(" ", "")
    if cleaned.startswith(("=", "@")):
        raise BadInput("a formula is not a number of balloons")
    if is_two_ways(cleaned):
        raise BadInput(f"“{text[:30]}” can be read in two ways: write the number without the comma")
    try:
        value = float(cleaned.replace(",", "."))
    except ValueError as error:
        raise BadInput(f"“{text[:30]}” is no number of balloons") from error
    if not math.isfinite(value) or value != int(value):
        raise BadInput(f"“{text[:30]}” is no whole number of balloons")
    if not 0 <= value <= _MAX_BALLOONS:
        raise BadInput(f"{value:.0f} balloons cannot be in stock")
    return int(value)
