"""Rows as they are read out: in the ladder, on the elevation, on the unrolled skin."""

from __future__ import annotations

import math

import numpy as np

from kakushi.plan.values import PiecePlan
from kakushi.words.sizing import row_sizes
from kakushi.words.wording import Wording


def row_line(piece_plan: PiecePlan, index: int, wording: Wording, unmeasured: bool, is_prone: bool) -> str:
    """A row in one line: “Row 5 of 18: 4 × 11″ to 10″; sail white, signal red; pinned”."""
    row = piece_plan.piece.rows[index]
    colours = ", ".join(wording.colour(key) for key in piece_plan.colouring[index])
    more = ("; pinned" if row.pinned else "") + ("; often shows a gap" if is_prone else "")
    place = f"Row {index + 1} of {len(piece_plan.piece.rows)}"
    return f"{place}: {row_sizes(row, wording.units, unmeasured)}; {colours}{more}"


def seen_row(piece_plan: PiecePlan, index: int, azimuth: float, wording: Wording) -> str:
    """The colours of a row that face somebody who looks from `azimuth` (radians anticlockwise from the front)."""
    geometry = piece_plan.geometry
    places = np.flatnonzero(geometry.row_of == index)
    at = geometry.centres[places] - geometry.centres[places].mean(axis=0)
    across = at[:, 0] * math.cos(azimuth) + at[:, 1] * math.sin(azimuth)
    away = at[:, 1] * math.cos(azimuth) - at[:, 0] * math.sin(azimuth)
    # A hair's breadth: rows that lie half turned have two balloons at the rim.
    facing = [place for place in np.argsort(across, kind="stable") if away[place] <= 1e-6]
    colours = [piece_plan.colouring[index][int(geometry.slot_of[places[place]])] for place in facing]
    return f"Row {index + 1}, left to right: {', '.join(wording.colour(key) for key in colours)}"


def row_slots(piece_plan: PiecePlan, index: int, wording: Wording) -> str:
    """The colours of a row slot by slot: “Row 3: 1 sail white, 2 signal red”."""
    named = (f"{slot} {wording.colour(key)}" for slot, key in enumerate(piece_plan.colouring[index], 1))
    return f"Row {index + 1}: {', '.join(named)}"
