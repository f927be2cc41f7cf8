"""Steps as a hand reads them: what to do in a line, what is special about it, and once how it is done."""

from __future__ import annotations

import re
from collections.abc import Iterable, Iterator, Sequence
from itertools import groupby
from typing import NamedTuple

from kakushi.building.step import LayingRow, Looking, Step, TyingCluster
from kakushi.dress.table import name_of
from kakushi.model.piece import copy_name
from kakushi.plan.values import Plan
from kakushi.words.rows import bunches_words, how_words, note_of_row, sizes_of_row
from kakushi.words.steps import (
    balloons_of_cluster,
    codes_of_cluster,
    place_of_cluster,
    row_heading,
    side_of_cluster,
    step_words,
)
from kakushi.words.wording import Wording, capital, counted, listed

MOST_WORDS = 159
"""Most characters of what is said of a step each time: two lines at arm's length."""
MOST_NOTE = 60
"""Most characters of what is special about a row."""
_SENTENCE = re.compile(r"(?<=[.!?]) ")


class StepText(NamedTuple):
    """A step: its headline, what balloons are tied of, what is special about it, and how it is done."""

    headline: str
    bunches: str = ""
    note: str = ""
    how: str = ""

    @property
    def words(self) -> str:
        """Everything but how it is done, in at most `MOST_WORDS` characters."""
        said = self.headline
        for more in (self.note, self.bunches):
            longer = f"{said}. {more}" if said[-1:] not in ".!?…" else f"{said} {more}"
            if more and len(longer) <= MOST_WORDS:
                said = longer
        return said if len(said) <= MOST_WORDS else _cut(said)


def brief_words(step: Step, wording: Wording) -> str:
    """A step in one sentence, for where it is only announced."""
    said = _SENTENCE.split(step_text(step, wording).headline)[0]
    return said if said[-1:] in ".!?…" else f"{said}."


def step_text(step: Step, wording: Wording, rows: Sequence[Step] = ()) -> StepText:
    """A step by itself; `rows`: those of its run, of which it is the first."""
    if isinstance(step.fact, LayingRow) and step.laid is not None:
        note, how = note_of_row(step.fact, wording), how_words(step, step.fact, wording)
        headline = f"{row_heading(rows or [step])} · {sizes_of_row(step.laid, wording, step.fact.sizing)}"
        return StepText(headline, bunches_words(step.laid, wording), note if len(note) <= MOST_NOTE else "", how)
    full = step_words(step, wording)
    sentences = _SENTENCE.split(full)
    if isinstance(step.fact, TyingCluster):
        # How clusters are tied is the same for all of them.
        return StepText(_cut(sentences[0]), how=" ".join(sentences[1:]) if len(sentences[0]) <= MOST_WORDS else full)
    head = sentences[0]
    taken = 1
    while taken < len(sentences) and len(f"{head} {sentences[taken]}") <= MOST_WORDS:
        head = f"{head} {sentences[taken]}"
        taken += 1
    if len(head) > MOST_WORDS:
        return StepText(_cut(head), how=full)
    return StepText(head, how=" ".join(sentences[taken:]))


def text_at_hand(steps: Sequence[Step], wording: Wording) -> StepText:
    """What is done in one go: a step, or two clusters that hang on one strip."""
    facts = [step.fact for step in steps if isinstance(step.fact, TyingCluster)]
    if len(facts) < 2:
        return step_text(steps[0], wording)
    first = facts[0]
    numbers = listed(str(fact.number) for fact in facts)
    head = f"{capital(name_of(first.part))}, clusters {numbers} of {first.many}"
    if first.row is not None or first.ball is not None:
        place = f"row {first.row + 1}" if first.row is not None else "the ball"
        head += f", {place}: {listed(map(side_of_cluster, facts))}"
    made = dict.fromkeys(codes_of_cluster(fact, wording) for fact in facts)
    each = "each " if len(made) == 1 else ""
    return StepText(_cut(f"{head}."), _cut(f"{each}{'; '.join(made)}."), how=step_text(steps[0], wording).how)


def told_steps(steps: Iterable[Step], wording: Wording) -> Iterator[tuple[list[Step], StepText]]:
    """Steps in their order, rows of a run together; how something is done only where it is first said."""
    said: set[str] = set()
    for run, group in groupby(steps, key=lambda step: step.run if step.run is not None else step.key):
        each = list(group)
        together = [each] if isinstance(run, int) and isinstance(each[0].fact, LayingRow) else [[one] for one in each]
        for rows in together:
            yield rows, said_once(step_text(rows[0], wording, rows), said)


def told_briefly(
    steps: Sequence[Step], wording: Wording, of_copy: Sequence[Step] = ()
) -> Iterator[tuple[list[Step], StepText]]:
    """As `told_steps`, for paper: clusters of one set that are alike together with where they go, looks once.

    `of_copy`: all steps of the copy, where `steps` leave rows out.
    """
    looks = [step for step in steps if isinstance(step.fact, Looking) and step.fact.when != "fillers"]
    clusters: dict[object, list[Step]] = {}
    for step in steps:
        if isinstance(step.fact, TyingCluster):
            clusters.setdefault((step.fact.part.key, step.fact.balloons), []).append(step)
    firsts = {alike[0].key: alike for alike in clusters.values()}
    rest = [step for step in steps if step not in looks[:-1]]
    for run, text in told_steps(rest, wording):
        fact = run[0].fact
        if isinstance(fact, TyingCluster):
            if run[0].key in firsts:
                alike = firsts[run[0].key]
                places = [place_of_cluster(each.fact) for each in alike if isinstance(each.fact, TyingCluster)]
                many = counted(len(alike), "cluster")
                head = f"{capital(name_of(fact.part))}, {many}: {balloons_of_cluster(fact, wording)}."
                where = f" At {', '.join(filter(None, places))}." if any(places) else ""
                yield alike, StepText(f"{head}{where}", how=text.how)
        elif looks and run[0] is looks[-1]:
            yield looks, StepText(looks_words(looks, of_copy or steps))
        else:
            yield run, text


def looks_words(looks: Sequence[Step], steps: Sequence[Step]) -> str:
    """When somebody steps back and looks, and what for."""
    when = []
    for look in looks[:-1]:
        before = [step for step in steps[: steps.index(look)] if step.row is not None]
        when.append(f"after row {before[-1].row.index + 1}" if before and before[-1].row else "on the way")
    said = ", ".join([*when, "and before leaving" if when else "before leaving"])
    return f"{capital(said)}: step back, look from all sides that are seen, take a photograph."


def said_once(text: StepText, said: set[str]) -> StepText:
    """A step without the sentences of how it is done that were `said` before; they are said from then on."""
    new = [sentence for sentence in _SENTENCE.split(text.how) if sentence not in said] if text.how else []
    said.update(new)
    return text._replace(how=" ".join(new))


def new_note(steps: Sequence[Step], step: Step, wording: Wording) -> str:
    """What is special about a step of a copy (`steps`); nothing where the row before it was like that."""
    note = step_text(step, wording).note
    before = [each for each in steps[: _place(steps, step)] if each.row is not None]
    return "" if before and step.row is not None and step_text(before[-1], wording).note == note else note


def new_how(steps: Sequence[Step], step: Step, wording: Wording) -> str:
    """How a step of a copy (`steps`) is done, without what steps before it said."""
    said: set[str] = set()
    for each in steps[: _place(steps, step)]:
        said_once(step_text(each, wording), said)
    return said_once(step_text(step, wording), said).how


def _place(steps: Sequence[Step], step: Step) -> int:
    return next((place for place, each in enumerate(steps) if each.key == step.key), 0)


def _cut(text: str) -> str:
    """A text at most as long as may be said, cut between words."""
    if len(text) <= MOST_WORDS:
        return text
    return text[: MOST_WORDS - 1].rsplit(" ", 1)[0].rstrip(",;: ") + "…"


def steps_words(steps: Iterable[Step], plan: Plan, wording: Wording) -> Iterator[str]:
    """All steps as lines, copy by copy; of a copy that is built like the one before only that."""
    before: tuple[int | None, list[str]] = (None, [])
    for (piece, copy), group in groupby(steps, key=lambda step: (step.piece, step.copy)):
        lines = []
        for _, text in told_steps(group, wording):
            lines += [text.words, *([f"    how: {text.how}"] if text.how else [])]
        planned = plan.piece(piece) if piece is not None else None
        if planned is None or copy is None:
            yield "For the whole job"
        else:
            yield copy_name(planned.piece, copy)
        yield from ["  as the copy before"] if (piece, lines) == before else (f"  {line}" for line in lines)
        before = piece, lines
