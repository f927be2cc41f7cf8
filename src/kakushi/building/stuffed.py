"""Double-stuffed balloons: which balloon is inside which, of what size, and what both use up."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import replace

from kakushi.colour.tying import Balloon
from kakushi.model.catalogue import BalloonColour
from kakushi.model.groups import Slot
from kakushi.model.job import Job
from kakushi.model.roles import BalloonRole
from kakushi.model.units import inches
from kakushi.model.used import Used, balloons


def stuffed_colours(job: Job) -> Mapping[str, BalloonColour]:
    """The colours of a job that are two balloons, one inside the other, by key."""
    return {colour.key: colour for colour in job.palette if colour.is_stuffed}


def outer_of(key: str, stuffed: Mapping[str, BalloonColour]) -> str:
    """The colour of the balloon outside, of one or of two."""
    colour = stuffed.get(key)
    return (colour.outer if colour else None) or key


def inside_of(balloon: Balloon, stuffed: Mapping[str, BalloonColour]) -> Balloon | None:
    """The balloon inside one, no larger than it can be; None where there is none."""
    colour = stuffed.get(balloon.colour)
    if colour is None or colour.inner is None:
        return None
    nominal = colour.inner_nominal_in or balloon.nominal_in
    return Balloon(nominal, round(min(balloon.diameter_mm * colour.inner_share, inches(nominal)), 2), colour.inner)


def inner_balloons(slots: Sequence[Slot], outer: Sequence[Balloon], job: Job) -> list[Balloon | None]:
    """For every slot, whose balloon is known, the one inside it: a slot's own is as large as the outer one."""
    stuffed = stuffed_colours(job)
    return [
        replace(balloon, colour=slot.inner_colour) if slot.inner_colour else inside_of(balloon, stuffed)
        for slot, balloon in zip(slots, outer, strict=True)
    ]


def used_up(
    outer: Iterable[tuple[Balloon, int, bool]],
    inside: Iterable[tuple[Balloon | None, int]],
    role: BalloonRole,
    job: Job,
) -> tuple[Used, ...]:
    """What balloons use up: the outer ones with their counts and whether they are seen, and those inside them."""
    stuffed = stuffed_colours(job)
    shown, hidden = Counter[tuple[float, str, bool]](), Counter[tuple[float, str]]()
    for balloon, count, seen in outer:
        shown[balloon.nominal_in, outer_of(balloon.colour, stuffed), seen] += count
    for inner, count in inside:
        if inner is not None:
            hidden[inner.nominal_in, inner.colour] += count
    return (
        *(balloons(count, nominal, key, role, seen) for (nominal, key, seen), count in shown.items() if count),
        *(balloons(count, *kind, BalloonRole.INNER, seen=False) for kind, count in hidden.items() if count),
    )
