"""Another piece than the planned one: too many or too few rows, mirrored, or something else."""

from __future__ import annotations

import math
from dataclasses import replace

import numpy as np

from kakushi.check.image import Pixels, image_of
from kakushi.check.pinhole import Ends
from kakushi.check.pose import Fitted, Search, for_pose
from kakushi.check.rims import fitted_to_rims
from kakushi.check.subject import Subject
from kakushi.check.values import Refusal
from kakushi.check.wish import Wish
from kakushi.model.memo import Cancelled, stop_if

_PX, _ROW_PX, _ROUNDS = 150.0, 16.0, 45
"""Height of the piece in the pictures that are compared, or of a row where that is more; steps of the simplex."""
_SHARPER, _BETTER = 0.08, 0.10
"""So much stronger edges on rims must another number of rows have, and so much less its mirror image cost."""
_SHARP = 0.18
"""Edges on rims weaker than that are those of no piece."""
_MOVED_EDGES, _MOVED_COST = 0.4, 0.15
"""What counts against a fit that needs foot or top a row farther from where somebody set them."""
_ROWS = (-3, -2, -1, 1, 2, 3)


def other_piece(
    subject: Subject, linear: Pixels, wish: Wish, cancelled: Cancelled, rows: bool = True
) -> Refusal | None:
    """What the photograph shows instead of the planned piece; None where nothing else fits much better.

    `rows`: whether other numbers of rows are thought of, and not the mirror image alone.
    """
    scale = min(max(_PX, _ROW_PX * subject.row_count) / max(wish.ends.long_px, 1.0), 1.0)
    image = image_of(linear, scale)

    def fit(other: Subject) -> Fitted | None:
        stop_if(cancelled)
        search = Search(image, for_pose(other), wish.told, is_quick=True)
        start = search.glance(replace(wish.ends, top_mm=other.top_mm).scaled(scale), cancelled)
        return start and fitted_to_rims(search, search.finer(start, _ROUNDS, 2.0, cancelled), 8.0, cancelled)

    def moved(found: Fitted) -> float:
        return rows_moved(subject, wish, found.ends.scaled(1 / scale))

    def edges(found: Fitted | None) -> float:
        return found.edges - _MOVED_EDGES * moved(found) if found else 0.0

    def cost(found: Fitted | None) -> float:
        return found.cost + _MOVED_COST * moved(found) if found else 10.0

    usual, mirror = fit(subject), fit(subject.mirrored())
    counts = {}
    if rows:
        counts = {more: fit(other) for more in _ROWS if (other := with_rows(subject, subject.row_count + more))}
    # Where rows are miscounted no rims fit, whatever their colours.
    more = max(counts, key=lambda each: edges(counts[each]), default=0)
    best = counts.get(more)
    if best and edges(best) > max(edges(usual), edges(mirror)) + _SHARPER and cost(best) < cost(usual):
        if best.edges > _SHARP:
            return Refusal("rows", more)
    elif mirror and mirror.edges > max(edges(usual) - _SHARPER, _SHARP) and mirror.cost < cost(usual) - _BETTER:
        return Refusal("mirrored")
    return None


def rows_moved(subject: Subject, wish: Wish, ends: Ends) -> float:
    """By how many rows foot or top lie farther from where somebody set them; 0 where nobody did."""
    if not wish.ends_told:
        return 0.0
    off = max(math.dist(ends.foot, wish.ends.foot), math.dist(ends.top, wish.ends.top))
    return off / max(wish.ends.long_px, 1.0) * max(subject.row_count, 1)


def with_rows(subject: Subject, rows: int) -> Subject | None:
    """The piece with fewer rows, or with more that go on as the last ones do; None where that is no piece."""
    if rows < 2 or subject.row_count < 3:
        return None
    if rows <= subject.row_count:
        above = float(subject.centres[subject.rows == rows - 1, 2].max())
        kept = (subject.rows < rows) & ((subject.rows >= 0) | (subject.centres[:, 2] < above))
        return replace(subject.only(kept), row_count=rows)
    found = subject
    while found.row_count < rows:
        last = found.row_count - 1
        low, high = (float(found.centres[found.rows == row, 2].mean()) for row in (last - 2, last))
        # The row two below is the next one but one: rows of an even pattern lie alike every second time.
        copy = found.rows == last - 1
        more = found.centres[copy] + np.array([0.0, 0.0, (high - low)])
        found = replace(
            found,
            centres=np.concatenate([found.centres, more]),
            radii=np.concatenate([found.radii, found.radii[copy]]),
            rows=np.concatenate([found.rows, np.full(int(copy.sum()), last + 1)]),
            slots=np.concatenate([found.slots, found.slots[copy]]),
            # Which colours they have nobody planned.
            colours=np.concatenate([found.colours, np.full(int(copy.sum()), -1)]),
            is_balloon=np.concatenate([found.is_balloon, found.is_balloon[copy]]),
            row_count=last + 2,
        )
    return found
