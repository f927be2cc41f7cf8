"""Parts beside a column: how far out they touch it, and which are sunk in it, float or reach below the floor."""

from __future__ import annotations

import math
from collections.abc import Iterator

import numpy as np

from kakushi.dress.bodies import Body, directions, film_points, turned
from kakushi.dress.kinds.flowers import head_mm
from kakushi.dress.kinds.plants import LEANS, RING_DEEP
from kakushi.dress.table import kind_of, name_of, spot_of
from kakushi.model.arrays import Floats
from kakushi.model.parts import Extended, Flowers, Part, Placed, Plants
from kakushi.model.piece import Piece
from kakushi.model.values import replace
from kakushi.packing.assembly import Assembly
from kakushi.plan.facts import PartBelowFloor, PartFloats, PartSunk
from kakushi.plan.parts import parts_in_place, place_of

_SUNK, _FLOATS_MM, _BELOW_MM = 0.15, 15.0, 10.0
"""Share of a part's surface inside balloons, and distances off the skin and below the floor, mm, from which it is told:
what a hand would put right."""
_AROUND = 20
"""Directions in which the surface of each ball of a part is looked at."""
_WAY_MM = 1000.0
"""Distance, mm, over which the direction is measured in which a part moves with its distance from the pole."""
_BETWEEN_WAYS = 0.12
"""How far inside a ball's skin the plane between neighbouring directions lies at most, over its radius."""


def on_skin(part: Part, piece: Piece, assembly: Assembly) -> Part:
    """The part as far out as its skin touches that of the column, and not below the floor.

    What lies on the column anyway, stands on it or is fixed to another part is left as it is, and so is a part where
    there is nothing to touch.
    """
    if isinstance(part, Plants | Flowers):
        return _round_the_foot(part, assembly)
    if not _is_beside(part) or not isinstance(part, Placed):
        return part
    low = _lowest(part, piece, assembly)
    if low < 0:
        part = replace(part, height_mm=part.height_mm - low, up_mm=part.up_mm - low if part.row is not None else 0.0)
    # How a toy hangs follows from how far out its two places are.
    for _ in range(2):
        if (out := _touching_mm(part, piece, assembly)) is None:
            break
        part = replace(part, offset_mm=out)
    return part


def resting_notes(piece: Piece, assembly: Assembly) -> Iterator[PartSunk | PartFloats | PartBelowFloor]:
    """Parts that are sunk in the balloons, float off them or reach below the floor."""
    centres, radii = assembly.spheres
    for part in parts_in_place(piece, assembly) if len(radii) else ():
        stands_about = isinstance(part, Plants | Flowers) and part.on is None
        if not (_is_beside(part) or stands_about) or not isinstance(part, Placed):
            continue
        if (low := _lowest(part, piece, assembly)) < -_BELOW_MM:
            yield PartBelowFloor(name_of(part), -low)
        points, reach = _surface(part, piece, assembly, part.offset_mm)
        if not len(points):
            continue
        gaps = _gaps(points, centres, radii)
        if (share := float((gaps < 0).mean())) > _SUNK:
            yield PartSunk(name_of(part), share)
        elif not stands_about and (gap := float(gaps.min() - reach)) > _FLOATS_MM:
            yield PartFloats(name_of(part), gap)


def is_laid(part: Part) -> bool:
    """Whether a part can be laid on the skin: it hangs beside the column, or stands about its foot."""
    return _is_beside(part) or (isinstance(part, Plants | Flowers) and part.on is None)


def _is_beside(part: Part) -> bool:
    """Whether a part hangs or is held beside the column, at a distance that is its own."""
    kind = kind_of(part)
    return (
        isinstance(part, Extended)
        and part.on is None
        and not part.tied_to
        and not kind.lies_on
        and not kind.standing(part)
        and not isinstance(part, Plants | Flowers)
        and len(kind.body(part)) > 0
    )


def _body(part: Part, piece: Piece, assembly: Assembly, out: float) -> Body:
    """A part in place, so far from the pole, mm."""
    moved = replace(part, offset_mm=out) if isinstance(part, Placed) else part
    azimuth = math.radians(getattr(part, "azimuth_deg", 0.0))
    return turned(kind_of(moved).body(moved), azimuth, place_of(moved, piece.parts, piece.rows, assembly))


def _lowest(part: Part, piece: Piece, assembly: Assembly) -> float:
    """Lowest point of a part above the floor, mm."""
    body = _body(part, piece, assembly, getattr(part, "offset_mm", 0.0))
    return float((body.centres[:, 2] - body.radii).min()) if len(body) else 0.0


def _surface(part: Part, piece: Piece, assembly: Assembly, out: float) -> tuple[Floats, float]:
    """Points (k, 3) of the surface of a part in place, mm, and how far apart from the true surface they may lie."""
    body = _body(part, piece, assembly, out)
    if body.film is not None:
        return film_points(body, both_faces=True), 0.0
    points = (body.centres[:, None] + body.radii[:, None, None] * directions(_AROUND)).reshape(-1, 3)
    return points, float(body.radii.max(initial=0.0)) * _BETWEEN_WAYS


def _gaps(points: Floats, centres: Floats, radii: Floats) -> Floats:
    """Distance of points (k, 3) from the nearest skin of balloons, below 0 inside, (k,) mm."""
    from scipy.spatial import cKDTree  # noqa: PLC0415 - takes half a second, and few pieces need it

    near = min(8, len(radii))
    away, which = cKDTree(centres).query(points, k=near)
    gaps = np.asarray(away).reshape(len(points), near) - radii[np.asarray(which).reshape(len(points), near)]
    return np.asarray(gaps.min(axis=1))


def _touching_mm(part: Part, piece: Piece, assembly: Assembly) -> float | None:
    """How far from the pole a part that comes from outside touches the column, mm; None where it meets nothing."""
    far, near = (spot_of(replace(part, offset_mm=out), 0.0) for out in (_WAY_MM, 0.0))
    away = np.subtract(far, near)
    per_mm = float(np.linalg.norm(away)) / _WAY_MM
    # A thing that hangs all round the pole does not move out.
    if per_mm < math.cos(math.radians(80)):
        return None
    way = away / (per_mm * _WAY_MM)
    body = _body(part, piece, assembly, 0.0)
    points, reach = body.centres, body.radii
    if body.film is not None:
        # The flat thing by its back, and what is no part of it, like the cord it hangs on.
        back, rest = film_points(body), slice(body.filmed or len(body), None)
        points, reach = np.concatenate([back, points[rest]]), np.concatenate([np.zeros(len(back)), reach[rest]])
    centres, radii = assembly.spheres
    between = centres[None] - points[:, None]
    along = between @ way
    aside = np.maximum((between**2).sum(axis=2) - along**2, 0.0)
    both = reach[:, None] + radii[None]
    touching = along + np.sqrt(np.maximum(both**2 - aside, 0.0))
    touching = touching[aside < both**2]
    return max(float(touching.max()), 0.0) / per_mm if len(touching) else None


def _round_the_foot(part: Plants | Flowers, assembly: Assembly) -> Part:
    """Plants or flowers that stand in a ring clear of the balloons at the foot."""
    centres, radii = assembly.spheres
    low = centres[:, 2] - radii < part.height_mm + part.tall_mm
    if not low.any():
        return part
    out = float((np.hypot(centres[low, 0], centres[low, 1]) + radii[low]).max())
    if isinstance(part, Flowers):
        return replace(part, wide_mm=2 * (out + 2 * head_mm(part)))
    return replace(part, wide_mm=2 * (out + (LEANS + RING_DEEP) * part.tall_mm))
