"""What `kakushi check` says of photographs of something else than planned: other pieces, somebody in front, whole rows.

    .venv/bin/python benchmarks/check_others.py KIND --photos 40 --folder /tmp/photos

Kinds: rows (the plan has one or two rows more or fewer), mirror, wrong (another piece), covered (somebody before a
fifth of it), gap, turned, sides (faults of rows), near (colours 10 to 20 ΔE00 apart). Photographs of
`check_photos.py` are used where nothing has to be photographed anew.
"""

from __future__ import annotations

import argparse
import math
import pickle
from collections import Counter
from collections.abc import Callable
from concurrent.futures import ProcessPoolExecutor
from dataclasses import replace
from pathlib import Path

import numpy as np
from check_photos import WELL_SEEN, made_up, photograph, request_of

from kakushi.check.check import check_photo
from kakushi.check.image import linear_of
from kakushi.check.mismatch import with_rows
from kakushi.check.model_spheres import ModelSpheres
from kakushi.check.practice import Practice, practise, usual_shot
from kakushi.check.values import NotChecked, Result
from kakushi.colour.lab import differences
from kakushi.sight.pinhole import Ends

NEAR, PLAIN = 10.0, 20.0


def checked_as(number: int, model: ModelSpheres, taken: Practice) -> Result:
    """The photograph against a plan, foot and top clicked as ever."""
    request = request_of(number, model, taken)
    ends = Ends(request.ends.foot, request.ends.top, 0.0, model.top_mm)
    return check_photo(model, linear_of(taken.photograph.pixels), replace(request, ends=ends))


def other_plan(kind: str, number: int, folder: Path) -> list[str]:
    """What is said of a photograph when the plan is another one."""
    model, taken = photograph(number, folder)
    if kind == "mirror":
        # What looks the same in a mirror is no other piece.
        plans = {"mirrored": model.mirrored()} if _has_a_hand(model) else {}
    elif kind == "wrong":
        plans = {"another piece": made_up(number + 5000)}
    else:
        plans = {}
        for more in (-2, -1, 1, 2):
            other = with_rows(model, model.row_count - more)
            if other is not None and other.row_count >= 3:
                # Rows that go on have the colours of those two below.
                colours = other.colours.copy()
                for row in range(model.row_count, other.row_count):
                    colours[other.rows == row] = colours[other.rows == row - 2]
                plans[f"{more:+d} rows"] = replace(other, colours=colours)
    said = []
    for name, other in plans.items():
        result = checked_as(number, other, taken)
        said.append(f"{name}: {result.refused.why if result.refused else 'checked as if it were the piece'}")
    return said


def _has_a_hand(model: ModelSpheres) -> bool:
    """Whether the piece differs from its mirror image, turned about its axis as one likes."""
    image = model.mirrored().centres
    first = np.flatnonzero(model.rows == 0)
    angles = np.arctan2(model.centres[first, 1], model.centres[first, 0])
    start = math.atan2(image[first[0], 1], image[first[0], 0])
    for angle in (angles - start).tolist():
        c, s = math.cos(angle), math.sin(angle)
        turned = np.column_stack([image[:, 0] * c - image[:, 1] * s, image[:, 0] * s + image[:, 1] * c, image[:, 2]])
        apart = np.linalg.norm(turned[:, None] - model.centres[None], axis=2)
        nearest = apart.argmin(axis=1)
        if (apart.min(axis=1) < 0.4 * model.radii).all() and (model.colours[nearest] == model.colours).all():
            return False
    return True


def again(kind: str, number: int, folder: Path) -> tuple[ModelSpheres, Practice]:
    """A photograph of the kind, taken once."""
    model, path = made_up(number), folder / f"{kind}-{number}.photo"
    if path.exists():
        return model, pickle.loads(path.read_bytes())
    chance = np.random.default_rng(10_000 + number)
    shot = usual_shot(model, math.radians(chance.uniform(-12, 12)), chance)
    if kind == "covered":
        taken = practise(model, replace(shot, covered=0.2), 60_000 + number, ["colour"])
    elif kind == "near":
        taken = practise(_with_near_colours(model, number), shot, 60_000 + number)
    else:
        taken = practise(model, shot, 60_000 + number, [kind])
    path.write_bytes(pickle.dumps(taken))
    return model, taken


def _near_places(model: ModelSpheres, number: int) -> dict[int, int]:
    """Balls that get another colour that is nearly theirs, and which."""
    palette = [colour.hex for colour in model.palette]
    chance = np.random.default_rng(50_000 + number)
    found = {}
    for ball in chance.permutation(np.flatnonzero(model.rows >= 0)).tolist():
        apart = [differences((palette[model.colours[ball]], other))[0, 1] for other in palette]
        near = [k for k, each in enumerate(apart) if NEAR <= each < PLAIN]
        if near:
            found[ball] = int(chance.choice(near))
        if len(found) == 6:
            break
    return found


def _with_near_colours(model: ModelSpheres, number: int) -> ModelSpheres:
    colours = model.colours.copy()
    for ball, colour in _near_places(model, number).items():
        colours[ball] = colour
    return replace(model, colours=colours)


def faults_of_rows(kind: str, number: int, folder: Path) -> list[str]:
    """Whether a fault of a row is told, and what else is."""
    model, taken = again(kind, number, folder)
    if not taken.made:
        return []
    result = checked_as(number, model, taken)
    if result.refused:
        return [f"refused: {result.refused.why}"]
    row = taken.made[0].row
    mine = [each for each in result.faults if each.kind.value == kind and abs(each.row - row) <= 1]
    others = [each.kind.value for each in result.faults if not each.look and each not in mine]
    if not mine and kind == "turned" and any(each.row == row and each.kind.value == "colour" for each in result.faults):
        return ["told by its colours"]
    return [f"{'found' if mine else 'lost'}", *(f"beside it: {other}" for other in others)]


def near_colours(kind: str, number: int, folder: Path) -> list[str]:
    """What is said of balloons in nearly the planned colour."""
    model, taken = again(kind, number, folder)
    places = _near_places(model, number)
    result = checked_as(number, model, taken)
    if result.refused:
        return [f"refused: {result.refused.why}"] if places else []
    seen = {(row, slot): share for row, slot, share in taken.seen}
    told = {(each.row, each.slot): each for each in result.faults}
    said = []
    for ball in places:
        place = int(model.rows[ball]), int(model.slots[ball])
        if seen.get(place, 0.0) >= WELL_SEEN:
            fault = told.get(place)
            said.append("nothing said" if fault is None else "look here" if fault.look else f"told: {fault.kind.value}")
    right = {place for place, share in seen.items() if share >= WELL_SEEN} - {
        (int(model.rows[ball]), int(model.slots[ball])) for ball in places
    }
    said += ["a right one accused" for place in right if place in told and not told[place].look]
    return said


def covered(kind: str, number: int, folder: Path) -> list[str]:
    """Whether somebody in front is said, and what is said of balloons all of which is seen."""
    model, taken = again(kind, number, folder)
    open_shot = practise(model, replace(taken.shot, covered=0.0), 60_000 + number, ["colour"])
    result = checked_as(number, model, taken)
    if result.refused:
        return [f"refused: {result.refused.why}"]
    said = ["said" if any(isinstance(note, NotChecked) for note in result.notes) else "not said"]
    differs = np.abs(taken.photograph.pixels.astype(int) - open_shot.photograph.pixels).max(axis=2) > 40
    y, x = np.mgrid[: differs.shape[0], : differs.shape[1]]
    made = {(each.row, each.slot) for each in taken.made}
    places = [(int(row), int(slot)) for row, slot in zip(model.rows, model.slots, strict=True)]
    seen = {(row, slot): share for row, slot, share in taken.seen}
    told = {(each.row, each.slot) for each in result.faults if not each.look}
    for place, (cx, cy, radius) in zip(places, taken.photograph.balloons.tolist(), strict=True):
        if place[0] < 0 or place in made or seen.get(place, 0.0) < WELL_SEEN:
            continue
        disc = (x - cx) ** 2 + (y - cy) ** 2 < radius**2
        if differs[disc].mean() < 0.05:
            said.append("uncovered, accused" if place in told else "uncovered, not accused")
    return said


KINDS: dict[str, Callable[[str, int, Path], list[str]]] = {
    "rows": other_plan, "mirror": other_plan, "wrong": other_plan, "covered": covered, "gap": faults_of_rows,
    "turned": faults_of_rows, "sides": faults_of_rows, "near": near_colours,
}  # fmt: skip


def main() -> None:
    """Check and count."""
    parser = argparse.ArgumentParser()
    parser.add_argument("kind", choices=KINDS)
    parser.add_argument("--photos", type=int, default=40)
    parser.add_argument("--first", type=int, default=0)
    parser.add_argument("--folder", type=Path, required=True)
    parser.add_argument("--workers", type=int, default=2)
    arguments = parser.parse_args()
    arguments.folder.mkdir(parents=True, exist_ok=True)
    numbers = range(arguments.first, arguments.first + arguments.photos)
    many = len(numbers)
    counts: Counter[str] = Counter()
    with ProcessPoolExecutor(arguments.workers) as pool:
        found = pool.map(KINDS[arguments.kind], [arguments.kind] * many, numbers, [arguments.folder] * many)
        for number, said in zip(numbers, found, strict=True):
            print(number, *said, sep="\n    ", flush=True)
            counts.update(said)
    print()
    for words, times in sorted(counts.items()):
        print(f"{times:6d}  {words}")


if __name__ == "__main__":
    main()
