"""Parts as steps: clusters one by one, toppers, hung things, weights, accents, in the order of hands."""

from __future__ import annotations

import math
from collections import Counter
from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from functools import lru_cache

from kakushi.building.materials import by_rules
from kakushi.building.part_order import safest_order
from kakushi.building.rows import Tied
from kakushi.building.step import Fact, PuttingOn, StepKind, TyingCluster
from kakushi.building.stuffed import inside_of, stuffed_colours, used_up
from kakushi.colour.tying import Balloon, in_bunches
from kakushi.dress.clusters import KnotLine, line_of
from kakushi.dress.kinds.fillers import cluster_balloons, many
from kakushi.dress.table import balloons_of, in_build_order, kind_of, materials_of, role_of, sized_mm, things_of
from kakushi.model.groups import BallGroup, LinkFrameGroup, RowsGroup
from kakushi.model.parts import Extended, Fillers, Lettering, Part, PartBalloons, Placed, Seat
from kakushi.model.piece import Piece
from kakushi.model.roles import BalloonRole
from kakushi.model.used import Used
from kakushi.packing.link_frames import numbers_of_joints
from kakushi.plan.values import PiecePlan, Plan


@dataclass(frozen=True, slots=True)
class PutOn:
    """A part, or one cluster of a set, as it is put on. `place`: of the cluster; `on`: key of a part that comes first.

    `share` of what the part takes, of its time and of what it uses.
    """

    part: Part
    place: int
    kind: StepKind
    fact: Fact
    uses: tuple[Used, ...]
    tied: tuple[Tied, ...]
    ties: tuple[tuple[Balloon, ...], ...]
    on: int | None
    share: float


@lru_cache(maxsize=64)
def parts_in_order(design: PiecePlan, plan: Plan) -> tuple[Part, ...]:
    """Parts in the order they are put on: the usual one, or the safest if the piece would fall over half-built."""
    usual = in_build_order(design.piece.parts)
    order = safest_order(design, plan.studio)
    if order is None or order.usual_tilt >= 0 or order.least_tilt < 0:
        return tuple(usual)
    return (*order.parts, *(part for part in usual if part not in order.parts))


def put_on(part: Part, design: PiecePlan, plan: Plan) -> Iterator[PutOn]:
    """The steps that put a part on."""
    if isinstance(part, Fillers):
        yield from _clusters(part, design, plan)
        return
    listed = balloons_of(part)
    tied = (
        *((role_of(part), (_balloon(part, line),), line.count) for line in listed),
        *_tied_inside([(_balloon(part, line), line.count) for line in listed], plan),
    )
    joints = joints_of(part, design.piece)
    fact = PuttingOn(part, *(_where(part, design) if not joints else (None, None)), joints)
    uses, on = _uses(part, listed, plan, 1.0), part.on if isinstance(part, Extended | Lettering) else None
    yield PutOn(part, 0, StepKind(kind_of(part).step), fact, uses, tied, (), on, 1.0)


def is_on_group(each: PutOn, design: PiecePlan, place: int) -> bool:
    """Whether a part, or a cluster of a set, is put on at the group with that place."""
    if kind_of(each.part).standing(each.part) or each.on is not None:
        return False
    return _group_of(each, design) == place


def _group_of(each: PutOn, design: PiecePlan) -> int | None:
    """Place of the one group that a part, or a cluster of a set, is put on at."""
    groups = design.piece.groups
    if isinstance(each.fact, TyingCluster) and each.fact.ball is not None:
        return [k for k, group in enumerate(groups) if isinstance(group, BallGroup)][each.fact.ball]
    row = each.fact.row if isinstance(each.fact, PuttingOn | TyingCluster) else None
    if row is None:
        return _ball_at(each.part, design) if isinstance(each.part, Placed) else None
    of_row = [place for place, group in enumerate(groups) if isinstance(group, RowsGroup) for _ in group.rows]
    return of_row[row]


def _ball_at(part: Part, design: PiecePlan) -> int | None:
    """Place of the ball at whose height a part is, if it is at one."""
    at = design.place_of(part).z
    for place, group in enumerate(design.piece.groups):
        low, high = design.assembly.spans[place]
        if isinstance(group, BallGroup) and low <= at <= high:
            return place
    return None


def _balloon(part: Part, line: PartBalloons) -> Balloon:
    return Balloon(line.nominal_in, round(sized_mm(part, line), 2), line.colour)


def _tied_inside(outer: Sequence[tuple[Balloon, int]], plan: Plan) -> Iterator[Tied]:
    """The balloons inside others, each by itself."""
    stuffed = stuffed_colours(plan.job)
    for balloon, count in outer:
        if (inner := inside_of(balloon, stuffed)) is not None:
            yield BalloonRole.INNER, (inner,), count


def _uses(part: Part, listed: Sequence[PartBalloons], plan: Plan, share: float) -> tuple[Used, ...]:
    """What a step of a part uses: its balloons, and its share of what the part takes."""
    outer = [(_balloon(part, line), line.count, line.seen) for line in listed]
    stuffed = stuffed_colours(plan.job)
    inside = [(inside_of(balloon, stuffed), count) for balloon, count, _ in outer]
    uses = used_up(outer, inside, role_of(part), plan.job)
    own = [used.times(share) for used in materials_of(part)]
    if counted_as := kind_of(part).counted_as:
        # What holds it is counted once: by how it is fixed, or by the studio's rule.
        rules = by_rules({counted_as: things_of(part) * share}, plan.studio.rules)
        own += [used for used in rules if used.item not in {each.item for each in own}]
    return (*uses, *own)


def _clusters(part: Fillers, design: PiecePlan, plan: Plan) -> Iterator[PutOn]:
    total = many(part)
    for number, place in enumerate(_in_turn(part, design, total), 1):
        seat = part.seats[place] if part.seats else None
        listed = cluster_balloons(part, seat, place)
        line = None if seat is None else _line_of(seat, design)
        row = None
        if seat is not None and line is not None and seat.ball is None:
            row = next(k for k, each in enumerate(design.piece.rows) if each.key == seat.row)
        told = Counter((each.nominal_in, each.diameter_mm, each.colour) for each in listed)
        fact = TyingCluster(
            part, number, total, tuple((*kind, count) for kind, count in told.items()), part.tie, row,
            line.azimuth if line else 0.0, None if seat is None or line is None else seat.ball,
        )  # fmt: skip
        cluster = tuple(_balloon(part, each) for each in listed)
        tied = (
            *((role_of(part), tuple(sorted(bunch)), 1) for bunch in in_bunches(cluster) if bunch),
            *_tied_inside([(balloon, 1) for balloon in cluster], plan),
        )
        uses, share = _uses(part, listed, plan, 1 / total), 1 / total
        yield PutOn(part, place, StepKind.CLUSTER, fact, uses, tied, (cluster,), None, share)


def _line_of(seat: Seat, design: PiecePlan) -> KnotLine | None:
    return line_of(seat, design.piece.rows, design.geometry, design.assembly.balls)


def _in_turn(part: Fillers, design: PiecePlan, total: int) -> list[int]:
    """Places of clusters in the order in which they are tied in: row by row, going round."""
    if not part.seats:
        return list(range(total))
    rows = {row.key: index for index, row in enumerate(design.piece.rows)}
    turns = [_line_of(seat, design) for seat in part.seats]

    def at(place: int) -> tuple[float, float, int]:
        line = turns[place]
        azimuth = line.azimuth % (2 * math.pi) if line else 0.0
        on_ball = part.seats[place].ball is not None
        return len(rows) if on_ball else rows.get(part.seats[place].row, len(rows)), azimuth, place

    return sorted(range(total), key=at)


def joints_of(part: Part, piece: Piece) -> tuple[int, ...]:
    """Numbers, as in the steps, of the joints of an open frame that a part is tied to."""
    group = next((group for group in piece.groups if isinstance(group, LinkFrameGroup)), None)
    if group is None or not isinstance(part, Extended):
        return ()
    numbers = numbers_of_joints(group)
    return tuple(sorted(numbers[joint] for joint in part.tied_to if joint in numbers))


def _where(part: Part, design: PiecePlan) -> tuple[int | None, float | None]:
    """At which row (from 0) and on which side, degrees from the front, a part goes; None for neither."""
    if not isinstance(part, Placed):
        return None, None
    now = next((each for each in design.parts if each.key == part.key), part)
    height = now.height_mm if isinstance(now, Placed) else part.height_mm
    knots = design.geometry.knots
    if height and part.row is None and _ball_at(part, design) is not None:
        return None, part.azimuth_deg if part.offset_mm else None
    if not len(knots) or not height:
        return None, None
    return int(abs(knots - height).argmin()), part.azimuth_deg if part.offset_mm else None
