"""From a filled shape in pixels to an outline: left and right half-widths over the height."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray
from scipy.ndimage import label

from kakushi.model.arrays import Floats
from kakushi.model.errors import BadInput
from kakushi.model.outline import MAX_CONTOURS, MAX_CORNERS, Corner, OutlinePoint, PointsOutline, outline_through

# Points kept of a traced outline.
MAX_POINTS = 400
# Share of the area between the sides that is no part of the shape, from which its contours are kept.
_NOT_SAID = 0.01
# Pixels by which a corner may be off, and corners of a contour at least, the first one twice.
_CORNER_PX, _FEWEST_CORNERS = 0.6, 3
# Pixel rows of a shape that can be an outline.
MIN_LINES = 8
# Pixels by which a side may leave a straight line.
_STRAIGHT_PX = 1.5
# Share of a side that must do so.
_STRAIGHT_SHARE = 0.97
# Degrees: less nobody sees, more nobody stood it up like that.
_LEAST_LEAN_DEG, _MOST_LEAN_DEG = 0.2, 20.0
# Of a shape and its mirror image: from there on both sides are the same but for pixels.
_EVEN = 0.92
# By so much more even about its own axis than about the vertical.
_MORE_EVEN = 0.004


def outline_of_mask(
    mask: NDArray[np.bool_], name: str, height_mm: float, axis_share: float | None = None
) -> PointsOutline:
    """The outline of the largest connected shape in a mask (h, w), scaled evenly to a height, mm.

    The axis is the middle of the shape's midpoints, weighted by width, or lies at `axis_share` of the
    shape's width from its left edge. A shape with one straight
    upright side and one that is not is taken for half an outline and mirrored about that side.
    Raises BadInput when there is no shape or it is too small to follow.
    """
    shape = _largest_part(mask)
    lines = np.flatnonzero(shape.any(axis=1))
    if len(lines) < MIN_LINES:
        raise BadInput(f"There is no shape to follow in “{name}”.", "outline")
    band = shape[lines[0] : lines[-1] + 1]
    # Edges lie between pixels: the right one is one past the last filled pixel.
    left = np.argmax(band, axis=1).astype(float)
    right = band.shape[1] - np.argmax(band[:, ::-1], axis=1).astype(float)
    if axis_share is None:
        half = left, right
        left, right = _whole(left, right)
        if left is not half[0] or right is not half[1]:
            # Half a shape was drawn: its other half is the mirror image.
            band = np.zeros((0, 0), dtype=bool)
        axis = float(np.average((left + right) / 2, weights=right - left))
    else:
        axis = float(left.min() + axis_share * (right.max() - left.min()))
    mm_per_px = height_mm / len(left)
    sides = float((right - left).sum())
    drawn = _contours(band, axis, mm_per_px) if sides - band.sum() > _NOT_SAID * sides and band.size else ()
    return _points(name, np.maximum(axis - left, 0), np.maximum(right - axis, 0), mm_per_px, drawn)


def _contours(shape: NDArray[np.bool_], axis_px: float, mm_per_px: float) -> list[list[Corner]]:
    """The edges of a shape (h, w), holes too, the largest first."""
    from skimage.measure import approximate_polygon, find_contours  # noqa: PLC0415 - few shapes need it

    traced = find_contours(np.pad(shape, 1).astype(float), 0.5)  # type: ignore[no-untyped-call]  # as its library
    traced = sorted(traced, key=len, reverse=True)[:MAX_CONTOURS]
    found = []
    for contour in traced:
        # To where the corners are few enough, a third coarser each time.
        tolerance = _CORNER_PX
        while len(corners := approximate_polygon(contour, tolerance)) > MAX_CORNERS:  # type: ignore[no-untyped-call]  # as above
            tolerance *= 4 / 3
        if len(corners) > _FEWEST_CORNERS:
            x, z = corners[:-1, 1] - 0.5 - axis_px, len(shape) - (corners[:-1, 0] - 0.5)
            found.append([
                Corner(x_mm=float(a) * mm_per_px, height_mm=max(float(b), 0.0) * mm_per_px)
                for a, b in zip(x, z, strict=True)
            ])  # fmt: skip
    return found


def lean_deg(mask: NDArray[np.bool_]) -> float:
    """How far the largest shape in a mask (h, w) leans, degrees clockwise; 0 where it stands upright or is not even.

    A shape that is the same on both sides of an axis has that axis as a principal axis of its area. It is taken for the
    lean where the shape is plainly more even about it than about the vertical. A half outline is left as it was drawn.
    """
    shape = _largest_part(mask)
    lines = np.flatnonzero(shape.any(axis=1))
    if len(lines) < MIN_LINES:
        return 0.0
    band = shape[lines[0] : lines[-1] + 1]
    left, right = np.argmax(band, axis=1), band.shape[1] - np.argmax(band[:, ::-1], axis=1)
    if _is_straight(left) or _is_straight(right):
        return 0.0
    y, x = np.nonzero(band)
    centred = np.stack([x - x.mean(), y - y.mean()])
    _, axes = np.linalg.eigh(centred @ centred.T)
    # Of the two principal axes the one nearer to the vertical; image lines run downward.
    across, along = axes[:, int(np.argmax(np.abs(axes[1])))]
    lean = float(np.degrees(np.arctan(-across / along)))
    if not _LEAST_LEAN_DEG <= abs(lean) <= _MOST_LEAN_DEG:
        return 0.0
    leaning, upright = _evenness(centred, lean), _evenness(centred, 0.0)
    return lean if leaning > _EVEN and leaning > upright + _MORE_EVEN else 0.0


def _evenness(centred: Floats, lean: float) -> float:
    """Intersection over union of a shape's points (2, n), px about its middle, and their mirror image about an axis."""
    c, s = np.cos(np.radians(lean)), np.sin(np.radians(lean))
    x, y = c * centred[0] + s * centred[1], c * centred[1] - s * centred[0]
    # Cells of two pixels, so that turning leaves no holes.
    half, down = int(np.abs(x).max() / 2) + 2, int((y - y.min()).max() / 2) + 2
    cells = np.zeros((down, 2 * half), dtype=bool)
    cells[((y - y.min()) / 2).astype(int), np.floor(x / 2).astype(int) + half] = True
    mirrored = cells[:, ::-1]
    return float((cells & mirrored).sum() / (cells | mirrored).sum())


def _largest_part(mask: NDArray[np.bool_]) -> NDArray[np.bool_]:
    labels, parts = label(mask)
    if parts < 1:
        return np.zeros_like(mask)
    sizes = np.bincount(labels.ravel())
    sizes[0] = 0
    return np.asarray(labels == int(sizes.argmax()))


def _whole(left: Floats, right: Floats) -> tuple[Floats, Floats]:
    """Both sides, the second made by mirroring where only half an outline was drawn."""
    straight_left, straight_right = _is_straight(left), _is_straight(right)
    if straight_left and not straight_right:
        return 2 * np.median(left) - right, right
    if straight_right and not straight_left:
        return left, 2 * np.median(right) - left
    return left, right


def _is_straight(side: Floats) -> bool:
    near = np.abs(side - np.median(side)) <= _STRAIGHT_PX
    return bool(near.mean() >= _STRAIGHT_SHARE)


def _points(
    name: str, left: Floats, right: Floats, mm_per_px: float, contours: Sequence[Sequence[Corner]]
) -> PointsOutline:
    count = len(left)
    # Line centres, foot first, and the two ends at full height.
    z = (np.arange(count) + 0.5)[::-1]
    picked = np.unique(np.linspace(0, count - 1, min(count, MAX_POINTS)).round().astype(int))[::-1]
    rows = [(0.0, left[-1], right[-1]), *((z[i], left[i], right[i]) for i in picked), (float(count), left[0], right[0])]
    points = tuple(
        OutlinePoint(height_mm=float(h) * mm_per_px, left_mm=float(a) * mm_per_px, right_mm=float(b) * mm_per_px)
        for h, a, b in rows
    )
    return outline_through(name, points, contours)


def scaled_to_height(outline: PointsOutline, height_mm: float) -> PointsOutline:
    """The outline scaled evenly, widths too, so that it is `height_mm` tall. Raises BadInput without height."""
    heights = [p.height_mm for p in outline.points]
    tall = max(heights) - min(heights)
    if tall <= 0:
        raise BadInput("The outline has no height.", "outline")
    factor, foot = height_mm / tall, min(heights)
    points = tuple(
        OutlinePoint(height_mm=(p.height_mm - foot) * factor, left_mm=p.left_mm * factor, right_mm=p.right_mm * factor)
        for p in outline.points
    )
    contours = [
        [Corner(x_mm=c.x_mm * factor, height_mm=max(c.height_mm - foot, 0.0) * factor) for c in contour]
        for contour in outline.contours
    ]
    return outline_through(outline.name, points, contours)
