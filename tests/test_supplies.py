"""Supplies are what the drawn parts consume, times copies; what is tied is what is consumed."""

from __future__ import annotations

from collections import Counter

from hypothesis import given, settings

from kakushi.building.steps import steps_of, steps_of_copy
from kakushi.model.catalogue import Studio
from kakushi.model.groups import BallGroup, RowsGroup
from kakushi.model.job import Job
from kakushi.model.parts import Cap, Fillers, Flowers, Part
from kakushi.model.roles import BalloonRole
from kakushi.model.values import replace
from kakushi.plan.pipeline import plan
from kakushi.workshop.ledger import balloons_used
from kakushi.workshop.supplies import supplies_of
from strategies import jobs


def consumed(job: Job) -> Counter[tuple[float, str]]:
    """What the copies use, counted by hand from the parts and the plan's own colours."""
    total: Counter[tuple[float, str]] = Counter()
    for piece in job.pieces:
        for copy in piece.copies:
            groups = copy.groups if copy.groups is not None else piece.groups
            shown = replace(piece, groups=groups, copies=piece.copies[:1])
            colouring = iter(plan(replace(job, pieces=(shown,)), Studio()).pieces[0].colouring)
            for group in groups:
                if isinstance(group, RowsGroup):
                    for row in group.rows:
                        for slot, colour in zip(row.slots, next(colouring), strict=True):
                            total[slot.nominal_in, colour] += 1
                            total[slot.nominal_in, slot.inner_colour or ""] += bool(slot.inner_colour)
                elif isinstance(group, BallGroup):
                    for slot in group.slots:
                        total[slot.nominal_in, slot.colour or job.palette[0].key] += 1
                        total[slot.nominal_in, slot.inner_colour or ""] += bool(slot.inner_colour)
            for part in piece.parts:
                total.update(_of_part(part))
            if piece.frame.has_pole and piece.frame.capped and not any(isinstance(p, Cap) for p in piece.parts):
                # Poles of the shared jobs are 25 mm thick: four inches are pulled over them.
                planned = plan(replace(job, pieces=(shown,)), Studio()).pieces[0]
                every = [planned, *plan(job, Studio()).pieces]
                used = next(filter(None, map(_over_a_pole, every)), {9.0: job.palette[0].key})
                usual = [size for size in (9.0, 11.0, 12.0, 16.0, 18.0, 24.0, 36.0) if size in used]
                nominal = usual[0] if usual else min(used)
                total[nominal, used[nominal]] += 1
    return +total


def _over_a_pole(planned) -> dict[float, str]:
    """Sizes of a piece that are pulled over a pole, each in the colour of its highest row, else of its balls."""
    used: dict[float, str] = {}
    for group in planned.piece.groups:
        if isinstance(group, BallGroup):
            used |= {slot.nominal_in: slot.colour or planned.fallback for slot in group.slots}
    for row, line in zip(planned.piece.rows, planned.colouring, strict=True):
        used |= {slot.nominal_in: key for slot, key in zip(row.slots, line, strict=True)}
    return {size: key for size, key in used.items() if size >= 4}


def _of_part(part: Part) -> Counter[tuple[float, str]]:
    own = [(b.nominal_in, b.colour) for b in part.balloons for _ in range(b.count)]
    if isinstance(part, Flowers):
        # Each flower has its petals, and one balloon in the middle.
        middle = [(own[0][0], part.middle_colour)] if own and part.middle_colour else []
        return Counter((own + middle) * part.flowers)
    if not isinstance(part, Fillers):
        return Counter(own)
    if not part.seats:
        return Counter(own * part.wanted)
    return Counter(
        (nominal, seat.colours[place % len(seat.colours)] if seat.colours else colour)
        for seat in part.seats
        for place, (nominal, colour) in enumerate(own)
    )


@settings(max_examples=6)
@given(jobs())
def test_supplies_equal_what_the_drawn_parts_consume_times_copies(job: Job) -> None:
    found = plan(job, Studio())
    supplies = supplies_of(found)
    assert Counter({line.kind: line.needed for line in supplies.whole}) == consumed(job)
    for piece in found.pieces:
        assert piece.balloon_count >= len(piece.geometry.radii)
        used = balloons_used(steps_of_copy(steps_of(found), piece.piece.key, 0))
        if piece.piece.copies and piece.piece.copies[0].groups is None:
            assert sum(u.count for u in used if u.role is BalloonRole.ROW) == len(piece.geometry.radii)
            assert sum(u.count for u in used if u.role is BalloonRole.INNER) == sum(
                slot.inner_colour is not None
                for group in piece.piece.groups
                for slots in _slots(group)
                for slot in slots
            )
    for line in supplies.whole:
        of_pieces = [each for lines in supplies.pieces.values() for each in lines if each.kind == line.kind]
        assert (line.needed, line.spares, line.total) == tuple(
            sum(getattr(each, key) for each in of_pieces) for key in ("needed", "spares", "total")
        )


def _slots(group: object):
    if isinstance(group, RowsGroup):
        return [row.slots for row in group.rows]
    return [group.slots] if isinstance(group, BallGroup) else []
