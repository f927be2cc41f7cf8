"""`kakushi fit`: choose rows for an outline and a height."""

from __future__ import annotations

import argparse
import json
import re
from pathlib import Path
from typing import TypeVar

from pydantic import ValidationError

from kakushi.cli.common import (
    add_force,
    add_units,
    check_free,
    dossier_of,
    nominals_named,
    outline_named,
    piece_words,
    shown_name,
    studio_of_user,
    wording_of,
)
from kakushi.cli.parser import Parser, output_file
from kakushi.formats.export.plan_json import miss_json, piece_json
from kakushi.formats.store.job_file import save_job
from kakushi.model.errors import BadInput
from kakushi.model.frame import Frame
from kakushi.model.groups import RowsGroup
from kakushi.model.job import Brief, Job
from kakushi.model.joints import JointKind
from kakushi.model.layers import SolidLayer
from kakushi.model.limits import LARGEST_HEIGHT_MM, LARGEST_WIDTH_MM, SMALLEST_HEIGHT_MM
from kakushi.model.outline import Handle, Outline, PresetOutline
from kakushi.model.paths import PATH_PRESETS, SHORTEST_PATH_MM, DrawnPath, PresetPath, Strand
from kakushi.model.piece import FitControls, Piece, Tightness, with_rows
from kakushi.model.quantities import LENGTH
from kakushi.model.units import UnitSystem
from kakushi.model.values import Value, first_fault
from kakushi.packing.curve import curve_of
from kakushi.plan.fitting import fit_piece
from kakushi.plan.pipeline import plan
from kakushi.shape.presets import PRESETS
from kakushi.words.fit import note_words

V = TypeVar("V", bound=Value)
_THICK_MM = 300.0
"""Thickness of a strand, mm, where none is asked for: quads of 5-inch balloons."""


def add_arguments(p: Parser) -> None:
    """Give the parser of the command its arguments."""
    presets = ", ".join(p.name for p in PRESETS)
    p.add_argument("outline", help=f"an SVG, PNG, JPEG or CSV file (height,radius), or a preset: {presets}")
    p.add_argument("--height", help="target height: 2100mm, 2.1 m, 6'10\"")
    paths = ", ".join(PATH_PRESETS)
    p.add_argument("--path", action="store_true", help=f"OUTLINE is a path to bend rows along: {paths}, or an SVG")
    p.add_argument("--width", help="width of the path")
    p.add_argument("--thick", help="thickness of the strand (default 30cm)")
    p.add_argument("--counts", default="4", help="balloons per row that may be used, like 4,5 (default 4)")
    p.add_argument("--nominals", default="", help="nominal sizes in inches, like 5,9,11 (default all)")
    p.add_argument("--max-sizes", type=int, help="most different sizer settings")
    p.add_argument("--rows", type=int, help="exactly this many rows")
    p.add_argument("--ratio", type=float, help="largest ratio of neighbouring sizes, like 1.4")
    p.add_argument("--pole", default="25mm", help="pole diameter; 0 for none (default 25mm)")
    p.add_argument("--packing", default="snug", choices=[t.value for t in Tightness])
    p.add_argument("--as-taken", action="store_true", help="leave a picture that leans as it was taken")
    p.add_argument("--geometry", action="store_true", help="list the balloons too")
    p.add_argument("--json", action="store_true", help="print JSON")
    p.add_argument("-o", "--output", type=output_file, help="write a job with the piece")
    add_units(p)
    add_force(p)
    p.set_defaults(run=_fit)


def _fit(arguments: argparse.Namespace) -> None:
    if arguments.output:
        check_free([arguments.output], arguments.force)
    pole = LENGTH.read_between(arguments.pole, 0.0, 300.0, UnitSystem.METRIC, "pole diameter")
    if arguments.path:
        outline, name, turned, height, groups = _strand(arguments)
        pole = 0.0
    else:
        height, groups = _height_of(arguments), (RowsGroup(),)
        outline, name, turned = outline_named(arguments.outline, height, not arguments.as_taken)
    if arguments.max_sizes is not None and not 1 <= arguments.max_sizes <= 60:
        raise BadInput("--max-sizes must lie between 1 and 60.")
    if arguments.rows is not None and not 1 <= arguments.rows <= 200:
        raise BadInput("--rows must lie between 1 and 200.")
    if arguments.ratio is not None and not 1.05 <= arguments.ratio <= 5:
        raise BadInput("--ratio must lie between 1.05 and 5.")
    job = Job(brief=Brief(title=name))
    piece = _piece(
        key=1,
        name=name,
        target_height_mm=height,
        outline=outline,
        groups=groups,
        frame=Frame(kind="pole" if pole > 0 else "line", pole_diameter_mm=pole),
        joint=JointKind.WRAPPED if pole > 0 else JointKind.LINE_EIGHT,
        tightness=Tightness(arguments.packing),
        layers=(SolidLayer(colour=job.palette[0].key),),
        fit=FitControls(
            counts=_counts(arguments.counts),
            nominals=nominals_named(arguments.nominals, "--nominals"),
            max_sizes=arguments.max_sizes,
            row_count=arguments.rows,
            ratio_limit=arguments.ratio,
        ),
    )
    studio = studio_of_user()
    result = fit_piece(piece, studio)
    job = Job(brief=job.brief, pieces=(with_rows(piece, result.rows),))
    planned = plan(job, studio)
    piece_plan = planned.pieces[0]
    if arguments.output:
        save_job(job, arguments.output)
    wording = wording_of(job, arguments.units)
    notes = [_turned_words(turned)] if turned else []
    notes += [note_words(note, wording.units) for note in result.notes]
    if arguments.json:
        told = {
            "notes": notes,
            "straightened_deg": turned,
            "misses": [miss_json(miss) for miss in result.misses],
        }
        print(
            json.dumps(piece_json(piece_plan, dossier_of(planned), arguments.geometry, wording.units) | told, indent=1)
        )
    else:
        print("\n".join([piece_words(piece_plan, wording), *(f"  note: {note}" for note in notes)]))


def _height_of(arguments: argparse.Namespace) -> float:
    """The target height, mm. Raises BadInput."""
    if arguments.height is None:
        raise BadInput("--height is needed: 2100mm, 2.1 m, 6'10\".", "height")
    return float(
        LENGTH.read_between(arguments.height, SMALLEST_HEIGHT_MM, LARGEST_HEIGHT_MM, UnitSystem.METRIC, "height")
    )


def _strand(arguments: argparse.Namespace) -> tuple[Outline, str, float, float, tuple[RowsGroup, ...]]:
    """A thickness as an outline, name, 0, target height, and the group of a path. Raises JobFileError or BadInput."""

    def measure(text: str | None, what: str) -> float | None:
        if text is None:
            return None
        return float(LENGTH.read_between(text, SHORTEST_PATH_MM, LARGEST_WIDTH_MM, UnitSystem.METRIC, what))

    width, height = measure(arguments.width, "width"), measure(arguments.height, "height")
    thick = measure(arguments.thick, "thickness") or _THICK_MM
    asked = {name: value for name, value in (("width_mm", width), ("height_mm", height)) if value is not None}
    file = Path(arguments.outline)
    path: PresetPath | DrawnPath
    if file.suffix or file.exists():
        from kakushi.formats.read.path_svg import load_path_svg

        path, name = load_path_svg(file, width, height), shown_name(file.stem)[:100] or "strand"
    elif arguments.outline in PATH_PRESETS:
        # Of a path that is as tall as wide one measure is enough.
        both = {"width_mm": asked["height_mm"]} if set(asked) == {"height_mm"} and arguments.outline == "ring" else {}
        both |= {"height_mm": asked["width_mm"]} if set(asked) == {"width_mm"} else {}
        path, name = _valid(PresetPath, preset=arguments.outline, **(both | asked)), arguments.outline
    else:
        raise BadInput(f"There is no path called “{arguments.outline[:60]}”; there are {', '.join(PATH_PRESETS)}.")
    outline = PresetOutline(preset="straight", handles=(Handle(name="width", value=thick),))
    tall = min(max(curve_of(path).height_of(thick / 2), SMALLEST_HEIGHT_MM), LARGEST_HEIGHT_MM)
    return outline, name, 0.0, tall, (RowsGroup(strand=Strand(path=path)),)


def _turned_words(turned: float) -> str:
    direction = "anticlockwise" if turned > 0 else "clockwise"
    return f"The picture leans: it was turned {abs(turned):.1f}° {direction}. --as-taken leaves it."


def _piece(**fields: object) -> Piece:
    """Build the requested piece. Raises BadInput for impossible requests."""
    return _valid(Piece, **fields)


def _valid(kind: type[V], **fields: object) -> V:
    """A value of the fields asked for. Raises BadInput for impossible requests."""
    try:
        return kind.model_validate(fields)
    except ValidationError as error:
        raise BadInput(f"{': '.join(filter(None, first_fault(error)))}.") from error


def _counts(text: str) -> tuple[int, ...]:
    if not re.fullmatch(r"\s*[2-8]\s*(,\s*[2-8]\s*)*", text):
        raise BadInput("--counts takes 2 to 8, like 4,5.")
    return tuple(dict.fromkeys(int(part) for part in text.split(",")))
