"""Paths of strands from SVG: the longest line that is drawn, open or closed."""

from __future__ import annotations

from pathlib import Path

import numpy as np
from svgelements import Path as SvgPath

from kakushi.formats.read.outline_svg import drawn_shapes, flattened_lines
from kakushi.formats.store.atomic import read_limited
from kakushi.formats.store.limits import SVG_BYTES, SVG_SEGMENTS
from kakushi.model.arrays import Floats
from kakushi.model.errors import BadInput
from kakushi.model.limits import LARGEST_WIDTH_MM
from kakushi.model.paths import MAX_PATH_POINTS, SHORTEST_PATH_MM, DrawnPath, PathPoint
from kakushi.model.units import MM_PER_INCH

_PX_PER_INCH = 96.0
"""User units of SVG per inch, where a drawing says nothing else."""
_MEETS = 0.005
"""Distance of a line's ends, over its length, up to which it is closed."""


def load_path_svg(file: Path, width_mm: float | None = None, height_mm: float | None = None) -> DrawnPath:
    """The longest line of a drawing as a path, its lowest point on the floor, its middle at x = 0.

    Stretched evenly to the width asked for, else to the height, mm; to neither it is as large as it was drawn. Raises
    JobFileError or BadInput, each one sentence.
    """
    lines = _lines(read_limited(file, SVG_BYTES, "a path"), file.name)
    if not lines:
        raise BadInput(f"There is no line to follow in “{file.name}”.", "path")
    points = max(lines, key=_length) * [1.0, -1.0] * MM_PER_INCH / _PX_PER_INCH
    size = np.ptp(points, axis=0)
    wanted, own = (width_mm, size[0]) if width_mm else (height_mm, size[1])
    if wanted:
        if own <= 0:
            raise BadInput(f"The line in “{file.name}” has no {'width' if width_mm else 'height'} to stretch.", "path")
        points = points * wanted / own
    points = points - [(points[:, 0].min() + points[:, 0].max()) / 2, points[:, 1].min()]
    if np.abs(points).max() > LARGEST_WIDTH_MM:
        raise BadInput(f"The line in “{file.name}” is larger than {LARGEST_WIDTH_MM / 1000:g} m.", "path")
    if _length(points) < SHORTEST_PATH_MM:
        raise BadInput(f"The line in “{file.name}” is shorter than {SHORTEST_PATH_MM / 10:g} cm.", "path")
    closed = bool(np.linalg.norm(points[-1] - points[0]) <= _MEETS * _length(points)) and len(points) > 3
    if closed:
        points = points[:-1]
    if len(points) > MAX_PATH_POINTS:
        points = points[np.linspace(0, len(points) - 1, MAX_PATH_POINTS).astype(int)]
    corners = tuple(PathPoint(x_mm=float(x), z_mm=float(z)) for x, z in points)
    # Curves came in many short steps already; corners stay corners.
    return DrawnPath(name=file.stem[:100], points=corners, smooth=False, closed=closed)


def _length(points: Floats) -> float:
    return float(np.linalg.norm(np.diff(points, axis=0), axis=1).sum())


def _lines(data: bytes, name: str) -> list[Floats]:
    paths = [SvgPath(shape) for shape in drawn_shapes(data, name)]
    if sum(len(path) for path in paths) > SVG_SEGMENTS:
        raise BadInput(f"“{name}” has more than {SVG_SEGMENTS} segments; simplify its paths.", "path")
    return [line for path in paths for line in flattened_lines(path)]
