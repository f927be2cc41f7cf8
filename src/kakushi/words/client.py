"""What a client is told: sizes as people say them, what is included, how to look after it."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterator

from kakushi.model.job import Job
from kakushi.model.units import UnitSystem, format_height
from kakushi.picture.scene import extent_of
from kakushi.plan.values import PiecePlan
from kakushi.words.wording import counted, listed
from kakushi.workshop.price import CostSheet

_TALL = (
    (400.0, "small enough for a table"), (650.0, "up to the knee"), (900.0, "as high as a table"),
    (1200.0, "up to the hip"), (1500.0, "up to the chest"), (1850.0, "as tall as a person"),
    (2100.0, "as tall as a door"), (2600.0, "taller than a door"), (3200.0, "about as high as a ceiling"),
)  # fmt: skip
"""Heights, mm, up to which something is as tall as people say."""
_MOST_COLOURS = 4
_WIDE = 1.25
"""Width over height from which the width of a piece is said too."""
CARE = (
    "Keep it out of direct sun and away from heat: balloons swell there and burst. In the cold they shrink, and fill "
    "out again when it is warm.",
    "Do not move, pull or lean on it. Balloons lose their shine by the next day; that is natural.",
)
"""How to look after what was delivered."""


def tall_words(height_mm: float) -> str:
    """A height as people say it: “taller than a door”."""
    return next((words for most, words in _TALL if height_mm <= most), "several metres tall")


def piece_told(piece_plan: PiecePlan, job: Job, units: UnitSystem) -> str:
    """A piece in a sentence: how many, how tall, in which colours."""
    heights = [shown.overall_height_mm for _, _, shown in piece_plan.built]
    tall = listed(dict.fromkeys(format_height(each, units) for each in (min(heights), max(heights))))
    wide = max(extent_of(shown.drawn)[0] for _, _, shown in piece_plan.built)
    if wide > _WIDE * max(heights):
        # Of an arch or a wave how long it is says more than how tall.
        tall = f"{tall} tall, {format_height(wide, units)} wide"
    elif piece_plan.overall_height_mm > piece_plan.height_mm:
        tall = f"{tall} tall with what stands on it"
    counts = Counter(piece_plan.drawn_colours()).most_common(_MOST_COLOURS)
    names = [job.colour(key).name for key, _ in counts]
    colours = listed(names) if names else ""
    return f"{tall}, {tall_words(max(heights))}; {colours}"


def included_words(job: Job, cost: CostSheet, balloons: int) -> Iterator[str]:
    """What the price includes."""
    pieces = sum(len(piece.copies) for piece in job.pieces)
    yield f"{counted(pieces, 'piece')}, designed and built by hand from {balloons} balloons"
    if job.brief.handover == "delivered":
        yield "delivery" + (", and setting up on site" if cost.delivery or job.brief.place else "")
    else:
        yield "ready to be collected, each in its own bag"
    yield "balloons blown up fresh for the day, with spares for repairs before you take over"
