"""Outlines from SVG: every drawn shape with its transforms, filled and joined.

The XML is checked by defusedxml and brought within a budget first (no entities, no external references); svgelements
then resolves groups, transforms, units and `use`.
"""

from __future__ import annotations

import io
import math
import re
from contextlib import suppress
from pathlib import Path
from typing import NamedTuple

import numpy as np
from defusedxml import ElementTree
from defusedxml.common import DefusedXmlException
from numpy.typing import NDArray
from svgelements import SVG, Arc, CubicBezier, Move, QuadraticBezier, Shape
from svgelements import Path as SvgPath

from kakushi.formats.read.svg_budget import bounded_svg
from kakushi.formats.store.atomic import read_limited
from kakushi.formats.store.limits import SVG_BYTES, SVG_OFFERED, SVG_SEGMENTS, SVG_SHAPES
from kakushi.model.arrays import Floats
from kakushi.model.errors import BadInput
from kakushi.model.outline import PointsOutline
from kakushi.shape.silhouette import outline_of_mask

RASTER_SIDE = 1400
"""Longer side, px, that shapes are filled at: a pixel is 0.07 % of it."""
CURVE_STEPS = 24
"""Edges of each curve, where the drawing is not huge."""
_FEWEST_STEPS, _MOST_EDGES = 4, 120_000
"""Edges of each curve at least, and of all curves at most."""
_EDGES_AT_ONCE = 2000
"""Filled at once: each may cross every line of the picture."""
_MARGIN = 2
"""Margin of the raster, px."""
_COVERS = 0.98
"""Share of the drawing's size from which a rectangle is its background."""
_DOCTYPE = re.compile(rb"<!DOCTYPE[^\[>]*(\[[^\]]*\])?\s*>")
_ENTITY = re.compile(rb"<!ENTITY\s+([A-Za-z_][\w.-]*)\s+[\"']([^\"'<]*)[\"']\s*>")


def load_outline_svg(path: Path, height_mm: float) -> PointsOutline:
    """The outline of the largest drawn shape. Raises JobFileError or BadInput, each one sentence."""
    return load_svg_outlines(path, height_mm)[0]


def load_svg_outlines(path: Path, height_mm: float) -> list[PointsOutline]:
    """All drawn shapes together first (the largest connected one), then each by itself, largest first.

    One outline where there is one shape. Raises JobFileError or BadInput, each one sentence.
    """
    shapes = _shapes(read_limited(path, SVG_BYTES, "an outline"), path.name)
    outlines = [outline_of_mask(_filled(shapes, path.name), path.stem, height_mm)]
    if len(shapes) > 1:
        largest = sorted(shapes, key=lambda shape: -float(np.prod(np.ptp(np.concatenate(shape.polygons), axis=0))))
        for number, shape in enumerate(largest[:SVG_OFFERED], 1):
            with suppress(BadInput):
                name = f"{path.stem[:90]}, shape {number}"
                outlines.append(outline_of_mask(_filled([shape], path.name), name, height_mm))
    return outlines


def _expanded(data: bytes, name: str) -> bytes:
    """The drawing with entities of its own filled in, where they are plain text; others are refused later.

    Drawing programs write such entities for long namespace names.
    """
    head = _DOCTYPE.search(data)
    if head is None:
        return data
    entities = dict(_ENTITY.findall(head.group(0)))
    declared = len(re.findall(rb"<!ENTITY", head.group(0)))
    if declared != len(entities) or any(b"&" in value or b"%" in value for value in entities.values()):
        return data
    body = data[: head.start()] + data[head.end() :]
    for key, value in entities.items():
        if len(body) + body.count(b"&" + key + b";") * len(value) > SVG_BYTES:
            raise BadInput(f"“{name}” grows too large when its entities are filled in.", "outline")
        body = body.replace(b"&" + key + b";", value)
    return body


class _Drawn(NamedTuple):
    """Closed polygons (k, 2) of a drawn shape, filled by the even-odd rule or else by the nonzero rule."""

    polygons: list[Floats]
    even_odd: bool


def _shapes(data: bytes, name: str) -> list[_Drawn]:
    """Every drawn shape, in drawing order."""
    outlined = [(shape, polygons) for shape, polygons in drawn_polygons(data, name) if polygons]
    return [_Drawn(polygons, _is_even_odd(shape)) for shape, polygons in _without_ground(outlined)]


def _is_even_odd(shape: Shape) -> bool:
    """The fill rule of a shape, its own or that of a group around it; nonzero unless even-odd is said."""
    return str(shape.values.get("fill-rule", "")).strip().lower() == "evenodd"


def drawn_shapes(data: bytes, name: str) -> list[Shape]:
    """Every visible shape of an SVG, transforms applied, in drawing order. Raises BadInput, one sentence."""
    data = _expanded(data, name)
    try:
        drawing = SVG.parse(io.BytesIO(bounded_svg(data, name)), reify=True)
        shapes = [e for e in drawing.elements() if isinstance(e, Shape) and _is_drawn(e)]
    except DefusedXmlException as error:
        raise BadInput(f"“{name}” holds entities or references that are not followed.", "outline") from error
    except (
        ElementTree.ParseError,
        RecursionError,
        ValueError,
        TypeError,
        AttributeError,
        KeyError,
        IndexError,
        ZeroDivisionError,
        OverflowError,
        MemoryError,
    ) as error:
        raise BadInput(f"“{name}” is not an SVG drawing that can be read.", "outline") from error
    if len(shapes) > SVG_SHAPES:
        raise BadInput(f"“{name}” has more than {SVG_SHAPES} shapes; keep only what matters.", "outline")
    return shapes


def _is_drawn(element: Shape) -> bool:
    values = element.values
    return values.get("display") != "none" and values.get("visibility") not in {"hidden", "collapse"}


def drawn_polygons(data: bytes, name: str) -> list[tuple[Shape, list[Floats]]]:
    """Every visible shape of an SVG with its closed polygons (k, 2), curves in straight steps. Raises BadInput."""
    paths = [(shape, SvgPath(shape)) for shape in drawn_shapes(data, name)]
    segments = sum(len(path) for _, path in paths)
    if segments > SVG_SEGMENTS:
        raise BadInput(f"“{name}” has more than {SVG_SEGMENTS} segments; simplify its paths.", "outline")
    # Many curves are short ones: fewer steps do.
    steps = min(max(_MOST_EDGES // max(segments, 1), _FEWEST_STEPS), CURVE_STEPS)
    return [(shape, _flattened(path, steps)) for shape, path in paths]


def _flattened(path: SvgPath, steps: int) -> list[Floats]:
    """Closed polygons (k, 2) of a path, its curves in a number of straight steps."""
    return [line for line in flattened_lines(path, steps) if len(line) > 2]


def flattened_lines(path: SvgPath, steps: int = CURVE_STEPS) -> list[Floats]:
    """Lines (k, 2) of a path, open or closed, its curves in a number of straight steps; those of one point not."""
    polygons: list[list[Floats]] = [[]]
    curved = _curve_points(path, np.linspace(0, 1, steps + 1)[1:])
    for index, segment in enumerate(path):
        if isinstance(segment, Move):
            polygons.append([])
        if index in curved:
            polygons[-1].append(curved[index])
        elif segment.end is not None:
            polygons[-1].append(np.array([[segment.end.x, segment.end.y]], dtype=float))
    arrays = [np.concatenate(parts) for parts in polygons if parts]
    return [a for a in arrays if len(a) > 1 and np.isfinite(a).all()]


def _curve_points(path: SvgPath, t: Floats) -> dict[int, Floats]:
    """Points (k, 2) along every curve of a path at parameters `t` (k,), by the segment's index.

    All curves of a kind at once: Bézier curves of degree two and three by Bernstein's polynomials, arcs of an ellipse
    by angle.
    """
    cubic, quadratic, arcs = (
        [i for i, segment in enumerate(path) if isinstance(segment, kind) and _has_ends(segment)]
        for kind in (CubicBezier, QuadraticBezier, Arc)
    )
    points = _bezier(path, cubic, ("start", "control1", "control2", "end"), t)
    points |= _bezier(path, quadratic, ("start", "control", "end"), t)
    for index in arcs:
        arc = path[index]
        angle = arc.get_start_t() + arc.sweep * t
        turn = arc.get_rotation().as_radians
        x, y = arc.rx * np.cos(angle), arc.ry * np.sin(angle)
        across, up = x * np.cos(turn) - y * np.sin(turn), x * np.sin(turn) + y * np.cos(turn)
        points[index] = np.column_stack([arc.center.x + across, arc.center.y + up])
    return points


def _has_ends(segment: CubicBezier | QuadraticBezier | Arc) -> bool:
    return segment.start is not None and segment.end is not None


def _bezier(path: SvgPath, places: list[int], names: tuple[str, ...], t: Floats) -> dict[int, Floats]:
    """Points along the Bézier curves at `places` of a path, whose control points have these names."""
    if not places:
        return {}
    degree = len(names) - 1
    controls = np.array(
        [[(getattr(path[i], name).x, getattr(path[i], name).y) for name in names] for i in places], dtype=float
    )
    weights = np.stack([math.comb(degree, k) * t**k * (1 - t) ** (degree - k) for k in range(degree + 1)], axis=1)
    return dict(zip(places, np.einsum("tk,nkd->ntd", weights, controls), strict=True))


def _without_ground(shapes: list[tuple[Shape, list[Floats]]]) -> list[tuple[Shape, list[Floats]]]:
    """Without a rectangle behind everything: a background is no outline. One with a hole is a frame, though."""
    if len(shapes) < 2:
        return shapes
    every = np.concatenate([polygon for _, polygons in shapes for polygon in polygons])
    size = np.maximum(np.ptp(every, axis=0), 1e-12)

    def is_ground(polygons: list[Floats]) -> bool:
        first = polygons[0]
        covers = (np.ptp(first, axis=0) >= _COVERS * size).all()
        return bool(len(polygons) == 1 and len(first) in {4, 5} and covers and _is_upright(first))

    return [(shape, polygons) for shape, polygons in shapes if not is_ground(polygons)] or shapes


def _is_upright(polygon: Floats) -> bool:
    """Whether all edges run along an axis."""
    edges = np.abs(np.diff(np.vstack([polygon, polygon[:1]]), axis=0))
    return bool((edges.min(axis=1) <= 1e-6 * np.maximum(edges.max(), 1e-12)).all())


def _filled(shapes: list[_Drawn], name: str) -> NDArray[np.bool_]:
    if not shapes:
        raise BadInput(f"There is no shape to follow in “{name}”.", "outline")
    every = np.concatenate([polygon for shape in shapes for polygon in shape.polygons])
    low, size = every.min(axis=0), np.ptp(every, axis=0)
    if size.max() <= 0 or not np.isfinite(size).all():
        raise BadInput(f"There is no shape to follow in “{name}”.", "outline")
    scale = RASTER_SIDE / float(size.max())
    width, height = (int(s) + 2 * _MARGIN + 1 for s in size * scale)
    canvas = np.zeros((height, width), dtype=bool)
    for shape in shapes:
        _fill(canvas, [(polygon - low) * scale + _MARGIN for polygon in shape.polygons], shape.even_odd)
    return canvas


def _fill(canvas: NDArray[np.bool_], polygons: list[Floats], even_odd: bool) -> None:
    """Fill the polygons (k, 2) of a shape in pixels (x right, y down): every pixel whose middle lies inside.

    Where an edge crosses a line of middles, all pixels to its right are wound round once more or once less. Inside is
    what is wound round at all, or an odd number of times.
    """
    x, y = np.concatenate(polygons).T
    to_x, to_y = np.concatenate([np.roll(polygon, -1, axis=0) for polygon in polygons]).T
    first = np.ceil(np.minimum(y, to_y) - 0.5).astype(int)
    last = np.ceil(np.maximum(y, to_y) - 0.5).astype(int)
    left, top = int(x.min()), int(first.min())
    wide, high = int(x.max()) + 2 - left, int(last.max()) - top
    if high <= 0:
        return
    changes = np.zeros(high * wide, dtype=np.int32)
    way = np.where(to_y > y, 1, -1)
    slope = np.divide(to_x - x, to_y - y, out=np.zeros_like(x), where=to_y != y)
    for start in range(0, len(x), _EDGES_AT_ONCE):
        part = slice(start, start + _EDGES_AT_ONCE)
        lines = last[part] - first[part]
        edge = np.repeat(np.arange(len(x))[part], lines)
        row = np.arange(len(edge)) - np.repeat(np.cumsum(lines) - lines, lines) + first[edge]
        column = np.ceil(x[edge] + (row + 0.5 - y[edge]) * slope[edge] - 0.5).astype(int) - left
        np.add.at(changes, (row - top) * wide + np.clip(column, 0, wide - 1), way[edge])
    wound = np.cumsum(changes.reshape(high, wide), axis=1)
    inside = wound % 2 == 1 if even_odd else wound != 0
    canvas[top : top + high, left : left + wide] |= inside[:, : canvas.shape[1] - left]
