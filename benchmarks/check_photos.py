"""How well `kakushi check` finds faults in simulated photographs of made-up pieces; figures for docs/accuracy.md.

    .venv/bin/python benchmarks/check_photos.py --photos 200 --folder /tmp/photos [--first 0] [--features FILE]

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

from kakushi.check.check import Wish, check_photo
from kakushi.check.image import linear_of
from kakushi.check.pinhole import Ends
from kakushi.check.practice import KINDS, Practice, practise, usual_shot
from kakushi.check.subject import Subject, subject_of
from kakushi.model.catalogue import Studio
from kakushi.model.groups import RowsGroup, uniform_row
from kakushi.model.job import Job
from kakushi.model.layers import (
    Band,
    BandsLayer,
    ChecksLayer,
    DiamondsLayer,
    GradientLayer,
    MixLayer,
    Share,
    SpiralLayer,
)
from kakushi.model.parts import Fillers, PartBalloons
from kakushi.model.piece import Piece
from kakushi.model.values import replace
from kakushi.plan.pipeline import plan
from kakushi.plan.showing import placed_fillers

WELL_SEEN = 0.55
CLICK_PX = 6.0


def made_up(seed: int) -> Subject:
    """A piece as people build them: straight or tapered, four to six in a row, some with clusters."""
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
    groups = (RowsGroup(rows=tuple(uniform_row(k + 1, count, size if d > 130 else 5, d) for k, d in enumerate(sized))),)
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
    parts = ()
    if chance.random() < 0.2:
        parts = (
            Fillers(key=1, wanted=6, balloons=(PartBalloons(nominal_in=5, diameter_mm=90, count=2, colour=chosen[3]),)),
        )
    piece = Piece(key=1, name="made up", groups=groups, layers=(layer,), parts=parts, target_height_mm=2000)
    job = Job(pieces=(piece,))
    found = plan(job, Studio()).pieces[0]
    if parts:
        seats = tuple(placed_fillers(found, 1).seats)
        dressed = replace(piece, parts=(replace(parts[0], seats=seats),))
        job = Job(pieces=(dressed,))
        found = plan(job, Studio()).pieces[0]
    return subject_of(found, job)


def photograph(number: int, folder: Path) -> tuple[Subject, Practice]:
    """The piece and the photograph of that number, taken once."""
    subject = made_up(number)
    path = folder / f"{number}.photo"
    if path.exists():
        return subject, pickle.loads(path.read_bytes())
    chance = np.random.default_rng(10_000 + number)
    shot = usual_shot(subject, math.radians(chance.uniform(-12, 12)), chance)
    lean = math.radians(float(chance.choice([0, 0, 0, 4.5, -6])))
    kinds = [str(kind) for kind in chance.choice(KINDS, size=int(chance.integers(0, 5)))]
    taken = practise(subject, shot, 20_000 + number, kinds, lean)
    path.write_bytes(pickle.dumps(taken))
    return subject, taken


def wish_of(number: int, subject: Subject, taken: Practice) -> Wish:
    """Foot and top as somebody clicks them."""
    off = np.random.default_rng(30_000 + number).normal(0, CLICK_PX, 4)
    (fx, fy), (tx, ty) = taken.photograph.foot, taken.photograph.top
    return Wish(Ends((fx + off[0], fy + off[1]), (tx + off[2], ty + off[3]), 0.0, subject.top_mm))


def checked(number: int, folder: Path) -> dict:
    """What the check finds in a photograph, beside what is in it."""
    path = folder / f"{number}.found"
    if path.exists():
        return pickle.loads(path.read_bytes())
    subject, taken = photograph(number, folder)
    began = time.perf_counter()
    result = check_photo(subject, linear_of(taken.photograph.pixels), wish_of(number, subject, taken))
    found = {
        "result": result, "seconds": time.perf_counter() - began, "made": taken.made, "lean": taken.lean,
        "azimuth": taken.shot.azimuth, "seen": taken.seen, "tall": subject.top_mm,
    }  # fmt: skip
    path.write_bytes(pickle.dumps(found))
    return found


def score(found: dict[int, dict]) -> None:
    """Print what was found, missed and accused."""
    counts: Counter[str] = Counter()
    azimuths, leans, seconds = [], [], []
    for number, each in found.items():
        result = each["result"]
        seconds.append(each["seconds"])
        if result.refused:
            counts["refused"] += 1
            print(number, "refused:", result.refused)
            continue
        off = (math.degrees(result.azimuth - each["azimuth"]) + 180) % 360 - 180
        azimuths.append(abs(off))
        if abs(off) > (4 if each["tall"] < 700 else 2):
            print(number, f"azimuth off by {off:.1f}°, others {[round(math.degrees(a)) for a in result.azimuths]}")
        if result.lean is None:
            counts["lean not told"] += 1
        else:
            leans.append(abs(math.degrees(result.lean - each["lean"])))
        well = {(row, slot) for row, slot, share in each["seen"] if share >= WELL_SEEN and row >= 0}
        made = {(fault.row, fault.slot): fault for fault in each["made"]}
        judged = {(balloon.row, balloon.slot): balloon for balloon in result.balloons}
        turned = {fault.row for fault in result.faults if fault.kind.value == "turned"}
        told = {(fault.row, fault.slot): fault for fault in result.faults if fault.slot >= 0}
        for place, fault in made.items():
            counts[f"made {fault.kind}"] += 1
            mine = told.get(place)
            if mine is not None and not mine.look and mine.kind.value == fault.kind:
                counts[f"found {fault.kind}"] += 1
            elif mine is not None:
                counts[f"{fault.kind} as {'look' if mine.look else mine.kind.value}"] += 1
                print(number, place, fault.kind, fault.size, "told as", "look" if mine.look else "", mine.kind.value)
            elif fault.kind == "colour" and place[0] in turned:
                counts["colour as turned row"] += 1
            elif judged[place].why_not:
                counts[f"{fault.kind} not judged"] += 1
                print(number, place, fault.kind, "not judged:", judged[place].why_not)
            else:
                counts[f"{fault.kind} lost"] += 1
                print(number, place, fault.kind, fault.size, "lost")
        for place in sorted(well - set(made)):
            counts["right"] += 1
            mine = told.get(place)
            if mine is not None:
                counts[f"right accused of {mine.kind.value}" if not mine.look else "right to look at"] += 1
                if not mine.look:
                    print(number, place, "accused:", mine.words)
            elif judged[place].why_not:
                counts[f"right not judged: {judged[place].why_not}"] += 1
        for fault in result.faults:
            if fault.slot < 0 and not (fault.kind.value == "lean" and abs(each["lean"]) > 0.05):
                counts[f"false {fault.kind.value}"] += 1
                print(number, "false:", fault.words)
    print()
    for name, many in sorted(counts.items()):
        print(f"{many:6d}  {name}")
    print(f"azimuth off by {np.mean(azimuths):.2f}° on average, at most {np.max(azimuths):.1f}°")
    if leans:
        print(f"lean off by {np.mean(leans):.2f}° on average, at most {np.max(leans):.1f}°")
    print(f"{np.mean(seconds):.1f} s each, at most {np.max(seconds):.1f} s")


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
    score(found)


if __name__ == "__main__":
    main()
