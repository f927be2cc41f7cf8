"""Placing measured at length: main things kept in sight, scattered sets, toppers, new parts of every kind.

Run: .venv/bin/python benchmarks/dressing.py [--pieces 20] [--sets 50] [--toppers 500] [--seed 1]
Prints, for each, the worst and the mean of what the tests hold to.
"""

from __future__ import annotations

import argparse
from random import Random

import numpy as np

from kakushi.dress.table import KINDS
from kakushi.model.catalogue import Studio
from kakushi.model.frame import Frame
from kakushi.model.groups import RowsGroup, uniform_row
from kakushi.model.job import Job
from kakushi.model.joints import JointKind
from kakushi.model.parts import Board, FillerLook, Fillers, FoilShape, PartBalloons, Topper, Toy
from kakushi.model.piece import Piece, SeenSides, Tightness
from kakushi.model.units import inches
from kakushi.model.values import replace
from kakushi.packing.assembly import Assembly
from kakushi.plan.dressing import seated_fillers
from kakushi.plan.parts import bodies_of
from kakushi.plan.pipeline import plan
from kakushi.plan.resting import on_skin
from kakushi.plan.showing import placed_fillers, showing_of
from kakushi.plan.values import PiecePlan
from kakushi.session import part_edits
from kakushi.session.session import Session

_SIZES = ((9, 170.0), (11, 215.0), (11, 235.0), (16, 320.0))


def planned(piece: Piece) -> PiecePlan:
    """The plan of a piece by itself."""
    return plan(Job(pieces=(piece,)), Studio()).pieces[0]


def column(dice: Random, rows: tuple[int, int] = (5, 10)) -> Piece:
    """A column of random rows, a little loose so that its pole shows."""
    count = dice.choice([4, 5])
    nominal, diameter = dice.choice(_SIZES)
    made = tuple(
        uniform_row(k + 1, count, nominal, diameter * dice.choice([1.0, 0.95])) for k in range(dice.randint(*rows))
    )
    return Piece(key=1, name="Gate", groups=(RowsGroup(rows=made),), tightness=Tightness.LOOSE, joint=JointKind.RIBBON,
                 seen_sides=dice.choice(list(SeenSides)))  # fmt: skip


def marked(dice: Random, pieces: int) -> None:
    """Main things: what clusters cover of them, and what they hide beside what they hid without regard to them."""
    covered, hidden = [], []
    for _ in range(pieces):
        piece = column(dice)
        high = 0.45 * planned(piece).height_mm
        where = {"height_mm": high, "azimuth_deg": dice.uniform(-60, 60), "colour": "rope"}
        thing = dice.choice([
            Toy(key=9, mass_g=200, wide_mm=200, tall_mm=300, deep_mm=150, **where),
            Board(key=9, wide_mm=350, tall_mm=220, deep_mm=5, **where),
            FoilShape(key=9, shape="heart", tall_mm=300, wide_mm=300, deep_mm=90, stands=False, **where),
        ])  # fmt: skip
        nominal, size = dice.choice([(5, 110.0), (11, 200.0)])
        balloons = (PartBalloons(nominal_in=nominal, diameter_mm=size, colour="rope", count=4),)
        fillers = Fillers(key=5, wanted=dice.randint(6, 12), balloons=balloons)
        laid = on_skin(thing, piece, planned(piece).assembly)
        bare = planned(replace(piece, parts=(replace(laid, in_sight=True), fillers)))
        (before,) = showing_of(bare).things
        former = placed_fillers(planned(replace(piece, parts=(replace(laid, in_sight=False), fillers))), 5)
        now = placed_fillers(bare, 5)
        dressed = planned(replace(piece, parts=(replace(laid, in_sight=True), replace(fillers, seats=now.seats))))
        (after,) = showing_of(dressed).things
        looks = zip(before.shares, after.shares, strict=True)
        covered.append(max((a - b for a, b in looks if a is not None and b is not None), default=0.0))
        hidden.append(now.hidden[-1] / former.hidden[-1] if former.hidden[-1] else 1.0)
    print(f"marked things, {pieces}: covered at most {max(covered):.1%}; hidden, of before: {np.mean(hidden):.3f} on "
          f"average, {min(hidden):.3f} at worst, under 0.9: {sum(h < 0.9 for h in hidden)}")  # fmt: skip


def scattered(dice: Random, sets: int) -> None:
    """Scattered sets: how much the distance to the nearest one varies, and how many sets are warned about."""
    varies, told = [], 0
    for _ in range(sets):
        balloons = (PartBalloons(nominal_in=5, diameter_mm=80, colour="rope", count=dice.choice([1, 2, 4])),)
        part = Fillers(key=5, wanted=dice.randint(5, 16), look=FillerLook.SCATTERED, balloons=balloons)
        found = planned(replace(column(dice), parts=(part,)))
        seats = placed_fillers(found, 5).seats
        dressed = planned(replace(found.piece, parts=(replace(part, seats=seats),)))
        middles = np.array([each.centres.mean(axis=0) for each in seated_fillers(dressed.piece, dressed.assembly)])
        away = np.linalg.norm(middles[:, None] - middles[None], axis=2) + np.diag(np.full(len(middles), np.inf))
        nearest = away.min(axis=1)
        varies.append(float(nearest.std() / nearest.mean()))
        told += bool(set(dressed.warnings) - set(found.warnings))
    print(f"scattered sets, {sets}: spacing varies by {np.mean(varies):.0%} on average, {max(varies):.0%} at most; "
          f"warned about: {told}")  # fmt: skip


def toppers(dice: Random, number: int) -> None:
    """Toppers: overlap with balloons and pole, heights, sizes."""
    deepest, off, too_large = 0.0, 0.0, 0
    columns = [column(dice, (3, 6)) for _ in range(8)]
    for _ in range(number):
        piece, nominal = dice.choice(columns), dice.choice([5, 11, 16, 24, 36])
        balloons = (PartBalloons(nominal_in=nominal, colour="rope", count=dice.choice([1, 1, 2, 3, 4, 6])),)
        part = Topper(key=1, tall_mm=dice.uniform(50, 1500), wide_mm=300, balloons=balloons)
        pole = dice.choice([None, dice.uniform(500, 2000)])
        found = planned(replace(piece, parts=(part,), frame=Frame(pole_length_mm=pole)))
        ((_, body),) = found.bodies
        deepest = max(deepest, _depth(found.assembly, body.centres, body.radii))
        top = max(float((body.centres[:, 2] + body.radii).max()), found.assembly.top)
        off = max(off, abs(found.overall_height_mm - top))
        too_large += bool(2 * body.radii.max() > inches(nominal) + 1e-6)
        out = np.hypot(body.centres[:, 0], body.centres[:, 1])
        over = out < body.radii
        lows = body.centres[over, 2] - np.sqrt(body.radii[over] ** 2 - out[over] ** 2)
        if pole is not None and len(lows) and lows.min() < pole < (body.centres[:, 2] + body.radii).max():
            deepest = max(deepest, pole - float(lows.min()))
    print(f"toppers, {number}: at most {deepest:.4f} mm in balloons or pole, heights off by at most {off:.4f} mm, "
          f"larger than their balloon: {too_large}")  # fmt: skip


def _depth(assembly: Assembly, centres: np.ndarray, radii: np.ndarray) -> float:
    column_centres, column_radii = assembly.spheres
    away = np.linalg.norm(centres[:, None] - column_centres[None], axis=2)
    return max(float((radii[:, None] + column_radii[None] - away).max()), 0.0)


def new_parts() -> None:
    """New parts of every kind on columns 15 to 90 cm thick: the share of their surface inside balloons."""
    turn, up = np.arange(60) * 2.39996, 1 - (2 * np.arange(60) + 1) / 60
    flat = np.sqrt(1 - up**2)
    ways = np.stack([flat * np.cos(turn), flat * np.sin(turn), up], axis=1)
    worst: dict[str, float] = {}
    for nominal, diameter, rows in ((5, 62.0, 14), (5, 100.0, 10), (9, 200.0, 9), (16, 350.0, 6), (36, 400.0, 5)):
        made = tuple(uniform_row(k + 1, 4, nominal, diameter) for k in range(rows))
        for kind in KINDS:
            session = Session(Job(pieces=(Piece(key=1, name="Gate", groups=(RowsGroup(rows=made),)),)))
            session.apply(part_edits.add_part(1, kind))
            found = plan(session.job, Studio()).pieces[0]
            centres, radii = found.assembly.spheres
            for _, body in bodies_of(found.piece, found.assembly):
                points = (body.centres[:, None] + body.radii[:, None, None] * ways).reshape(-1, 3)[::3]
                gaps = (np.linalg.norm(points[:, None] - centres[None], axis=2) - radii[None]).min(axis=1)
                worst[kind] = max(worst.get(kind, 0.0), float((gaps < 0).mean()))
    print("new parts, share inside: " + ", ".join(f"{kind} {share:.1%}" for kind, share in sorted(worst.items())))


def main() -> None:
    """Measure all."""
    arguments = argparse.ArgumentParser(description=__doc__)
    for name, number in (("pieces", 20), ("sets", 50), ("toppers", 500), ("seed", 1)):
        arguments.add_argument(f"--{name}", type=int, default=number)
    asked = arguments.parse_args()
    new_parts()
    for measure, number in ((toppers, asked.toppers), (scattered, asked.sets), (marked, asked.pieces)):
        measure(Random(asked.seed), number)


if __name__ == "__main__":
    main()
