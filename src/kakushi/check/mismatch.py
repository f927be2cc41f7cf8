"""Another piece than the planned one: too many or too few rows, mirrored, or something else."""

from __future__ import annotations

import math
from dataclasses import replace

import numpy as np

from kakushi.check.image import Pixels, image_of
from kakushi.check.model_spheres import ModelSpheres
from kakushi.check.pose import Fitted, Search, for_pose
from kakushi.check.request import CheckRequest
from kakushi.check.rims import fitted_to_rims
from kakushi.check.values import Refusal
from kakushi.model.memo import Cancelled, stop_if
from kakushi.sight.pinhole import Ends

_PX, _ROW_PX, _ROUNDS = 150.0, 16.0, 45
"""Height of the piece, or of one row where that needs more, in the pictures compared, px; evaluations of the
simplex."""
_SHARPER, _BETTER = 0.08, 0.10
"""How much stronger edges on rims must be for another row count to win, and how much less the mirror image must
cost."""
_SHARP = 0.18
"""Strength of edges on rims below which nothing in the photograph is a piece."""
_MOVED_EDGES, _MOVED_COST = 0.4, 0.15
"""Penalties per row, in edges and in cost, for a fit that moves foot or top away from where somebody set them."""
_ROWS = (-3, -2, -1, 1, 2, 3)
"""Differences from the planned number of rows that are tried."""


def mismatch_of(
    model: ModelSpheres, linear: Pixels, request: CheckRequest, cancelled: Cancelled, rows: bool = True
) -> Refusal | None:
    """Find what the photograph shows instead of the planned piece; None if nothing else fits much better.

    `rows`: try other row counts too, and not the mirror image alone.
    """
    scale = min(max(_PX, _ROW_PX * model.row_count) / max(request.ends.long_px, 1.0), 1.0)
    image = image_of(linear, scale)

    def fit(other: ModelSpheres) -> Fitted | None:
        stop_if(cancelled)
        search = Search(image, for_pose(other), request.prior, is_quick=True)
        start = search.glance(replace(request.ends, top_mm=other.top_mm).scaled(scale), cancelled)
        return start and fitted_to_rims(search, search.finer(start, _ROUNDS, 2.0, cancelled), 8.0, cancelled)

    def moved(fitted: Fitted) -> float:
        return rows_moved(model, request, fitted.ends.scaled(1 / scale))

    def edges(fitted: Fitted | None) -> float:
        return fitted.edges - _MOVED_EDGES * moved(fitted) if fitted else 0.0

    def cost(fitted: Fitted | None) -> float:
        return fitted.cost + _MOVED_COST * moved(fitted) if fitted else 10.0

    usual, mirror = fit(model), fit(model.mirrored())
    counts = {}
    if rows:
        counts = {more: fit(other) for more in _ROWS if (other := with_rows(model, model.row_count + more))}
    # Where rows are miscounted no rims fit, whatever their colours.
    more = max(counts, key=lambda each: edges(counts[each]), default=0)
    best = counts.get(more)
    if best and edges(best) > max(edges(usual), edges(mirror)) + _SHARPER and cost(best) < cost(usual):
        if best.edges > _SHARP:
            return Refusal("rows", more)
    elif mirror and mirror.edges > max(edges(usual) - _SHARPER, _SHARP) and mirror.cost < cost(usual) - _BETTER:
        return Refusal("mirrored")
    return None


def rows_moved(model: ModelSpheres, request: CheckRequest, ends: Ends) -> float:
    """Distance of foot or top from where somebody set it, in rows (the larger); 0 where nobody did."""
    if not request.ends_told:
        return 0.0
    end_shift = max(math.dist(ends.foot, request.ends.foot), math.dist(ends.top, request.ends.top))
    return end_shift / max(request.ends.long_px, 1.0) * max(model.row_count, 1)


def with_rows(model: ModelSpheres, rows: int) -> ModelSpheres | None:
    """The piece with fewer rows, or with more that continue its last ones; None where that is no piece."""
    if rows < 2 or model.row_count < 3:
        return None
    if rows <= model.row_count:
        above = float(model.centres[model.rows == rows - 1, 2].max())
        kept = (model.rows < rows) & ((model.rows >= 0) | (model.centres[:, 2] < above))
        return replace(model.only(kept), row_count=rows)
    model_then = model
    while model_then.row_count < rows:
        last = model_then.row_count - 1
        low, high = (float(model_then.centres[model_then.rows == row, 2].mean()) for row in (last - 2, last))
        # The row two below is the next one but one: rows of an even pattern lie alike every second time.
        copy = model_then.rows == last - 1
        more = model_then.centres[copy] + np.array([0.0, 0.0, (high - low)])
        model_then = replace(
            model_then,
            centres=np.concatenate([model_then.centres, more]),
            radii=np.concatenate([model_then.radii, model_then.radii[copy]]),
            rows=np.concatenate([model_then.rows, np.full(int(copy.sum()), last + 1)]),
            slots=np.concatenate([model_then.slots, model_then.slots[copy]]),
            whole=np.concatenate([model_then.whole, len(model_then) + np.arange(int(copy.sum()))]),
            # Which colours they have nobody planned.
            colours=np.concatenate([model_then.colours, np.full(int(copy.sum()), -1)]),
            is_balloon=np.concatenate([model_then.is_balloon, model_then.is_balloon[copy]]),
            row_count=last + 2,
        )
    return model_then
