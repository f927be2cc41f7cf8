"""What the guided build says beside a step: which copy, what comes next, which spares are left."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

from kakushi.building.progress import Copy, Progress, minutes_left, spares_left, waited_for
from kakushi.building.step import Step, StepKind
from kakushi.model.piece import copy_name
from kakushi.plan.values import Plan
from kakushi.words.rescue import kind_words
from kakushi.words.step_text import brief_words, step_text
from kakushi.words.wording import Wording, counted, hours_words


def copy_words(plan: Plan, copy: Copy | None) -> str:
    """Name what is built: a copy of a piece, or what is done once for the whole job."""
    if copy is None or copy[0] is None or copy[1] is None:
        return "For the whole job"
    piece_plan = plan.piece(copy[0])
    return copy_name(piece_plan.piece, copy[1]) if piece_plan is not None else "Build"


def no_step_words(
    steps: Sequence[Step], mine: Sequence[Step], progress: Progress, copy: Copy | None, wording: Wording
) -> str:
    """Say why there is no step to do: something else comes first, or `mine` are all done. `steps`: the whole job's."""
    waiting = waited_for(steps, progress, copy) if copy else []
    if waiting:
        return f"First, for the whole job: {step_text(waiting[0], wording).words}"
    left = next((each for each in mine if each.key not in progress.done), None)
    if left is not None:
        known = {each.key: each for each in steps}
        needs = next(known[key] for key in left.after if key in known and key not in progress.done)
        return f"Another helper first: {step_text(needs, wording).words}"
    return "This one is done." if mine else "Nothing to build yet."


def next_words(mine: Sequence[Step], progress: Progress, now: Sequence[Step], wording: Wording) -> str:
    """What comes after the steps at hand, and how long the rest of the copy takes."""
    left = [each for each in mine if each.key not in progress.done and each not in now]
    said = [f"Next: {brief_words(left[0], wording)}"] if left else []
    if mine and (minutes := minutes_left(mine, progress)):
        said.append(f"About {hours_words(minutes)} left of this one.")
    if now and now[0].kind is StepKind.WAIT:
        said.append(f"The wait takes {hours_words(now[0].wait_minutes)}: go on with another one meanwhile.")
    return " ".join(said)


def spare_words(spares: Mapping[tuple[float, str], int], progress: Progress, wording: Wording) -> str:
    """The spares left of what popped; "" where nothing did."""
    left = spares_left(spares, progress)
    told = []
    for kind in progress.popped:
        spare = left.get(kind, 0)
        words = f"{counted(spare, 'spare')} left" if spare >= 0 else f"{-spare} short"
        told.append(f"{kind_words(kind, wording)}: {words}")
    return "; ".join(told) + ("." if told else "")
