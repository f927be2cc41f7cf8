"""Time and memory that the largest files within docs/limits.md take to read, each in a process of its own.

Run from the checkout: .venv/bin/python benchmarks/worst_files.py
"""

from __future__ import annotations

import subprocess
import sys
import tempfile
import time
from collections.abc import Callable
from pathlib import Path

from openpyxl import Workbook
from PIL import Image

from kakushi.formats.read.motif_picture import motif_of, read_picture
from kakushi.formats.read.outline_csv import load_outline_csv
from kakushi.formats.read.outline_file import load_outline
from kakushi.formats.read.outline_svg import load_svg_outlines
from kakushi.formats.read.palette_gpl import read_gpl
from kakushi.formats.read.stock_import import read_sheets
from kakushi.formats.store.job_file import load_job, save_job
from kakushi.formats.store.studio_store import StudioStore, load_studio
from kakushi.model.catalogue import DEFAULT_PALETTE, Studio
from kakushi.model.groups import RowsGroup, uniform_row
from kakushi.model.job import Job
from kakushi.model.outline import OutlinePoint, PointsOutline
from kakushi.model.piece import Piece

_SIDE_PX = 7071
"""Of a square picture of 50 million pixels."""


def _job(path: Path) -> None:
    group = RowsGroup(rows=tuple(uniform_row(k + 1, 4, 11, 220.0 - k % 40) for k in range(1000)))
    save_job(Job(pieces=tuple(Piece(key=k + 1, name=f"piece {k}", groups=(group,)) for k in range(25))), path)


def _studio(path: Path) -> None:
    points = tuple(OutlinePoint(height_mm=10.0 * z, left_mm=100.0, right_mm=100.0) for z in range(60))
    store = StudioStore(path)
    store.save(Studio())
    for number in range(200):
        store.save_outline(PointsOutline(name=f"outline {number}", points=points))


def _curves(path: Path) -> None:
    steps = "".join(f"C {k % 7} {k % 5} {k % 11} {k % 3} {k % 90} {k % 80} " for k in range(20_000))
    shape = '<path d="M 100 0 L 400 0 L 300 800 L 200 800 Z"/>'
    path.write_text(f'<svg xmlns="http://www.w3.org/2000/svg"><path d="M 0 0 {steps} Z"/>{shape}</svg>')


def _photograph(path: Path) -> None:
    image = Image.new("RGB", (_SIDE_PX, _SIDE_PX), "white")
    image.paste((20, 40, 90), (2000, 500, 4500, 6900))
    image.save(path, progressive=True)


def _motif(path: Path) -> object:
    return motif_of(read_picture(path), DEFAULT_PALETTE, 60)


def _workbook(path: Path) -> None:
    book = Workbook(write_only=True)
    sheet = book.create_sheet()
    for line in range(8_000):
        sheet.append(["Harbour blue", 11, line % 90])
    book.save(path)


FILES: dict[str, tuple[str, Callable[[Path], object], Callable[[Path], object]]] = {
    "job of 100,000 balloons": ("large.kakushi", _job, load_job),
    "studio with 200 outlines": (
        "studio.sqlite3",
        _studio,
        lambda path: (load_studio(path), StudioStore(path).outlines()),
    ),
    "drawing of 20,000 curves": ("curves.svg", _curves, lambda path: load_svg_outlines(path, 1000.0)),
    "photograph of 50 Mpx, outline": ("photograph.jpg", _photograph, lambda path: load_outline(path, 1000.0)),
    "photograph of 50 Mpx, motif": ("photograph.jpg", _photograph, _motif),
    "outline of 5,000 lines": (
        "outline.csv",
        lambda path: path.write_text("".join(f"{z},{100 + z % 9}\n" for z in range(5000))),
        load_outline_csv,
    ),
    "stock of 20,000 lines, CSV": (
        "stock.csv",
        lambda path: path.write_text("colour,size,count\n" + "Harbour blue,11,40\n" * 19_990),
        read_sheets,
    ),
    "stock of 8,000 lines, XLSX": ("stock.xlsx", _workbook, read_sheets),
    "palette of 200 colours": (
        "quay.gpl",
        lambda path: path.write_text("GIMP Palette\n" + "".join(f"{k} 9 9 colour {k}\n" for k in range(200))),
        read_gpl,
    ),
}


def _most_mb() -> float:
    """The most memory this process had, MB; what getrusage tells is handed down by the process that began it."""
    status = Path("/proc/self/status").read_text()
    return int(status.split("VmHWM:")[1].split()[0]) / 1024


def main() -> None:
    """One file in this process, or all in others."""
    if len(sys.argv) > 1:
        name, path = sys.argv[1], Path(sys.argv[2])
        before, begun = _most_mb(), time.perf_counter()
        FILES[name][2](path)
        took = time.perf_counter() - begun
        after = _most_mb()
        print(f"{name:32s} {took:5.2f} s {after - before:6.0f} MB more, {after:6.0f} MB in all")
        return
    with tempfile.TemporaryDirectory() as folder:
        for name, (file, make, _) in FILES.items():
            path = Path(folder) / file
            make(path)
            subprocess.run([sys.executable, __file__, name, str(path)], check=True)


if __name__ == "__main__":
    main()
