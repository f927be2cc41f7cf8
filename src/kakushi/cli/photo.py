"""`kakushi photo`: a simulated photograph of a piece, with faults to find."""

from __future__ import annotations

import argparse
import io
import json
import math
from dataclasses import replace
from pathlib import Path

from kakushi.cli.common import add_force, check_free, piece_named, planned, write_told
from kakushi.cli.parser import Parser, output_file
from kakushi.model.errors import BadInput

_MOST_FAULTS, _MOST_COVERED = 40, 0.6
"""Most faults of one kind, and most of the piece that may be covered: beyond, nothing is left to check."""


def add_arguments(p: Parser) -> None:
    """Give the parser of the command its arguments."""
    p.add_argument("job", type=Path)
    p.add_argument("--piece", required=True)
    p.add_argument("-o", "--output", type=output_file, required=True, help="FILE.png; what is in it goes to FILE.json")
    p.add_argument("--azimuth", type=float, default=0.0, help="degrees anticlockwise from the front (default 0)")
    p.add_argument("--seed", type=int, default=1, help="the same seed makes the same photograph (default 1)")
    p.add_argument("--faults", type=int, default=0, help="how many faults to make (default 0)")
    p.add_argument(
        "--fault", action="append", default=[], metavar="KIND",
        help="a fault of this kind, as often as it is given: colour, swap, missing, size, gap, turned, sides",
    )  # fmt: skip
    p.add_argument("--covered", type=float, default=0.0, help="share of the piece that somebody hides (default 0)")
    p.add_argument("--lean", type=float, default=0.0, help="degrees to the right (default 0)")
    add_force(p)
    p.set_defaults(run=_photo)


def _photo(arguments: argparse.Namespace) -> None:
    import numpy as np
    from PIL import Image

    from kakushi.check.model_spheres import model_spheres_of
    from kakushi.check.practice import KINDS, practise, usual_shot
    from kakushi.formats.export.check_json import practice_json

    if not 0 <= arguments.faults <= _MOST_FAULTS or arguments.seed < 0:
        raise BadInput(f"--faults takes 0 to {_MOST_FAULTS}, --seed a number from 0.")
    if not math.isfinite(arguments.azimuth) or not -20 <= arguments.lean <= 20:
        raise BadInput("--azimuth takes degrees, --lean degrees from -20 to 20.")
    if not 0 <= arguments.covered <= _MOST_COVERED or len(arguments.fault) > _MOST_FAULTS:
        raise BadInput(f"--covered takes 0 to {_MOST_COVERED}, --fault at most {_MOST_FAULTS} times.")
    told = arguments.output.with_suffix(".json")
    if told == arguments.output:
        raise BadInput(f"“{told.name}” is for what is in the photograph; name a PNG file for the picture.")
    check_free([arguments.output, told], arguments.force)
    job_plan = planned(arguments.job, arguments.piece)
    model = model_spheres_of(piece_named(job_plan, arguments.piece), job_plan.job)
    if not (model.rows >= 0).any():
        raise BadInput(f"“{arguments.piece}” has no rows and no open frame: only those are checked in photographs.")
    chance = np.random.default_rng(arguments.seed)
    shot = usual_shot(model, math.radians(arguments.azimuth), chance)
    shot = replace(shot, covered=arguments.covered)
    kinds = [*(str(each) for each in chance.choice(KINDS, size=arguments.faults)), *arguments.fault]
    practice = practise(model, shot, arguments.seed, kinds, math.radians(arguments.lean))
    buffer = io.BytesIO()
    Image.fromarray(practice.photograph.pixels).save(buffer, "PNG")
    write_told(arguments.output, buffer.getvalue())
    write_told(told, (json.dumps(practice_json(practice, model), indent=1) + "\n").encode())
