"""`kakushi render`: draw a piece as PNG."""

from __future__ import annotations

import argparse
import math
import re
from pathlib import Path

from kakushi.cli.common import add_force, check_free, piece_named, planned, write_told
from kakushi.cli.parser import Parser, output_file
from kakushi.formats.export.png import piece_image, png_bytes
from kakushi.model.errors import BadInput

MAX_PIXELS = 40_000_000
"""Largest picture, pixels: four times an A0 poster at 100 dpi."""


def add_arguments(p: Parser) -> None:
    """Give the parser of the command its arguments."""
    p.add_argument("job", type=Path)
    p.add_argument("--piece", required=True)
    p.add_argument("--azimuth", type=float, default=0.0, help="degrees anticlockwise from the front (default 0)")
    p.add_argument("--size", default="800x1000", help="pixels (default 800x1000)")
    p.add_argument("-o", "--output", type=output_file, required=True)
    add_force(p)
    p.set_defaults(run=_render)


def _render(arguments: argparse.Namespace) -> None:
    size = re.fullmatch(r"(\d{1,5})[x×](\d{1,5})", arguments.size.strip())
    if not size or not math.isfinite(arguments.azimuth):
        raise BadInput("--size takes width and height in pixels, like 800x1000; --azimuth takes degrees.")
    width, height = int(size[1]), int(size[2])
    if not (width >= 16 and height >= 16 and width * height <= MAX_PIXELS):
        raise BadInput("A picture has at least 16 pixels a side and at most 40 million in all.")
    check_free([arguments.output], arguments.force)
    job_plan = planned(arguments.job)
    image = piece_image(
        piece_named(job_plan, arguments.piece), job_plan.job, width, height, math.radians(arguments.azimuth)
    )
    write_told(arguments.output, png_bytes(image))
