"""Steps as lines of text that say once what repeats: rows of a run, copies that are alike."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Sequence
from itertools import groupby

from kakushi.build.step import Step
from kakushi.plan.values import Plan


def steps_words(steps: Iterable[Step], plan: Plan) -> Iterator[str]:
    """All steps, copy by copy; of a copy that is built like the one before only that."""
    names = {piece.piece.key: piece.piece.name for piece in plan.pieces}
    before: tuple[int | None, list[str]] = (None, [])
    for (piece, copy), mine in groupby(steps, key=lambda step: (step.piece, step.copy)):
        lines = list(run_words(list(mine)))
        if piece is None or copy is None:
            yield "For the whole job"
        else:
            yield names[piece] + (f", copy {copy + 1}" if len(_copies(plan, piece)) > 1 else "")
        yield from ["  as the copy before"] if (piece, lines) == before else (f"  {line}" for line in lines)
        before = piece, lines


def run_lines(steps: Sequence[Step]) -> Iterator[tuple[list[Step], str]]:
    """Steps in their order with their words, rows of a run that follow each other together."""
    for run, mine in groupby(steps, key=lambda step: step.run if step.run is not None else step.key):
        rows = list(mine)
        if isinstance(run, int) and len(rows) > 1:
            yield rows, f"{run_name(rows)}: {rows[0].words.partition(': ')[2]}"
        else:
            yield from (([step], step.words) for step in rows)


def run_words(steps: Sequence[Step]) -> Iterator[str]:
    """Steps in their order, rows of a run that follow each other in one line."""
    yield from (words for _, words in run_lines(steps))


def run_name(rows: Sequence[Step]) -> str:
    """Rows of a run by their numbers, like “Rows 2 to 7”; built downwards they are counted downwards."""
    numbers = [step.row.index + 1 for step in rows if step.row is not None]
    return f"Rows {numbers[0]} {'and' if len(numbers) == 2 else 'to'} {numbers[-1]}"


def _copies(plan: Plan, key: int) -> Sequence[object]:
    found = plan.piece(key)
    return found.piece.copies if found else ()
