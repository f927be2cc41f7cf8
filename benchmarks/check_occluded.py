"""What `kakushi check` says of balloons behind and beside something that stands in front of the piece.

    .venv/bin/python benchmarks/check_occluded.py --photos 60 --folder /tmp/photos

Boards, people, plants, posts and patterned cloths in any colour, black and the piece's own colours among them, are put
into the photographs of `check_photos.py`, over 5 to 30 % of the piece. Counted are accusations of balloons that are as
planned: of those not covered, and of those covered in part.
"""

from __future__ import annotations

import argparse
import math
from collections import Counter
from collections.abc import Callable
from concurrent.futures import ProcessPoolExecutor
from io import BytesIO
from pathlib import Path

import numpy as np
from check_photos import LEANS, WELL_SEEN, photograph, request_of
from numpy.typing import NDArray
from PIL import Image
from scipy.ndimage import gaussian_filter

from kakushi.check.check import check_photo
from kakushi.check.image import linear_of
from kakushi.check.practice import Practice

NOT_COVERED, ALL_COVERED = 0.02, 0.85
"""Shares of a balloon's disc behind the occluder up to which it counts as not covered, and from which as hidden."""
Mask = NDArray[np.bool_]
Grid = tuple[NDArray[np.float64], NDArray[np.float64]]
"""Columns and lines of all pixels, from the middle of the occluder, px."""


def board(grid: Grid, size: float, chance: np.random.Generator) -> Mask:
    """A rectangle, upright or turned."""
    x, y = grid
    angle = chance.choice([0.0, chance.uniform(-0.8, 0.8)])
    along, across = x * math.cos(angle) + y * math.sin(angle), y * math.cos(angle) - x * math.sin(angle)
    return (np.abs(along) < size) & (np.abs(across) < size * chance.uniform(0.4, 1.6))


def person(grid: Grid, size: float, chance: np.random.Generator) -> Mask:
    """Body and head."""
    x, y = grid
    body = (x / (0.55 * size)) ** 2 + ((y - size) / (1.3 * size)) ** 4 < 1
    head = (x / (0.26 * size)) ** 2 + ((y + 0.62 * size) / (0.34 * size)) ** 2 < 1
    arm = (np.abs(y - 0.2 * size) < 0.14 * size) & (x * chance.choice([-1, 1]) > 0) & (np.abs(x) < 1.3 * size)
    return body | head | arm


def plant(grid: Grid, size: float, chance: np.random.Generator) -> Mask:
    """Leaves, with the piece seen between them."""
    x, y = grid
    covered = np.zeros(x.shape, dtype=bool)
    for _ in range(26):
        to_x, to_y = chance.normal(0, 0.6 * size, 2)
        angle, long = chance.uniform(0, math.pi), chance.uniform(0.25, 0.6) * size
        along = (x - to_x) * math.cos(angle) + (y - to_y) * math.sin(angle)
        across = (y - to_y) * math.cos(angle) - (x - to_x) * math.sin(angle)
        covered |= (along / long) ** 2 + (across / (0.22 * long)) ** 2 < 1
    return covered


def post(grid: Grid, size: float, chance: np.random.Generator) -> Mask:
    """A post or rope from border to border, nearly upright or nearly level."""
    x, y = grid if chance.random() < 0.6 else (grid[1], grid[0])
    return np.abs(x + chance.uniform(-0.15, 0.15) * y) < 0.45 * size


def blob(grid: Grid, size: float, chance: np.random.Generator) -> Mask:
    """Anything with a winding outline."""
    x, y = grid
    angle, out = np.arctan2(y, x), np.hypot(x, y)
    reach = 1.0 + sum(chance.normal(0, 0.2) * np.cos(k * angle + chance.uniform(0, 6)) for k in range(2, 7))
    return out < size * reach


SHAPES: tuple[Callable[[Grid, float, np.random.Generator], Mask], ...] = (board, person, plant, post, blob)


def occluded(
    pixels: NDArray[np.uint8], piece: Mask, colours: NDArray[np.float64], chance: np.random.Generator
) -> tuple[NDArray[np.uint8], Mask]:
    """A photograph with something in front of 5 to 30 % of the piece, and where; (h, w, 3), (h, w)."""
    share = chance.uniform(0.05, 0.30)
    shape = SHAPES[int(chance.integers(len(SHAPES)))]
    lines, columns = np.nonzero(piece)
    where = int(chance.integers(len(lines)))
    y, x = np.mgrid[: piece.shape[0], : piece.shape[1]].astype(float)
    grid = (x - columns[where], y - lines[where])
    seed = int(chance.integers(2**31))
    low, high = 4.0, float(max(piece.shape))
    covered = np.zeros(piece.shape, dtype=bool)
    for _ in range(22):
        size = math.sqrt(low * high)
        covered = shape(grid, size, np.random.default_rng(seed))
        if (covered & piece).sum() < share * piece.sum():
            low = size
        else:
            high = size
    level = float(np.median(pixels[piece]))
    match int(chance.integers(5)):
        case 0 | 1:
            colour = chance.uniform(0.02, 0.13) * np.array([level, level, level]) * chance.uniform(0.8, 1.2, 3) + 3
        case 2:
            colour = colours[int(chance.integers(len(colours)))].copy()
        case _:
            colour = chance.uniform(15, 235, 3)
    paint = np.tile(colour, (*piece.shape, 1))
    match int(chance.integers(3)):
        case 0:
            paint *= 1 + 0.12 * (np.sin(grid[1] / high * 3)[..., None])
        case 1:
            paint += gaussian_filter(chance.normal(0, 1, piece.shape), 6)[..., None] * 90 * chance.uniform(0.2, 1)
        case _:
            stripes = (np.sin((grid[0] * chance.uniform(-1, 1) + grid[1]) / chance.uniform(4, 14)) > 0)[..., None]
            paint = np.where(stripes, paint, chance.uniform(15, 235, 3))
    soft = gaussian_filter(covered.astype(float), 0.9)[..., None]
    found = pixels * (1 - soft) + paint * soft + soft * chance.normal(0, 2.0, pixels.shape)
    kept = BytesIO()
    Image.fromarray(np.clip(found, 0, 255).astype(np.uint8)).save(kept, "JPEG", quality=85)
    return np.asarray(Image.open(kept).convert("RGB")), covered


def discs_of(taken: Practice) -> list[Mask]:
    """Where each balloon of a photograph is seen, (h, w)."""
    shape = taken.photograph.pixels.shape[:2]
    y, x = np.mgrid[: shape[0], : shape[1]]
    return [(x - cx) ** 2 + (y - cy) ** 2 < radius**2 for cx, cy, radius in taken.photograph.balloons.tolist()]


def with_occluder(number: int, taken: Practice) -> tuple[NDArray[np.uint8], Mask]:
    """A photograph with something in front of it, and where."""
    discs = discs_of(taken)
    colours = np.array([np.median(taken.photograph.pixels[disc], axis=0) for disc in discs if disc.any()])
    return occluded(taken.photograph.pixels, np.any(discs, axis=0), colours, np.random.default_rng(70_000 + number))


def checked(number: int, folder: Path) -> list[str]:
    """What is said of the balloons of one photograph."""
    model, taken = photograph(number, folder)
    discs = discs_of(taken)
    pixels, mask = with_occluder(number, taken)
    Image.fromarray(pixels).save(folder / f"occluded-{number}.png")
    result = check_photo(model, linear_of(pixels), request_of(number, model, taken))
    if result.refused:
        return [f"refused: {result.refused.why}"]
    made = {(each.row, each.slot) for each in taken.made} | {(each.row, -1) for each in taken.made}
    accused = {(each.row, each.slot): each for each in result.faults if not each.look}
    why_not = {(each.row, each.slot): each.why_not for each in result.balloons}
    shares = {(row, slot): share for row, slot, share in taken.seen}
    missing = {(each.row, each.slot) for each in taken.made if each.kind == "missing"}
    kept = [
        place
        for row, slot in zip(model.rows.tolist(), model.slots.tolist(), strict=True)
        if (place := (row, slot)) not in missing
    ]
    said = []
    for place, disc in zip(kept, discs, strict=True):
        if place[0] < 0 or place in made or shares.get(place, 0.0) < WELL_SEEN or not disc.any():
            continue
        behind = float(mask[disc].mean())
        which = "not covered" if behind < NOT_COVERED else "hidden" if behind > ALL_COVERED else "covered in part"
        fault = accused.get(place)
        how = f"accused of {fault.kind.value}" if fault else why_not[place] or "checked"
        said.append(f"{which}: {how}")
        said.append(f"{which}, all")
    is_lean = abs(taken.lean) > LEANS
    said += [
        f"row accused of {each.kind.value}"
        for each in result.faults
        if each.slot < 0 and (each.row, -1) not in made and not (each.kind.value == "lean" and is_lean)
    ]
    return said


def main() -> None:
    """Check and count."""
    parser = argparse.ArgumentParser()
    parser.add_argument("--photos", type=int, default=60)
    parser.add_argument("--first", type=int, default=0)
    parser.add_argument("--folder", type=Path, required=True)
    parser.add_argument("--workers", type=int, default=2)
    arguments = parser.parse_args()
    arguments.folder.mkdir(parents=True, exist_ok=True)
    numbers = range(arguments.first, arguments.first + arguments.photos)
    counts: Counter[str] = Counter()
    with ProcessPoolExecutor(arguments.workers) as pool:
        for number, said in zip(numbers, pool.map(checked, numbers, [arguments.folder] * len(numbers)), strict=True):
            print(number, *(each for each in said if "accused" in each or "refused" in each), flush=True)
            counts.update(said)
    print()
    for words, times in sorted(counts.items()):
        print(f"{times:6d}  {words}")


if __name__ == "__main__":
    main()
