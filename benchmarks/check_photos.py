"""How well `kakushi check` finds faults in simulated photographs of made-up pieces; figures for docs/accuracy.md.

    .venv/bin/python benchmarks/check_photos.py --photos 200 --folder /tmp/photos [--first 0] [--workers 2]

Photographs and results are kept in the folder, so that a second run only scores them; delete `*.found` to check anew.
"""

from __future__ import annotations

import argparse
import math
import pickle
import time
from collections import Counter
from concurrent.futures import ProcessPoolExecutor
from pathlib import Path

import numpy as np

from kakushi.check.check import check_photo
from kakushi.check.image import linear_of
from kakushi.check.model_spheres import ModelSpheres, model_spheres_of
from kakushi.check.practice import KINDS, Made, Practice, practise, usual_shot
from kakushi.check.request import CheckRequest
from kakushi.check.values import Result
from kakushi.model.catalogue import Studio
from kakushi.model.groups import Row, RowsGroup, uniform_row
from kakushi.model.job import Job
from kakushi.model.layers import (
    Band,
    BandsLayer,
    ChecksLayer,
    DiamondsLayer,
    GradientLayer,
    MixLayer,
    MotifLayer,
    Share,
    SpiralLayer,
)
from kakushi.model.parts import Fillers, PartBalloons
from kakushi.model.piece import Piece
from kakushi.model.values import replace
from kakushi.plan.pipeline import plan
from kakushi.plan.showing import placed_fillers
from kakushi.sight.pinhole import Ends

WELL_SEEN = 0.55
CLICK_PX = 6.0
SMALL_MM, LEANS = 700.0, 0.05


def made_up(seed: int) -> ModelSpheres:
    """A piece as people build them: straight or tapered, four to six in a row, one or two sizes, some with clusters."""
    chance = np.random.default_rng(seed)
    count = int(chance.choice([4, 4, 4, 5, 6]))
    rows = int(chance.integers(6, 15))
    size = {4: 11, 5: 11, 6: 9}[count]
    large = {11: 230.0, 9: 200.0}[size] * chance.uniform(0.85, 1.1)
    match int(chance.integers(4)):
        case 0:
            shares = np.ones(rows)
        case 1:
            shares = np.linspace(1.0, chance.uniform(0.45, 0.8), rows)
        case 2:
            shares = 0.6 + 0.4 * np.sin(np.linspace(0.4, 2.9, rows)) ** 2
        case _:
            shares = np.where(np.arange(rows) % 2 == 0, 1.0, 0.8)
    sized = [round(float(large * share), 0) for share in shares]
    rows_of = [uniform_row(k + 1, count, size if d > 130 else 5, d) for k, d in enumerate(sized)]
    more = np.random.default_rng(40_000 + seed)
    if count % 2 == 0 and more.random() < 0.2:
        rows_of = [_two_sizes(row) for row in rows_of]
    groups = (RowsGroup(rows=tuple(rows_of)),)
    colours = [colour.key for colour in Job().palette]
    chosen = [str(each) for each in chance.choice(colours, size=4, replace=False)]
    layer = [
        SpiralLayer(lanes=tuple(chosen[:2])),
        SpiralLayer(lanes=tuple(chosen[:4]) if count == 4 else tuple(chosen[:3])),
        SpiralLayer(lanes=tuple(chosen[:2]), reverse_every=4),
        BandsLayer(bands=tuple(Band(colour=each, rows=2) for each in chosen[:3])),
        ChecksLayer(colours=tuple(chosen[:2])),
        DiamondsLayer(colours=tuple(chosen[:2]), around=2, high=5),
        GradientLayer(colours=tuple(chosen[:3]), dithered=True),
        MixLayer(shares=tuple(Share(colour=each, parts=1) for each in chosen[:3])),
    ][int(chance.integers(8))]
    layers = (layer, _motif(more, chosen[3])) if more.random() < 0.15 else (layer,)
    parts = ()
    if chance.random() < 0.2:
        parts = (
            Fillers(key=1, wanted=6, balloons=(PartBalloons(nominal_in=5, diameter_mm=90, count=2, colour=chosen[3]),)),
        )
    piece = Piece(key=1, name="made up", groups=groups, layers=layers, parts=parts, target_height_mm=2000)
    job = Job(pieces=(piece,))
    found = plan(job, Studio()).pieces[0]
    if parts:
        seats = tuple(placed_fillers(found, 1).seats)
        dressed = replace(piece, parts=(replace(parts[0], seats=seats),))
        job = Job(pieces=(dressed,))
        found = plan(job, Studio()).pieces[0]
    return model_spheres_of(found, job)


def _two_sizes(row: Row) -> Row:
    """Every other balloon of a row at four fifths of its size."""
    small = round(row.diameter_mm * 0.8)
    nominal = row.slots[0].nominal_in if small > 130 else 5
    return replace(
        row,
        slots=tuple(replace(s, nominal_in=nominal, diameter_mm=small) if k % 2 else s for k, s in enumerate(row.slots)),
    )


def _motif(chance: np.random.Generator, colour: str) -> MotifLayer:
    """A small picture of some blots."""
    cells = chance.random((5, 4)) < 0.5
    lines = tuple(tuple(colour if cell else "" for cell in line) for line in cells)
    return MotifLayer(cells=lines, tall=0.5)


def photograph(number: int, folder: Path) -> tuple[ModelSpheres, Practice]:
    """The piece and the photograph of that number, taken once."""
    model = made_up(number)
    path = folder / f"{number}.photo"
    if path.exists():
        return model, pickle.loads(path.read_bytes())
    chance = np.random.default_rng(10_000 + number)
    shot = usual_shot(model, math.radians(chance.uniform(-12, 12)), chance)
    lean = math.radians(float(chance.choice([0, 0, 0, 4.5, -6])))
    kinds = [str(kind) for kind in chance.choice(KINDS, size=int(chance.integers(0, 5)))]
    taken = practise(model, shot, 20_000 + number, kinds, lean)
    path.write_bytes(pickle.dumps(taken))
    return model, taken


def request_of(number: int, model: ModelSpheres, taken: Practice) -> CheckRequest:
    """Foot and top as somebody clicks them."""
    off = np.random.default_rng(30_000 + number).normal(0, CLICK_PX, 4)
    (fx, fy), (tx, ty) = taken.photograph.foot, taken.photograph.top
    return CheckRequest(Ends((fx + off[0], fy + off[1]), (tx + off[2], ty + off[3]), 0.0, model.top_mm))


def checked(number: int, folder: Path) -> dict:
    """What the check finds in a photograph, beside what is in it."""
    path = folder / f"{number}.found"
    if path.exists():
        return pickle.loads(path.read_bytes())
    model, taken = photograph(number, folder)
    began = time.perf_counter()
    result = check_photo(model, linear_of(taken.photograph.pixels), request_of(number, model, taken))
    found = {
        "result": result, "seconds": time.perf_counter() - began, "made": taken.made, "lean": taken.lean,
        "azimuth": taken.shot.azimuth, "seen": taken.seen, "tall": model.top_mm,
    }  # fmt: skip
    path.write_bytes(pickle.dumps(found))
    return found


class Score:
    """Counts of what was found, missed and accused; single cases are printed as they come."""

    def __init__(self) -> None:
        self.counts: Counter[str] = Counter()
        self.azimuths: list[float] = []
        self.leans: list[float] = []
        self.seconds: list[float] = []
        self.sure: list[tuple[float, bool]] = []

    def add(self, number: int, found: dict) -> None:
        """One photograph."""
        result = found["result"]
        self.seconds.append(found["seconds"])
        if result.refused:
            self.counts["refused"] += 1
            print(number, "refused:", result.refused)
            return
        off = (math.degrees(result.azimuth - found["azimuth"]) + 180) % 360 - 180
        self.azimuths.append(abs(off))
        if abs(off) > (4 if found["tall"] < SMALL_MM else 2):
            print(number, f"azimuth off by {off:.1f}°, others {[round(math.degrees(a)) for a in result.azimuths]}")
        if result.lean is None:
            self.counts["lean not told"] += 1
        else:
            self.leans.append(abs(math.degrees(result.lean - found["lean"])))
        made = {(fault.row, fault.slot): fault for fault in found["made"]}
        for place, fault in made.items():
            self._add_made(number, place, fault, result)
        for row, slot, share in found["seen"]:
            if share >= WELL_SEEN and row >= 0 and (row, slot) not in made:
                self._add_right(number, (row, slot), result)
        for fault in result.faults:
            if fault.slot < 0 and not (fault.kind.value == "lean" and abs(found["lean"]) > LEANS):
                self.counts[f"false {fault.kind.value}"] += 1
                print(number, "false:", fault)

    def _add_made(self, number: int, place: tuple[int, int], fault: Made, result: Result) -> None:
        kind = fault.kind
        self.counts[f"made {kind}"] += 1
        mine = next((each for each in result.faults if (each.row, each.slot) == place), None)
        balloon = next(each for each in result.balloons if (each.row, each.slot) == place)
        if mine is not None and not mine.look and mine.kind.value == kind:
            self.counts[f"found {kind}"] += 1
            self.sure.append((mine.likely, True))
            return
        if mine is not None:
            how = "look" if mine.look else mine.kind.value
        elif kind == "colour" and any(each.kind.value == "turned" and each.row == place[0] for each in result.faults):
            how = "turned row"
        else:
            how = f"not judged: {balloon.why_not}" if balloon.why_not else "lost"
        self.counts[f"{kind}: {how}"] += 1
        print(number, place, kind, fault.size, how)

    def _add_right(self, number: int, place: tuple[int, int], result: Result) -> None:
        self.counts["right"] += 1
        mine = next((each for each in result.faults if (each.row, each.slot) == place), None)
        balloon = next(each for each in result.balloons if (each.row, each.slot) == place)
        if mine is not None and not mine.look:
            self.counts[f"right, accused of {mine.kind.value}"] += 1
            self.sure.append((mine.likely, False))
            print(number, place, "accused:", mine)
        elif mine is not None:
            self.counts["right, to look at"] += 1
        elif balloon.why_not:
            self.counts[f"right, not judged: {balloon.why_not}"] += 1

    def told(self) -> None:
        """Print the sums."""
        print()
        for name, many in sorted(self.counts.items()):
            print(f"{many:6d}  {name}")
        print(f"azimuth off by {np.mean(self.azimuths):.2f}° on average, at most {np.max(self.azimuths):.1f}°")
        if self.leans:
            print(f"lean off by {np.mean(self.leans):.2f}° on average, at most {np.max(self.leans):.1f}°")
        for low, high in ((0.5, 0.8), (0.8, 0.95), (0.95, 1.01)):
            mine = [is_right for likely, is_right in self.sure if low <= likely < high]
            if mine:
                print(f"of {len(mine)} faults told at {low:.0%} to {min(high, 1):.0%} {np.mean(mine):.0%} are right")
        print(f"{np.mean(self.seconds):.1f} s each, at most {np.max(self.seconds):.1f} s")


def main() -> None:
    """Take, check and score photographs."""
    parser = argparse.ArgumentParser()
    parser.add_argument("--photos", type=int, default=40)
    parser.add_argument("--first", type=int, default=0)
    parser.add_argument("--folder", type=Path, required=True)
    parser.add_argument("--workers", type=int, default=2)
    arguments = parser.parse_args()
    arguments.folder.mkdir(parents=True, exist_ok=True)
    numbers = range(arguments.first, arguments.first + arguments.photos)
    with ProcessPoolExecutor(arguments.workers) as pool:
        found = dict(zip(numbers, pool.map(checked, numbers, [arguments.folder] * len(numbers)), strict=True))
    score = Score()
    for number, each in found.items():
        score.add(number, each)
    score.told()


if __name__ == "__main__":
    main()
