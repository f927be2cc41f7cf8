"""Outlines from CSV: lines of `height,radius` or `height,left,right`, in mm."""

from __future__ import annotations

import codecs
import csv
import math
from itertools import groupby
from pathlib import Path

from kakushi.formats.store.atomic import read_limited
from kakushi.formats.store.limits import OUTLINE_CSV_BYTES, OUTLINE_POINTS
from kakushi.model.errors import BadInput
from kakushi.model.limits import LARGEST_HEIGHT_MM, LARGEST_WIDTH_MM
from kakushi.model.outline import OutlinePoint, PointsOutline, outline_through
from kakushi.model.quantities import is_two_ways


def load_outline_csv(path: Path) -> PointsOutline:
    """The outline in a CSV file. Raises JobFileError (cannot be read) or BadInput (says which line)."""
    data = read_limited(path, OUTLINE_CSV_BYTES, "an outline")
    wide = data.startswith((codecs.BOM_UTF16_LE, codecs.BOM_UTF16_BE))
    try:
        text = data.decode("utf-16" if wide else "utf-8-sig")
    except UnicodeDecodeError as error:
        raise BadInput(f"“{path.name}” is not a text file.", "outline") from error
    return outline_from_csv(text, path.stem)


def outline_from_csv(text: str, name: str) -> PointsOutline:
    """The outline in CSV text; commas, semicolons or tabs, an optional heading, `#` comments. Raises BadInput."""
    points: list[OutlinePoint] = []
    delimiter = next((d for d in (";", "\t") if d in text), ",")
    lines = [line for line in text.splitlines() if line.strip() and not line.lstrip().startswith("#")]
    try:
        cells_by_line = list(csv.reader(lines, delimiter=delimiter))
    except csv.Error as error:
        raise BadInput(f"The outline “{name}” is not a CSV file: {error}.", "outline") from error
    for number, cells in enumerate(cells_by_line, 1):
        if number == 1 and not _is_number(cells[0], delimiter):
            continue
        points.append(_point(cells, number, delimiter))
        if len(points) > OUTLINE_POINTS:
            raise BadInput(f"The outline “{name}” has more than {OUTLINE_POINTS} points.", "outline")
    if len(points) < 2:
        raise BadInput(f"The outline “{name}” needs at least two lines of height and radius.", "outline")
    return outline_through(name, _from_the_foot_up(points))


def _from_the_foot_up(points: list[OutlinePoint]) -> list[OutlinePoint]:
    """The points by height. A step (several points at one height) is kept as the file walks over it.

    A file that rises or falls all the way says how; in any other order each step is walked so that it joins the points
    below and above it with the shortest jumps.
    """
    heights = [point.height_mm for point in points]
    if heights == sorted(heights):
        return points
    if heights == sorted(heights, reverse=True):
        return points[::-1]
    levels = [list(level) for _, level in groupby(sorted(points, key=_height), key=_height)]
    walked: list[OutlinePoint] = []
    for index, level in enumerate(levels):
        level.sort(key=_width)
        above = levels[index + 1] if index + 1 < len(levels) else []
        below_width = _width(walked[-1]) if walked else None
        above_width = sum(map(_width, above)) / len(above) if above else None
        if _jumps(level, below_width, above_width) > _jumps(level[::-1], below_width, above_width):
            level.reverse()
        walked += level
    return walked


def _height(point: OutlinePoint) -> float:
    return point.height_mm


def _width(point: OutlinePoint) -> float:
    return point.left_mm + point.right_mm


def _jumps(level: list[OutlinePoint], below: float | None, above: float | None) -> float:
    """How far it is from the width below to the first point and from the last one to the width above, mm."""
    first = abs(_width(level[0]) - below) if below is not None else 0.0
    return first + (abs(_width(level[-1]) - above) if above is not None else 0.0)


def _is_number(text: str, delimiter: str) -> bool:
    try:
        return math.isfinite(_value(text, delimiter))
    except ValueError:
        return False


def _value(text: str, delimiter: str) -> float:
    return float(text.strip() if delimiter == "," else text.strip().replace(",", "."))


def _point(cells: list[str], number: int, delimiter: str) -> OutlinePoint:
    try:
        values = [_value(cell, delimiter) for cell in cells if cell.strip()]
    except ValueError:
        values = []
    if delimiter != "," and (unsure := next((cell.strip() for cell in cells if is_two_ways(cell)), "")):
        raise BadInput(
            f"Line {number} of the outline: “{unsure}” can be read in two ways. Write it without the comma, or with a "
            "point.",
            "outline",
        )
    if len(values) not in (2, 3) or not all(math.isfinite(v) for v in values):
        raise BadInput(f"Line {number} of the outline is not “height, radius” in millimetres.", "outline")
    if any(v < 0 for v in values):
        raise BadInput(f"Line {number} of the outline has a negative number.", "outline")
    if values[0] > LARGEST_HEIGHT_MM * 5 or max(values[1:]) > LARGEST_WIDTH_MM:
        raise BadInput(f"Line {number} of the outline is larger than any sculpture.", "outline")
    return OutlinePoint(height_mm=values[0], left_mm=values[1], right_mm=values[-1])
