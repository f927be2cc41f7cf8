"""The sculptor's own order of the steps of a copy, as far as what each step needs allows."""

from __future__ import annotations

from collections.abc import Sequence
from typing import NamedTuple

from kakushi.building.step import Step


class TooEarly(NamedTuple):
    """A step that is to be done before one that it needs."""

    step: Step
    needs: Step


def name_of_step(step: Step) -> str:
    """What a step is called within its copy: its key without piece and copy."""
    return step.key.removeprefix(f"{step.piece}.{step.copy}.")


def in_own_order(steps: Sequence[Step], wish: Sequence[str]) -> list[Step]:
    """Steps of a copy in a wished order, given by their names, as far as their needs allow.

    A step that the wish does not name comes after the one it usually follows; a name without a step is passed over.
    """
    if not wish:
        return list(steps)
    named = {name_of_step(step): step for step in steps}
    order = [named[name] for name in dict.fromkeys(wish) if name in named]
    listed = {step.key for step in order}
    before: Step | None = None
    for step in steps:
        if step.key not in listed:
            order.insert(order.index(before) + 1 if before is not None else 0, step)
        before = step
    return _needs_first(order)


def _needs_first(order: Sequence[Step]) -> list[Step]:
    """The same order, but that a step which comes before one it needs waits for that."""
    own = {step.key for step in order}
    left, done, sorted_out = list(order), set[str](), list[Step]()
    while left:
        step = next((step for step in left if all(key in done for key in step.after if key in own)), left[0])
        left.remove(step)
        done.add(step.key)
        sorted_out.append(step)
    return sorted_out


def moved(steps: Sequence[Step], key: str, to: int) -> list[Step] | TooEarly:
    """Steps of a copy with one of them moved to a place (from 0); what that would break, if anything.

    Raises KeyError for a step that is not among them.
    """
    step = next((each for each in steps if each.key == key), None)
    if step is None:
        raise KeyError(key)
    order = [each for each in steps if each is not step]
    order.insert(min(max(to, 0), len(order)), step)
    places = {each.key: place for place, each in enumerate(order)}
    for place, each in enumerate(order):
        for need in each.after:
            if places.get(need, -1) > place:
                return TooEarly(each, order[places[need]])
    return order
