"""What each reader of outside data accepts at most, in one table; `docs/limits.md` is made from it.

Limits are checked while reading, before anything large is built from a file. What a job itself may hold is in
`kakushi.model.limits`.
"""

from __future__ import annotations

from typing import NamedTuple

KB, MB = 2**10, 2**20


class Limit(NamedTuple):
    """The most of something that one reader accepts."""

    reader: str
    what: str
    most: int
    unit: str
    reason: str


_TABLE: list[Limit] = []


def _limit(reader: str, what: str, most: int, unit: str, reason: str) -> int:
    _TABLE.append(Limit(reader, what, most, unit, reason))
    return most


_JOB = "job (.kakushi)"
JOB_FILE_BYTES = _limit(_JOB, "file", 256 * MB, "bytes", "200 photographs of 1 MB, and the job with its record")
JOB_ENTRIES = _limit(_JOB, "files within", 2000, "files", "a job has one, and its photographs")
JOB_JSON_BYTES = _limit(_JOB, "job.json, unpacked", 48 * MB, "bytes", "the largest job a piece list may hold")
JOB_VALUES = _limit(_JOB, "values in job.json", 1_500_000, "values", "twice what the largest job holds")
JOB_DEPTH = _limit(_JOB, "nesting in job.json", 24, "levels", "a job is nested 9 deep")
JOB_LIST = _limit(_JOB, "entries of any list", 100_000, "entries", "the longest list, that of what happened")

_RECOVERY = "recovery copies"
RECOVERY_COPIES = _limit(_RECOVERY, "copies offered", 20, "copies", "the newest; more nobody looks through")
RECOVERY_JOURNAL_BYTES = _limit(_RECOVERY, "journal of what was done", 32 * MB, "bytes", "100,000 events")
RECOVERY_NOTE_BYTES = _limit(_RECOVERY, "note beside a copy", 64 * KB, "bytes", "it holds one path")

PREFERENCES_BYTES = _limit("preferences", "file", 100 * KB, "bytes", "units, theme and eight paths")

_STUDIO = "studio (.sqlite3)"
STUDIO_BYTES = _limit(_STUDIO, "file", 256 * MB, "bytes", "settings, packings, outlines and 20,000 entries of the log")
STUDIO_VALUE_BYTES = _limit(_STUDIO, "one value", 4 * MB, "bytes", "the longest stock list")
STUDIO_ROWS = _limit(_STUDIO, "entries read of one table", 2000, "entries", "nobody has more packings or outlines")
STUDIO_STEPS = _limit(_STUDIO, "work of one query", 20_000_000, "SQLite steps", "seconds; a view could run for ever")
STUDIO_OUTLINES = _limit(_STUDIO, "outlines kept", 500, "outlines", "a collection somebody can look through")

LOG_ENTRIES = _limit(_STUDIO, "entries of the log", 20_000, "entries", "a job a day for fifty years")

_LOG = "log entry (.json)"
LOG_ENTRY_BYTES = _limit(_LOG, "file", 2 * MB, "bytes", "200 pieces with their lists")
LOG_ENTRY_VALUES = _limit(_LOG, "values", 100_000, "values", "200 pieces of 60 lines each")

_RECIPE = "recipe (.kakushi-recipe)"
RECIPE_BYTES = _limit(_RECIPE, "file", 4 * MB, "bytes", "one piece")
RECIPE_VALUES = _limit(_RECIPE, "values of what is told of it", 2000, "values", "it has a dozen")
RECIPE_PHOTOS = _limit(_RECIPE, "photographs", 3, "photographs", "the front, the back and a detail")
RECIPE_SHELF = _limit(_RECIPE, "recipes of the shelf", 500, "recipes", "more nobody looks through")

_SVG = "drawing (.svg)"
SVG_BYTES = _limit(_SVG, "file", 8 * MB, "bytes", "detailed drawings have 2 MB")
SVG_ELEMENTS = _limit(_SVG, "elements, each use followed", 20_000, "elements", "drawings of outlines have tens")
SVG_DEPTH = _limit(_SVG, "nesting", 100, "levels", "groups within groups")
SVG_NUMBERS = _limit(_SVG, "numbers of paths, each use followed", 300_000, "numbers", "20,000 curves with decimals")
SVG_STYLE_BYTES = _limit(_SVG, "style sheets", 64 * KB, "bytes", "drawing programs write 10 kB")
SVG_WORDS = _limit(_SVG, "attributes and style that reach elements", 3_000_000, "characters", "read in 3 s")
SVG_SHAPES = _limit(_SVG, "shapes", 2000, "shapes", "an outline has a few")
SVG_SEGMENTS = _limit(_SVG, "segments of all paths", 40_000, "segments", "a traced photograph has 20,000")
SVG_OFFERED = _limit(_SVG, "shapes offered", 12, "shapes", "the largest; more nobody looks through")

_PICTURE = "picture (.png, .jpg)"
PICTURE_BYTES = _limit(_PICTURE, "file", 64 * MB, "bytes", "photographs have 5 to 20 MB")
PICTURE_PIXELS = _limit(_PICTURE, "picture", 50_000_000, "pixels", "cameras take 12 to 50 million")
PICTURE_SCANNED = _limit(_PICTURE, "pixels times scans of a JPEG", 600_000_000, "pixels", "50 million in 12 scans")
PICTURE_MARKERS = _limit(_PICTURE, "markers of a JPEG", 200_000, "markers", "a photograph has dozens; read in a second")

_PHOTO = "photograph kept in a job"
PHOTO_KEPT_BYTES = _limit(_PHOTO, "file read", 4 * MB, "bytes", "earlier versions kept 2400 pixels a side")
PHOTO_ADDED_BYTES = _limit(_PHOTO, "file added", 1 * MB, "bytes", "1600 pixels a side take about a third of it")
PHOTOS_BYTES = _limit(_PHOTO, "all of a job together", 200 * MB, "bytes", "200 of the largest that are added")

_OUTLINE_CSV = "outline (.csv)"
OUTLINE_CSV_BYTES = _limit(_OUTLINE_CSV, "file", 2 * MB, "bytes", "5000 lines of three numbers")
OUTLINE_POINTS = _limit(_OUTLINE_CSV, "points", 5000, "points", "one each millimetre of a tall piece")

_STOCK = "stock list (.csv, .xlsx)"
STOCK_BYTES = _limit(_STOCK, "file", 8 * MB, "bytes", "20,000 lines")
STOCK_UNPACKED = _limit(_STOCK, "workbook, unpacked", 16 * MB, "bytes", "20,000 lines of 5 cells have 5 MB")
STOCK_ELEMENTS = _limit(_STOCK, "elements of a workbook", 80_000, "elements", "two for each cell, and read in 4 s")
STOCK_ENTRIES = _limit(_STOCK, "files within a workbook", 500, "files", "sheets, styles and pictures")
STOCK_SHEETS = _limit(_STOCK, "sheets read", 20, "sheets", "the first ones")
STOCK_LINES = _limit(_STOCK, "lines of a sheet", 20_000, "lines", "a shop has hundreds")
STOCK_COLUMNS = _limit(_STOCK, "columns read", 100, "columns", "three are used")
STOCK_CELL = _limit(_STOCK, "characters of a cell", 200, "characters", "the rest is cut off")

_PALETTE = "palette (.gpl)"
PALETTE_BYTES = _limit(_PALETTE, "file", MB, "bytes", "200 lines")
PALETTE_COLOURS = _limit(_PALETTE, "colours", 200, "colours", "what a job's palette may hold")

LIMITS = tuple(_TABLE)
"""Every limit, reader by reader."""


def megabytes(most: int) -> str:
    """A number of bytes as people say it: “48 MB”, “100 kB”."""
    return f"{most // MB} MB" if most >= MB else f"{most // KB} kB"
