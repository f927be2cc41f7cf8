"""Steps as a hand reads them: what to do in a line, what is special about it, and once how it is done."""

from __future__ import annotations

import re
from collections.abc import Iterable, Iterator, Sequence
from itertools import groupby
from typing import NamedTuple

from kakushi.building.step import LaidBunches, LayingRow, Looking, Step, TyingCluster
from kakushi.dress.table import name_of
from kakushi.model.piece import copy_name
from kakushi.plan.values import Plan
from kakushi.words.rows import Said, bunches_words, hand_sentences, place_facts, said_anew, sizes_of_row
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
_MOST_HEADLINE, _MOST_NOTE = 110, 100
"""Most characters of a row's headline, and of what stands beside it: what is longer is said with how it is done."""
_SENTENCE = re.compile(r"(?<=[.!?]) ")


class StepText(NamedTuple):
    """A step: its headline, what balloons are tied of, what is special about it, and how it is done.

    `here`: sentences about this very step that have no room in its words; they are never left out. `hands`: how it is
    done, each sentence until another one of its topic is said.
    """

    headline: str
    bunches: str = ""
    note: str = ""
    here: tuple[str, ...] = ()
    hands: tuple[Said, ...] = ()

    @property
    def words(self) -> str:
        """Everything but how it is done, in at most `MOST_WORDS` characters."""
        return _joined(_joined(self.headline, self.note), self.bunches)

    @property
    def how(self) -> str:
        """How it is done, in full."""
        return " ".join([*self.here, *(said.text for said in self.hands)])


def _joined(words: str, more: str) -> str:
    """Two things said one after the other."""
    if not (words and more):
        return words or more
    return f"{words} {more}" if words[-1:] in ".!?…" else f"{words}. {more}"


def brief_words(step: Step, wording: Wording) -> str:
    """A step in one sentence, for where it is only announced."""
    said = _SENTENCE.split(step_text(step, wording).headline)[0]
    return said if said[-1:] in ".!?…" else f"{said}."


def step_text(step: Step, wording: Wording, rows: Sequence[Step] = ()) -> StepText:
    """A step by itself; `rows`: those of its run, of which it is the first."""
    if isinstance(step.fact, LayingRow) and step.laid is not None:
        return _row_text(step, step.fact, step.laid, wording, rows or [step])
    sentences = _SENTENCE.split(step_words(step, wording))
    if isinstance(step.fact, TyingCluster):
        # How clusters are tied is the same for all of a set.
        text = _fitted(sentences[:1])
        return text._replace(hands=(Said(f"part {step.fact.part.key}", " ".join(sentences[1:]), of_row=False),))
    return _fitted(sentences)


def _fitted(sentences: Sequence[str]) -> StepText:
    """As many sentences as fit in a headline, the others for how it is done; one that is too long is in both."""
    head, rest = sentences[0], list(sentences[1:])
    if len(head) > MOST_WORDS:
        return StepText(_cut(head), here=tuple(sentences))
    while rest and len(f"{head} {rest[0]}") <= MOST_WORDS:
        head = f"{head} {rest.pop(0)}"
    return StepText(head, here=tuple(rest))


def _row_text(step: Step, fact: LayingRow, laid: LaidBunches, wording: Wording, rows: Sequence[Step]) -> StepText:
    """A row: every fact of it in the headline, the note or, where it is long, in how it is done."""
    sizes, here = sizes_of_row(laid, wording, fact.sizing), list[str]()
    headline = f"{row_heading(rows)} · {sizes}"
    if len(headline) > _MOST_HEADLINE:
        here.append(f"Its balloons: {sizes}.")
        headline = f"{row_heading(rows)} · {counted(len(laid.numbered), 'balloon')}, {_sizes_counted(laid)}"
    note = ""
    for place in place_facts(fact, wording):
        longer = f"{note}; {place.short}" if note else capital(place.short)
        if len(longer) <= _MOST_NOTE:
            note = longer
        else:
            here.append(place.full)
    text = StepText(headline, "", note, tuple(here), tuple(hand_sentences(step, fact, wording)))
    bunches = bunches_words(laid, wording)
    if len(_joined(text.words, bunches)) <= MOST_WORDS:
        return text._replace(bunches=bunches)
    return text._replace(here=(*text.here, bunches))


def _sizes_counted(laid: LaidBunches) -> str:
    return counted(len({(balloon.nominal_in, balloon.diameter_mm) for balloon in laid.numbered}), "size")


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
    bunches, fitted = f"{each}{'; '.join(made)}.", _fitted([f"{head}."])
    here = fitted.here
    if len(bunches) > MOST_WORDS:
        here, bunches = (*here, capital(bunches)), ""
    return StepText(fitted.headline, bunches, here=here, hands=step_text(steps[0], wording).hands)


def told_steps(steps: Iterable[Step], wording: Wording) -> Iterator[tuple[list[Step], StepText]]:
    """Steps in their order, rows of a run together; how something is done only where it is first said."""
    known: dict[str, Said] = {}
    for run, group in groupby(steps, key=lambda step: step.run if step.run is not None else step.key):
        of_run = list(group)
        is_run = isinstance(run, int) and isinstance(of_run[0].fact, LayingRow)
        for rows in [of_run] if is_run else [[step] for step in of_run]:
            yield rows, said_once(step_text(rows[0], wording, rows), known)


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
                yield alike, StepText(f"{head}{where}", hands=text.hands)
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


def said_once(text: StepText, known: dict[str, Said]) -> StepText:
    """A step without the sentences of how it is done that are `known`, by topic, to hold already."""
    return text._replace(hands=tuple(Said("", sentence, of_row=False) for sentence in said_anew(text.hands, known)))


def new_how(steps: Sequence[Step], step: Step, wording: Wording) -> str:
    """How a step of a copy (`steps`) is done, without what steps before it said."""
    known: dict[str, Said] = {}
    for earlier in steps[: _place(steps, step)]:
        said_once(step_text(earlier, wording), known)
    return said_once(step_text(step, wording), known).how


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
