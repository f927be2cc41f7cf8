"""`kakushi check`: a photograph of a piece against its plan."""

from __future__ import annotations

import argparse
import json
import math
from pathlib import Path

from kakushi.cli.common import add_units, piece_named, planned, wording_of
from kakushi.cli.parser import Parser
from kakushi.model.errors import BadInput


def add_arguments(p: Parser) -> None:
    """Give the parser of the command its arguments."""
    p.add_argument("job", type=Path)
    p.add_argument("--piece", required=True)
    p.add_argument("--photo", type=Path, required=True, help="JPEG, PNG or WebP")
    p.add_argument("--foot", help="X,Y in pixels: where the piece's middle meets the floor")
    p.add_argument("--top", help="X,Y in pixels: its highest point, above its foot")
    p.add_argument("--azimuth", type=float, default=0.0, help="about where it was taken from, degrees (default 0)")
    p.add_argument("--copy", type=int, default=1, help="which copy of the piece was photographed (default 1)")
    p.add_argument("--rows", type=int, help="half-built: only this many rows stand")
    p.add_argument("--json", action="store_true", help="print JSON")
    add_units(p)
    p.set_defaults(run=_check)


def _check(arguments: argparse.Namespace) -> None:
    from kakushi.check.check import check_photo
    from kakushi.check.image import linear_of
    from kakushi.check.locate import proposed_ends
    from kakushi.check.model_spheres import model_spheres_of
    from kakushi.check.pose import PosePrior
    from kakushi.check.request import CheckRequest
    from kakushi.formats.export.check_json import check_json
    from kakushi.formats.read.photograph import load_photo
    from kakushi.sight.pinhole import Ends
    from kakushi.words.check import result_words

    if (arguments.foot is None) != (arguments.top is None):
        raise BadInput("--foot and --top go together.")
    if not math.isfinite(arguments.azimuth):
        raise BadInput("--azimuth takes degrees.")
    photo = load_photo(arguments.photo)
    job_plan = planned(arguments.job, arguments.piece)
    piece_plan = piece_named(job_plan, arguments.piece)
    if not 1 <= arguments.copy <= len(piece_plan.piece.copies):
        raise BadInput(f"--copy takes 1 to {len(piece_plan.piece.copies)}: the piece has that many copies.")
    model = model_spheres_of(piece_plan.of_copy(arguments.copy - 1), job_plan.job)
    if arguments.rows is not None:
        if not model.row_count:
            raise BadInput(f"“{arguments.piece}” has no rows: leave --rows out.")
        if not 1 <= arguments.rows <= model.row_count:
            raise BadInput(f"--rows takes 1 to {model.row_count}: the piece has that many.")
        model = model.up_to_row(arguments.rows)
    if not (model.rows >= 0).any():
        raise BadInput(f"“{arguments.piece}” has no rows and no open frame to check.")
    told = PosePrior(math.radians(arguments.azimuth), photo.focal)
    linear = linear_of(photo.pixels)
    if arguments.foot is not None:
        height, width = linear.shape[:2]
        foot, top = (_point(text, width, height) for text in (arguments.foot, arguments.top))
        if math.dist(foot, top) < 0.05 * height:
            raise BadInput("--foot and --top are nearly the same place.")
        ends = Ends(foot, top, 0.0, model.top_mm)
    else:
        ends = proposed_ends(linear, model)
    result = check_photo(model, linear, CheckRequest(ends, told, ends_told=arguments.foot is not None))
    wording = wording_of(job_plan.job, arguments.units)
    if arguments.json:
        print(json.dumps(check_json(result, wording), indent=1))
        return
    print("\n".join(result_words(result, wording)))


def _point(text: str, width: int, height: int) -> tuple[float, float]:
    parts = text.split(",")
    try:
        x, y = (float(part) for part in parts)
    except ValueError as error:
        raise BadInput(f"“{text[:40]}” is no place: X,Y in pixels is wanted.") from error
    if not (-0.2 * width <= x <= 1.2 * width and -0.2 * height <= y <= 1.2 * height):
        raise BadInput(f"“{text[:40]}” lies outside the photograph of {width} × {height} pixels.")
    return x, y
