"""What is done beforehand: poles cut and painted for the whole job, balloons inflated and tied for each copy."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterable, Iterator, Sequence

from kakushi.building.poles import PoleCuts, paint_needed, pole_materials
from kakushi.building.step import Cutting, Inflating, Painting, Step, StepKind, Waiting
from kakushi.colour.tying import Balloon
from kakushi.model.catalogue import BalloonColour
from kakushi.model.roles import BalloonRole
from kakushi.model.used import Used
from kakushi.plan.values import Plan

CUT, PAINT, DRY = "cut", "paint", "dry"
"""Keys of the steps that are done once for the whole job."""
_CUT_MINUTES, _PAINT_MINUTES = 5.0, 5.0
"""Minutes for a cut, and for one coat on a pole. Assumed until they are measured."""


def steps_for_poles(plan: Plan, poles: tuple[PoleCuts, ...]) -> Iterator[Step]:
    """Poles cut, wiped and painted for all pieces together."""
    if poles:
        cuts = sum(pieces for pole in poles for _, pieces in pole.wanted)
        yield Step(CUT, StepKind.CUT, Cutting(poles), minutes=_CUT_MINUTES * cuts, uses=tuple(pole_materials(poles)))
    painted = [p.piece for p in plan.pieces if p.piece.frame.painted and p.piece.frame.has_pole]
    if not painted:
        return
    coats, dry_h = plan.studio.frame_rules.coats, plan.studio.frame_rules.paint_dry_h
    yield Step(
        PAINT,
        StepKind.PAINT,
        Painting(tuple(piece.name for piece in painted), coats),
        (CUT,) if poles else (),
        minutes=_PAINT_MINUTES * sum(len(piece.copies) for piece in painted) * coats,
        uses=tuple(paint_needed(plan)),
    )
    yield Step(DRY, StepKind.WAIT, Waiting("paint"), (PAINT,), wait_minutes=60 * dry_h)


def inflating_step(steps: Sequence[Step], key: str, plan: Plan) -> Step | None:
    """All that the other steps of a copy tie in, inflated and tied beforehand; None where there is nothing."""
    rates, bunches, inside = plan.studio.working_rates, Counter[int](), Counter[Balloon]()
    outside = {(b.nominal_in, b.diameter_mm) for step in steps for role, kind, _ in step.tied
               if role is not BalloonRole.INNER for b in kind}  # fmt: skip
    for step in steps:
        for role, kind, count in step.tied:
            # A cap stays as it comes out of the bag.
            if role is BalloonRole.INNER:
                inside[kind[0]] += count
            elif role is not BalloonRole.CAP:
                bunches[len(kind)] += count
    inflated = sum(size * count for size, count in bunches.items())
    if not inflated:
        return None
    inserts = _inserts(steps, plan.job.palette)
    seconds = sum(rates.bunch_s(size) * count for size, count in bunches.items())
    # A balloon is put into another one as anything else is, and inflated by itself.
    seconds += rates.insert_s * (sum(count for _, count in inserts) + inside.total())
    seconds += rates.inflate_s * inside.total()
    return Step(
        key,
        StepKind.INFLATE,
        Inflating(
            inflated,
            tuple(sorted((+bunches).items(), reverse=True)),
            inserts,
            tuple(each for each in sorted(inside.items()) if (each[0].nominal_in, each[0].diameter_mm) not in outside),
            tuple(each for each in sorted(inside.items()) if (each[0].nominal_in, each[0].diameter_mm) in outside),
        ),
        minutes=seconds / 60,
        uses=tuple(Used(item=item, count=count) for item, count in inserts),
    )


def _inserts(steps: Iterable[Step], palette: Iterable[BalloonColour]) -> tuple[tuple[str, int], ...]:
    """What is put into balloons before they are inflated, and into how many of them."""
    put_in = {colour.key: colour.insert for colour in palette if colour.insert}
    counted = Counter[str]()
    for step in steps if put_in else ():
        for role, kind, count in step.tied:
            for balloon in kind if role is not BalloonRole.CAP else ():
                if balloon.colour in put_in:
                    counted[put_in[balloon.colour]] += count
    return tuple(sorted(counted.items()))
