"""The one energy law of packed balloons: every term's energy, slope and curvature. Every solver takes them from here.

Lengths are mm, the pressure p is 1 (only ratios matter), so energies are p·mm³, forces p·mm², stiffnesses p·mm.

| term | energy by its own length q |
|---|---|
| skin on skin | π·R·δ²/2, δ = D − q the overlap, D = r₁ + r₂, R = 2·r₁·r₂/D; beyond D/3 more by π·R·40/D·(δ − D/3)³/6 |
| neck | 0 until the centre is r + s from its knot, then 4·π·r·(q − r − s)²/2: it stretches like rubber |
| pole | as a skin, of stiffness 2·π·r and reach r: the wall is a mirror balloon; a pole of no radius is the line |
| level spring | 20·π·r·q²/2, q the height of a centre over its knot: builders keep rows level |
| crossed necks | 1.4/n·π·r·q²/2 in place of the level spring once hands let go of a row of n: one knot for all |
| turn spring | 100·π·r·q²/2, q sideways off the place of slot 1 of a row with a pinned turn |
| packing force | τ·D²·q, q the rise from knot to knot, D about the mean diameter of the smaller row |
| stop | 100·D·(0.05·D − q)²/2 while the rise q is under 0.05·D: knots do not pass each other |
| winding | h·D·(D − q)²/2 while the rise q is under D: line or ribbon round the balloons keeps knots a balloon apart |
| ground | D·q²/2, q the height of the lowest knot: holds the whole, which otherwise may float |

Central terms depend on the distance q of two points a and b. With e = (b − a)/q the force on b is −E'(q)·e, on a the
opposite, and the Hessian is made of 3 × 3 blocks: K = E''·e·eᵀ + E'/q·(I − e·eᵀ) for (a, a) and (b, b), −K for
(a, b); for q → ∞ (springs along a fixed direction) the second part is gone. A point that moves in some axes only
takes those rows and columns.

Sources: pressurised membranes pressed flat carry p times the flat's area, π·R·δ for small δ; the stiffening, the
neck and the springs are assumptions held to the figures in `docs/accuracy.md`.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import NamedTuple

import numpy as np

from kakushi.model.arrays import Floats


@dataclass(frozen=True, slots=True)
class Law:
    """The numbers of the law. Stiffnesses of neck, level, knot and turn are over π·p·r.

    Those of neck and knot were chosen with slacks and packing forces for the figures of practice
    (`benchmarks/figures_of_practice.py`, table in `docs/accuracy.md`).
    """

    # A latex neck is of the order of 1 N/mm, and so is π·p·r: rubber, not string.
    neck: float = 4.0
    # Far stiffer than a skin: hands hold a row level while it is pressed down. Assumed.
    level: float = 20.0
    # Shared by the balloons of a row: what their crossed and twisted necks keep level when hands let go.
    knot: float = 1.4
    # Five times the level spring: one balloon holds its whole row.
    turn: float = 100.0
    # Over π·p·r: a rigid wall is a mirror balloon, so half the overlap takes twice the force.
    pole: float = 2.0
    # Of the reach: where skins stop behaving like a small flat and begin to squeeze the air.
    stiff_from: float = 1 / 3
    # Over the reach: twice the force at half the reach, so that nothing is pressed through its neighbour.
    stiffening: float = 40.0
    # Of D: closer than that no two knots ever lie.
    stop_gap: float = 0.05
    # Over p·D: far above the packing force, which is τ·p·D² with τ near 1.
    stop: float = 100.0


LAW = Law()


class Response(NamedTuple):
    """Energy, its slope and its curvature by a term's own length, arrays of one shape."""

    energy: Floats
    slope: Floats
    curvature: Floats


def pair_stiffness(one: Floats, other: Floats) -> Floats:
    """π·R of two skins of radii `one` and `other`, mm."""
    return np.asarray(2 * np.pi * one * other / (one + other))


def skin(law: Law, distance: Floats, reach: Floats, stiffness: Floats) -> Response:
    """Response of two skins that touch at distance `reach`, by the distance of their centres, (k,) mm; zero apart."""
    overlap = np.maximum(reach - distance, 0.0)
    beyond = np.maximum(overlap - law.stiff_from * reach, 0.0)
    extra = law.stiffening / reach
    return Response(
        np.asarray(stiffness * (overlap**2 / 2 + extra * beyond**3 / 6)),
        np.asarray(-stiffness * (overlap + extra * beyond**2 / 2)),
        np.asarray(stiffness * (1 + extra * beyond) * (overlap > 0)),
    )


def neck(law: Law, distance: Floats, rest: Floats, radii: Floats) -> Response:
    """Response of a neck that is straight at length `rest`, by the distance of centre and knot, (k,) mm."""
    return _stretched(law.neck * np.pi * radii, np.maximum(distance - rest, 0.0))


def pole(law: Law, distance: Floats, pole_radius: float, radii: Floats) -> Response:
    """Response of a wall of radius `pole_radius` about the centreline, by the distance of centres from it, (k,) mm."""
    return skin(law, distance - pole_radius, radii, law.pole * np.pi * radii)


def spring(stiffness: Floats, stretch: Floats) -> Response:
    """Response of a spring (`stiffness`, p·mm) stretched or compressed by `stretch`, (k,) mm."""
    return Response(
        np.asarray(stiffness * stretch**2 / 2), np.asarray(stiffness * stretch), np.asarray(stiffness + 0 * stretch)
    )


def joint(law: Law, rise: Floats, pull: Floats, diameters: Floats, hold: Floats) -> Response:
    """Response of a joint by the rise (k,) mm between its knots: packing force `pull` = τ·D², stop, what is wound.

    `diameters` are D, `hold` the stiffness of what is wound round the balloons, over p·D; 0 without.
    """
    short = np.maximum(law.stop_gap * diameters - rise, 0.0)
    under = np.maximum(diameters - rise, 0.0)
    stop, wound = law.stop * diameters, hold * diameters
    return Response(
        np.asarray(pull * rise + stop * short**2 / 2 + wound * under**2 / 2),
        np.asarray(pull - stop * short - wound * under),
        np.asarray(stop * (short > 0) + wound * (under > 0)),
    )


def _stretched(stiffness: Floats, stretch: Floats) -> Response:
    return Response(
        np.asarray(stiffness * stretch**2 / 2),
        np.asarray(stiffness * stretch),
        np.asarray(stiffness * (stretch > 0)),
    )
