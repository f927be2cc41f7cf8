"""Seconds that ways out of 50 random accidents take: aimed again, and short of a colour.

Run from the checkout: .venv/bin/python benchmarks/rescue_times.py
"""

from __future__ import annotations

import time
from random import Random

from kakushi.building.aimed import aimed_again
from kakushi.building.rescue import short_of
from kakushi.model.catalogue import Studio
from kakushi.model.groups import RowsGroup, uniform_row
from kakushi.model.job import Job
from kakushi.model.layers import SpiralLayer
from kakushi.model.piece import Piece
from kakushi.model.values import replace
from kakushi.plan.pipeline import plan


def main() -> None:
    """Time the accidents and print the mean and the slowest."""
    studio, taken = Studio(), []
    for seed in range(50):
        random = Random(seed)
        many, count = random.randint(5, 16), random.choice((4, 5))
        sizes = [studio.sizer.step_mm * random.randint(24, 38) for _ in range(many)]
        rows = tuple(uniform_row(k, count, 11, size) for k, size in enumerate(sizes, 1))
        layers = (SpiralLayer(lanes=("signal-red", "sail-white", "rope")),)
        piece = Piece(key=1, name="Quay", groups=(RowsGroup(rows=rows),), layers=layers)
        found = plan(Job(pieces=(piece,)), studio).pieces[0]
        piece = replace(piece, target_height_mm=round(found.height_mm * random.uniform(0.97, 1.03)))
        whole = plan(Job(pieces=(piece,)), studio)
        built = random.randint(2, many - 1)
        began = time.perf_counter()
        if seed % 2:
            measured = float(found.geometry.knots[built - 1]) * random.uniform(0.98, 1.02)
            aimed_again(whole, whole.pieces[0], built, measured)
        else:
            short_of(whole, whole.pieces[0], built, {(11.0, "rope"): 1})
        taken.append(time.perf_counter() - began)
    print(f"50 accidents: mean {sum(taken) / len(taken):.2f} s, slowest {max(taken):.2f} s")


if __name__ == "__main__":
    main()
