"""Outlines from SVG: every drawn shape with its transforms, filled and joined.

The XML is checked by defusedxml first (no entities, no external references); svgelements then
resolves groups, transforms, units and `use`.
"""

from __future__ import annotations

import io
import re
from contextlib import suppress
from pathlib import Path

import numpy as np
from defusedxml import ElementTree
from defusedxml.common import DefusedXmlException
from numpy.typing import NDArray
from PIL import Image, ImageDraw
from svgelements import SVG, Close, Line, Move, Shape
from svgelements import Path as SvgPath

from kakushi.formats.atomic import read_limited
from kakushi.model.arrays import Floats
from kakushi.model.errors import BadInput
from kakushi.model.outline import PointsOutline
from kakushi.shape.silhouette import outline_of_mask

MAX_BYTES = 8 * 2**20
MAX_OFFERED = 12
MAX_SHAPES = 2000
MAX_SEGMENTS = 20_000
RASTER_SIDE = 1400
CURVE_STEPS = 24
_MARGIN = 2
_COVERS = 0.98
_DOCTYPE = re.compile(rb"<!DOCTYPE[^\[>]*(\[[^\]]*\])?\s*>")
_ENTITY = re.compile(rb"<!ENTITY\s+([A-Za-z_][\w.-]*)\s+[\"']([^\"'<]*)[\"']\s*>")


def load_outline_svg(path: Path, height_mm: float) -> PointsOutline:
    """The outline of the largest drawn shape. Raises JobFileError or BadInput, each one sentence."""
    return load_svg_outlines(path, height_mm)[0]


def load_svg_outlines(path: Path, height_mm: float) -> list[PointsOutline]:
    """All drawn shapes together first (the largest connected one), then each by itself, largest first.

    One outline where there is one shape. Raises JobFileError or BadInput, each one sentence.
    """
    shapes = _shapes(read_limited(path, MAX_BYTES, "an outline"), path.name)
    every = [polygon for shape in shapes for polygon in shape]
    outlines = [outline_of_mask(_filled(every, path.name), path.stem, height_mm)]
    if len(shapes) > 1:
        largest = sorted(shapes, key=lambda polygons: -float(np.prod(np.ptp(np.concatenate(polygons), axis=0))))
        for number, polygons in enumerate(largest[:MAX_OFFERED], 1):
            with suppress(BadInput):
                name = f"{path.stem[:90]}, shape {number}"
                outlines.append(outline_of_mask(_filled(polygons, path.name), name, height_mm))
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
        if len(body) + body.count(b"&" + key + b";") * len(value) > MAX_BYTES:
            raise BadInput(f"“{name}” grows too large when its entities are filled in.", "outline")
        body = body.replace(b"&" + key + b";", value)
    return body


def _shapes(data: bytes, name: str) -> list[list[Floats]]:
    """Closed polygons (k, 2) of every drawn shape, in drawing order."""
    shapes = drawn_shapes(data, name)
    outlined = [polygons for shape in shapes if (polygons := flattened(SvgPath(shape), name))]
    kept = {id(polygon) for polygon in _without_ground([p for polygons in outlined for p in polygons])}
    within = [[p for p in polygons if id(p) in kept] for polygons in outlined]
    return [polygons for polygons in within if polygons]


def drawn_shapes(data: bytes, name: str) -> list[Shape]:
    """Every visible shape of an SVG, transforms applied, in drawing order. Raises BadInput, one sentence."""
    data = _expanded(data, name)
    try:
        ElementTree.fromstring(data, forbid_dtd=False)
        drawing = SVG.parse(io.BytesIO(data), reify=True)
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
    if len(shapes) > MAX_SHAPES:
        raise BadInput(f"“{name}” has more than {MAX_SHAPES} shapes; keep only what matters.", "outline")
    return shapes


def _is_drawn(element: Shape) -> bool:
    values = element.values
    return values.get("display") != "none" and values.get("visibility") not in {"hidden", "collapse"}


def flattened(path: SvgPath, name: str) -> list[Floats]:
    """Closed polygons (k, 2) of a path; curves in straight steps. Raises BadInput for one with too many segments."""
    if len(path) > MAX_SEGMENTS:
        raise BadInput(f"“{name}” has a shape of more than {MAX_SEGMENTS} segments.", "outline")
    polygons: list[list[tuple[float, float]]] = [[]]
    for segment in path:
        if isinstance(segment, Move):
            polygons.append([])
        steps = [1.0] if isinstance(segment, Line | Close | Move) else np.linspace(0, 1, CURVE_STEPS + 1)[1:]
        for point in (segment.point(float(t)) for t in steps):
            if point is not None:
                polygons[-1].append((float(point.x), float(point.y)))
    arrays = [np.array(p) for p in polygons if len(p) > 2]
    return [a for a in arrays if np.isfinite(a).all()]


def _without_ground(polygons: list[Floats]) -> list[Floats]:
    """Without a rectangle behind everything: a background is no outline."""
    if len(polygons) < 2:
        return polygons
    every = np.concatenate(polygons)
    size = np.maximum(np.ptp(every, axis=0), 1e-12)
    return [
        p for p in polygons if not (len(p) in {4, 5} and (np.ptp(p, axis=0) >= _COVERS * size).all() and _is_upright(p))
    ] or polygons


def _is_upright(polygon: Floats) -> bool:
    """Whether all edges run along an axis."""
    edges = np.abs(np.diff(np.vstack([polygon, polygon[:1]]), axis=0))
    return bool((edges.min(axis=1) <= 1e-6 * np.maximum(edges.max(), 1e-12)).all())


def _filled(polygons: list[Floats], name: str) -> NDArray[np.bool_]:
    if not polygons:
        raise BadInput(f"There is no shape to follow in “{name}”.", "outline")
    every = np.concatenate(polygons)
    low, size = every.min(axis=0), np.ptp(every, axis=0)
    if size.max() <= 0 or not np.isfinite(size).all():
        raise BadInput(f"There is no shape to follow in “{name}”.", "outline")
    scale = RASTER_SIDE / float(size.max())
    width, height = (int(s) + 2 * _MARGIN + 1 for s in size * scale)
    canvas = Image.new("1", (width, height))
    pen = ImageDraw.Draw(canvas)
    for polygon in polygons:
        pen.polygon([tuple(p) for p in ((polygon - low) * scale + _MARGIN).tolist()], fill=1)
    return np.asarray(canvas, dtype=bool)
