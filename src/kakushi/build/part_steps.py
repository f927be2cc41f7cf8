"""Parts as steps: clusters one by one, toppers, hung things, weights, accents, in the safest order."""

from __future__ import annotations

import math
from collections import Counter
from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from functools import lru_cache

from kakushi.build.step import BALLOON, Balloon, StepKind, Use
from kakushi.dress.clusters import line_of
from kakushi.dress.fixings import KINDS as FIXINGS
from kakushi.dress.kinds.fillers import TIED, cluster_balloons, many
from kakushi.dress.shows import side_name
from kakushi.dress.table import balloons_of, in_build_order, kind_of, materials_of, name_of, sized_mm, things_of
from kakushi.model.job import Job
from kakushi.model.parts import Extended, Fillers, Hung, Lettering, Part, PartBalloons, Placed, Weight
from kakushi.model.units import format_diameter, format_nominal
from kakushi.plan.values import PiecePlan, Plan
from kakushi.prep.materials import by_rules
from kakushi.production.order import safest_order


@dataclass(frozen=True, slots=True)
class PutOn:
    """A part, or one cluster of a set, as it is put on. `place`: of the cluster; `on`: key of a part that comes first.

    `share` of what the part takes, of its time and of what it uses.
    """

    part: Part
    place: int
    kind: StepKind
    words: str
    uses: tuple[Use, ...]
    ties: tuple[tuple[Balloon, ...], ...]
    on: int | None
    share: float


@lru_cache(maxsize=64)
def parts_in_order(design: PiecePlan, plan: Plan) -> tuple[Part, ...]:
    """The parts of a design as they are put on: the order in which it leans least, fillers first of equals."""
    order = safest_order(design, plan.studio)
    if order is None or order.is_usual:
        return tuple(in_build_order(design.piece.parts))
    # Fillers hide what shows of the rows: they are tied in while one can still reach in.
    late = [part for part in order.parts if not isinstance(part, Fillers)]
    early = [part for part in in_build_order(design.piece.parts) if isinstance(part, Fillers)]
    rest = [part for part in in_build_order(design.piece.parts) if part not in order.parts and part not in early]
    return (*early, *late, *rest)


def put_on(part: Part, design: PiecePlan, plan: Plan) -> Iterator[PutOn]:
    """The steps that put a part on."""
    if isinstance(part, Fillers):
        yield from _clusters(part, design, plan)
        return
    kind = StepKind(kind_of(part).step)
    yield PutOn(
        part, 0, kind, _words(part, kind, design), _uses(part, balloons_of(part), plan, 1.0), (), _on(part), 1.0
    )


def _on(part: Part) -> int | None:
    return part.on if isinstance(part, Extended | Lettering) else None


def _uses(part: Part, balloons: Sequence[PartBalloons], plan: Plan, share: float) -> tuple[Use, ...]:
    """What a step of a part uses: its balloons, and its share of what the part takes."""
    counted = Counter[tuple[float, str]]()
    for line in balloons:
        counted[line.nominal_in, line.colour] += line.count
    uses = [Use(BALLOON, count, nominal, colour) for (nominal, colour), count in counted.items() if count]
    uses += [Use(used.item, used.amount * share, unit=used.unit) for used in materials_of(part)]
    if counted_as := kind_of(part).counted_as:
        taken = by_rules({counted_as: things_of(part) * share}, plan.studio.rules)
        uses += [Use(material.item, material.amount, unit=material.unit) for material in taken]
    return tuple(uses)


def _clusters(part: Fillers, design: PiecePlan, plan: Plan) -> Iterator[PutOn]:
    total = many(part)
    for number, place in enumerate(_in_turn(part, design, total), 1):
        seat = part.seats[place] if part.seats else None
        balloons = cluster_balloons(part, seat)
        where = ""
        if seat is not None and (line := line_of(seat, design.piece.rows, design.geometry)) is not None:
            row = next(k for k, each in enumerate(design.piece.rows) if each.key == seat.row)
            where = f" at row {row + 1}, {side_name(math.degrees(line.azimuth))}"
        tied = tuple(Balloon(each.nominal_in, sized_mm(part, each), each.colour) for each in balloons)
        words = f"{name_of(part).capitalize()}, cluster {number} of {total}{where}: {_said(balloons, plan.job)}. "
        words += TIED[part.tie]
        yield PutOn(
            part, place, StepKind.CLUSTER, words, _uses(part, balloons, plan, 1 / total), (tied,), None, 1 / total
        )


def _in_turn(part: Fillers, design: PiecePlan, total: int) -> list[int]:
    """Places of clusters in the order in which they are tied in: row by row, going round."""
    if not part.seats:
        return list(range(total))
    rows = {row.key: index for index, row in enumerate(design.piece.rows)}
    turns = [line_of(seat, design.piece.rows, design.geometry) for seat in part.seats]

    def at(place: int) -> tuple[float, float, int]:
        line = turns[place]
        azimuth = line.azimuth % (2 * math.pi) if line else 0.0
        return rows.get(part.seats[place].row, len(rows)), azimuth, place

    return sorted(range(total), key=at)


def _said(balloons: Sequence[PartBalloons], job: Job) -> str:
    counted = Counter((each.nominal_in, each.diameter_mm, each.colour) for each in balloons)
    return ", ".join(
        f"{count} × {format_nominal(nominal)}{f' to {format_diameter(size)}' if size else ''} {job.colour(key).name}"
        for (nominal, size, key), count in counted.items()
    )


def _words(part: Part, kind: StepKind, design: PiecePlan) -> str:
    name, where = f"“{name_of(part)}”", _where(part, design)
    how = FIXINGS[part.fixing].words if isinstance(part, Extended) else ""
    match kind:
        case StepKind.TOPPER if kind_of(part).standing(part):
            begin = f"Put {name} on top."
        case StepKind.HANG:
            many_fixings = part.fixings if isinstance(part, Hung) else 1
            begin = f"Hang {name}{where}, by {many_fixings} fixing{'' if many_fixings == 1 else 's'}."
        case StepKind.WEIGHT:
            mass = f", {part.mass_g / 1000:g} kg" if isinstance(part, Weight) and part.mass_g else ""
            begin = f"Put {name}{mass} in its place{where}."
        case StepKind.CAP:
            begin = f"Pull {name} over the pole end."
        case _:
            begin = f"Stick {name} on its balloon." if isinstance(part, Lettering) else f"Put {name} on{where}."
    return f"{begin} {how}".strip()


def _where(part: Part, design: PiecePlan) -> str:
    """At which row and on which side, in words."""
    if not isinstance(part, Placed):
        return ""
    now = next((each for each in design.parts if each.key == part.key), part)
    height = now.height_mm if isinstance(now, Placed) else part.height_mm
    knots = design.geometry.knots
    row = f" at row {int(abs(knots - height).argmin()) + 1}" if len(knots) and height else ""
    side = f", {side_name(part.azimuth_deg)}" if row and part.offset_mm else ""
    return row + side
