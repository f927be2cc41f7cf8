"""The usual order of work, for the groups on a pole and the steps of a job, with the least waiting for one person."""

from __future__ import annotations

import math
from collections import deque
from collections.abc import Collection, Sequence

from kakushi.building.step import Step
from kakushi.model.groups import BallGroup, BarePoleGroup, Direction, Group, RowsGroup


def in_order_of_work(steps: Sequence[Step]) -> list[Step]:
    """Steps so that one person who works from top to bottom waits least: what has to dry or set begins first.

    Within a copy the order stays. Always what is possible next is done: first what a wait follows, then the copies in
    their order; a copy that waits lets others pass.
    """
    waiting = {step.key for step in steps if step.wait_minutes}
    leads = _leading_to(steps, waiting)
    copies: dict[tuple[int | None, int | None], deque[Step]] = {}
    for step in steps:
        copies.setdefault((step.piece, step.copy), deque()).append(step)
    done: dict[str, float] = {}
    ordered: list[Step] = []
    now = 0.0
    while copies:
        heads = [queue[0] for queue in copies.values()]
        ready = {
            head.key: max((done[key] for key in head.after), default=0.0)
            for head in heads
            if done.keys() >= set(head.after)
        }
        # Without one that is ready now, the one that is ready first is waited for.
        possible = [head for head in heads if ready.get(head.key, math.inf) <= now]
        if not possible:
            now = min(ready.values(), default=now)
            possible = [head for head in heads if ready.get(head.key, math.inf) <= now] or heads[:1]
        step = next((head for head in possible if head.key in leads), possible[0])
        now += step.minutes
        done[step.key] = now + step.wait_minutes
        ordered.append(step)
        copies[step.piece, step.copy].popleft()
        if not copies[step.piece, step.copy]:
            del copies[step.piece, step.copy]
    return ordered


def _leading_to(steps: Sequence[Step], wanted: Collection[str]) -> set[str]:
    """Keys of the steps `wanted`, and of all that must be done before them."""
    known = {step.key: step for step in steps}
    leads, left = set[str](), list(wanted)
    while left:
        key = left.pop()
        if key not in leads and key in known:
            leads.add(key)
            left += known[key].after
    return leads


def build_order(groups: Sequence[Group]) -> list[int]:
    """Places of groups as they are built: what hangs from the top, then what stands, then wrapped pole."""

    def turn(place: int) -> int:
        group = groups[place]
        if isinstance(group, BarePoleGroup):
            return 2
        # A ball is slid on from the top: before what would be in its way.
        hangs = isinstance(group, RowsGroup) and group.built is Direction.DOWN
        return 0 if hangs and not any(isinstance(below, BallGroup) for below in groups[:place]) else 1

    return sorted(range(len(groups)), key=turn)
