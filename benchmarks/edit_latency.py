"""Everyday edits of the demo in the real window: when a piece is seen and planned again, how long the window was away.

Run from the checkout: QT_QPA_PLATFORM=offscreen .venv/bin/python benchmarks/edit_latency.py [rounds]

Each edit is made on every piece with rows, waited for and undone. The first line says how fast the machine is: 200
products of 500 × 500 matrices.
"""

from __future__ import annotations

import statistics
import sys
import tempfile
import time
from collections.abc import Callable
from pathlib import Path

import numpy as np
from event_loop import Gaps, until
from PyQt6.QtTest import QTest

from kakushi.desktop.app import build_application, build_window
from kakushi.desktop.main_window import MainWindow
from kakushi.desktop.warm_up import WarmUp
from kakushi.formats.store.recovery import RecoveryStore
from kakushi.model.catalogue import Studio
from kakushi.model.layers import SpiralLayer
from kakushi.model.piece import Piece
from kakushi.session import colour_edits, part_edits, row_edits
from kakushi.session.session import Edit

_STILL_MS = 600
"""After an edit is planned: the lists and fine pictures that follow it count as gaps of it."""
_MATRIX, _PRODUCTS = 500, 200


def _middle(piece: Piece) -> int:
    return piece.rows[len(piece.rows) // 2].key


EDITS: dict[str, Callable[[Piece], Edit]] = {
    "row one size step": lambda p: row_edits.resize_row(p.key, _middle(p), -1, Studio()),
    "one balloon more": lambda p: row_edits.set_row_count(p.key, _middle(p), p.rows[len(p.rows) // 2].count + 1),
    "insert a row": lambda p: row_edits.duplicate_row(p.key, _middle(p)),
    "delete a row": lambda p: row_edits.delete_row(p.key, _middle(p)),
    "paint one": lambda p: colour_edits.paint(p.key, {(_middle(p), 0): "signal-red"}),
    "add a spiral": lambda p: colour_edits.add_layer(p.key, SpiralLayer(lanes=("harbour-blue", "sail-white"))),
    "add a topper": lambda p: part_edits.add_part(p.key, "topper"),
}


def machine_s() -> float:
    """Time of the products, s."""
    one = np.random.default_rng(1).random((_MATRIX, _MATRIX))
    begun = time.perf_counter()
    for _ in range(_PRODUCTS):
        one @ one
    return time.perf_counter() - begun


def measure(window: MainWindow, name: str, rounds: int) -> str:
    """A line of the table: median and worst over all pieces."""
    document, gaps = window.document, Gaps()
    seen, planned, away = [], [], []
    for piece in [p for p in document.job.pieces if p.rows] * rounds:
        document.selection.select_piece(piece.key)
        until(lambda: document.is_planned and document.is_dossier_ready)
        QTest.qWait(_STILL_MS)
        gaps.taken()
        begun = time.monotonic()
        if not document.apply(EDITS[name](piece)):
            continue
        until(lambda: document.piece_plan is not None and document.piece_plan.piece == document.piece)
        seen.append(time.monotonic() - begun)
        until(lambda: document.is_planned)
        planned.append(time.monotonic() - begun)
        until(lambda: document.is_dossier_ready)
        QTest.qWait(_STILL_MS)
        away.append(gaps.taken())
        document.undo()
    told = [f"{words} {statistics.median(taken):5.2f} / {max(taken):5.2f} s" for words, taken in (
        ("seen", seen), ("planned", planned), ("gap", away)
    )]  # fmt: skip
    return f"{name:20s} {'   '.join(told)}   ({len(planned)} edits)"


def main() -> None:
    """The whole table."""
    rounds = int(sys.argv[1]) if len(sys.argv) > 1 else 1
    print(f"{_PRODUCTS} products of {_MATRIX} × {_MATRIX}: {machine_s():.2f} s")
    app = build_application(["kakushi"])
    with tempfile.TemporaryDirectory() as folder:
        window = build_window(RecoveryStore(Path(folder)), Path(folder) / "p.json", Path(folder) / "studio.sqlite3")
        window.show()
        window.resize(1280, 800)
        warm_up = WarmUp(window)
        until(lambda: warm_up.is_done)
        window.files.open_demo()
        until(lambda: window.document.is_planned and window.document.is_dossier_ready)
        for name in EDITS:
            print(measure(window, name, rounds), flush=True)
        window.document.close()
    app.quit()


if __name__ == "__main__":
    main()
