"""Lettering of a planned piece: on which balloon it is, and how it is laid out there."""

from __future__ import annotations

from dataclasses import dataclass

from kakushi.dress.lettering import Layout, lay_out
from kakushi.model.memo import remembered
from kakushi.model.parts import Lettering
from kakushi.plan.parts import drawn_toppers
from kakushi.plan.values import PiecePlan


@dataclass(frozen=True, slots=True, eq=False)
class WordsOnBalloon:
    """A lettering, the index of its balloon among those drawn, and its layout."""

    part: Lettering
    balloon: int
    layout: Layout


@remembered(64, lambda piece_plan: len(piece_plan.geometry.radii))
def words_on_balloons(piece_plan: PiecePlan) -> tuple[WordsOnBalloon, ...]:
    """The lettering of a piece that has a balloon to be on: the topper it names, else the first one."""
    toppers = drawn_toppers(piece_plan.piece)
    first = len(piece_plan.assembly.spheres[1])
    words = []
    for part in piece_plan.piece.parts:
        if not isinstance(part, Lettering) or not toppers:
            continue
        place = next((k for k, (topper, _) in enumerate(toppers) if topper.key == part.on), 0)
        layout = _laid_out(part.text, toppers[place][1] / 2, part.cap)
        if layout is not None:
            words.append(WordsOnBalloon(part, first + place, layout))
    return tuple(words)


@remembered(64)
def _laid_out(text: str, radius: float, cap: float) -> Layout | None:
    return lay_out(text, radius, cap)
