"""Open frames of link balloons as steps: chains alike first, then joint by joint from the foot up."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterator
from typing import NamedTuple

from kakushi.building.rows import Tied, tied_inside, used_balloons
from kakushi.building.step import TyingChains, TyingJoint
from kakushi.building.tying import balloon_of
from kakushi.colour.tying import in_bunches
from kakushi.model.groups import LinkFrameGroup
from kakushi.model.job import Job
from kakushi.model.roles import BalloonRole
from kakushi.model.units import format_nominal
from kakushi.model.used import Used
from kakushi.model.values import replace
from kakushi.packing.link_frames import numbers_of_joints


class FrameStep(NamedTuple):
    """One step of a frame: its name within the frame, its fact, what it uses and ties, the `links` blown up in it."""

    name: str
    fact: TyingChains | TyingJoint
    uses: tuple[Used, ...]
    tied: tuple[Tied, ...]
    links: int


def chain_steps(group: LinkFrameGroup, fallback: str, job: Job) -> Iterator[FrameStep]:
    """Chains alike tied together; links without a colour are of the `fallback`."""
    alike = Counter(
        (chain.links, chain.nominal_in, chain.length_mm, chain.thick_mm, chain.colour or fallback)
        for chain in group.chains
    )
    for number, ((links, nominal, length, thick, colour), count) in enumerate(sorted(alike.items(), reverse=True)):
        fact = TyingChains(count, links, nominal, length, thick, colour)
        # No round balloons: listed as things of their own.
        item = f"link balloons {format_nominal(nominal)}, {job.colour(colour).name}"
        uses = (Used(item=item, count=count * links, unit="pcs", link_in=nominal),)
        yield FrameStep(f"chains.{number}", fact, uses, (), count * links)


def joint_steps(group: LinkFrameGroup, fallback: str, job: Job) -> Iterator[FrameStep]:
    """Joints from the foot up and from left to right, numbered in that order."""
    numbers = numbers_of_joints(group)
    for joint, number in numbers.items():
        to = [c.last if c.first == joint else c.first for c in group.chains if joint in (c.first, c.last)]
        own = group.joints[joint]
        slots = own.balloons
        colours = tuple(slot.colour or fallback for slot in slots)
        if own.water_filled:
            # Doubled: one balloon does not bear the water.
            slots = (replace(slots[0], inner_colour=colours[0]), *slots[1:])
        leads = tuple(sorted(numbers[each] for each in to))
        fact = TyingJoint(number, len(numbers), leads, len(own.slots), len(own.collar), own.water_g)
        balloons = tuple(map(balloon_of, slots, colours))
        bunches = [*in_bunches(balloons[: len(own.slots)]), *in_bunches(balloons[len(own.slots) :])]
        tied = (
            *((BalloonRole.JOINT, tuple(sorted(bunch)), 1) for bunch in bunches if bunch),
            *tied_inside(slots, colours, job),
        )
        uses = used_balloons(slots, colours, BalloonRole.JOINT, job)
        yield FrameStep(f"joint.{joint}", fact, uses, tied, 0)
