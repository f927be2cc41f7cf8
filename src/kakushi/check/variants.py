"""Another piece than the planned one: too many or too few rows, mirrored, or something else."""

from __future__ import annotations

from dataclasses import replace
from typing import TYPE_CHECKING

import numpy as np

from kakushi.check.image import Pixels, image_of
from kakushi.check.pose import Fitted, Search
from kakushi.check.rims import fitted_to_rims
from kakushi.check.subject import Subject
from kakushi.model.memo import Cancelled, stop_if

if TYPE_CHECKING:
    from kakushi.check.check import Wish

_PX = 240.0
_BETTER = 0.05
"""By so much less must another piece cost to be the one that is seen."""
_ROWS = (-3, -2, -1, 1, 2, 3)


def other_piece_words(subject: Subject, linear: Pixels, wish: Wish, best: Fitted, cancelled: Cancelled) -> str:
    """What the photograph shows instead of the planned piece, in words; "" where nothing else fits much better."""
    from kakushi.check.check import for_pose  # noqa: PLC0415 - the check asks this module too

    scale = min(_PX / max(wish.ends.long_px, 1.0), 1.0)
    image = image_of(linear, scale)

    def cost(other: Subject, whole_turn: bool = False) -> float:
        stop_if(cancelled)
        thing = for_pose(other)
        search = Search(image, thing, wish.told, is_quick=True)
        ends = replace(wish.ends, top_mm=other.top_mm).scaled(scale)
        starts = search.coarse(ends, cancelled)[:2] if whole_turn else []
        if not whole_turn:
            values = np.array([best.pose.azimuth, np.log(best.pose.distance), best.pose.eye, 0.0, 0.0, 0.0, 0.0])
            for turn in np.radians([-10.0, 0.0, 10.0]):
                placed = search.pose(values + np.array([turn, 0, 0, 0, 0, 0, 0]), ends)
                starts += [search.judged(*placed)] if placed else []
        starts.sort(key=lambda each: each.cost)
        fits = [fitted_to_rims(search, search.finer(each, 45, 2.0, cancelled), 8.0, cancelled) for each in starts[:2]]
        return min((each.cost for each in fits), default=10.0)

    usual = cost(subject)
    found = {"": usual}
    for rows in _ROWS:
        other = with_rows(subject, subject.row_count + rows)
        if other is not None:
            more = "more" if rows > 0 else "fewer"
            many = f"{abs(rows)} row{'s' if abs(rows) > 1 else ''}"
            found[f"The photograph shows {many} {more} than planned. Count them first: all else follows from it."] = (
                cost(other)
            )
    found["The spiral runs the other way round than planned: it is mirrored."] = cost(
        subject.mirrored(), whole_turn=True
    )
    words = min(found, key=lambda each: found[each])
    return words if usual - found[words] > _BETTER else ""


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
            colours=np.concatenate([found.colours, found.colours[copy]]),
            is_balloon=np.concatenate([found.is_balloon, found.is_balloon[copy]]),
            row_count=last + 2,
        )
    return found
