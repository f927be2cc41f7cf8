"""What is said of dressing: what shows, where collars and clusters were placed, words on balloons."""

from __future__ import annotations

import math
from collections.abc import Iterator, Sequence

from kakushi.dress.collars import PlacedRing
from kakushi.dress.placing import PlacedClusters
from kakushi.dress.shows import HIDEABLE, Mechanic, SeenThing, Showing
from kakushi.model.groups import Row
from kakushi.model.units import UnitSystem, format_length
from kakushi.plan.words_on_balloons import WordsOnBalloon
from kakushi.words.wording import area_words, percent, side_name

_NOTHING = 0.0005
"""Share below which nothing is said to show."""
_SIDES_TOLD = 4
"""Sides from which it is told how much of a thing is in sight, the worst ones first."""


def ring_words(placed: PlacedRing, rows: Sequence[Row]) -> str:
    """Where a collar was placed, in a sentence."""
    row = next(index for index, row in enumerate(rows) if row.key == placed.row)
    where = "below row 1" if row == 0 else f"between rows {row} and {row + 1}"
    hides = f"hides {placed.hidden:.0%} of what shows" if placed.hidden >= _NOTHING else "hides nothing that shows"
    return f"{placed.count} balloons close a ring {where}: it {hides}."


def showing_words(showing: Showing, units: UnitSystem) -> Iterator[str]:
    """Say what shows, in sentences: the whole, then its parts."""
    if not showing.whole_cm2 and not showing.things:
        yield "There is nothing to hide before there are two rows."
        return
    if not showing.whole_cm2:
        # An open frame hides nothing; what hangs in it is looked at.
        pass
    elif showing.share < _NOTHING:
        yield f"From {_eyes(showing)} nothing of pole, knots and necks shows between the rows."
    else:
        parts = [_told(showing, mechanic, units) for mechanic in HIDEABLE if showing.share_of(mechanic) >= _NOTHING]
        shown = f"{area_words(showing.total_cm2, units)} shows on average ({percent(showing.share)})"
        yield f"From {_eyes(showing)} {shown}: {', '.join(parts)}."
    beside = [
        _told(showing, each, units) for each in (Mechanic.STRIPS, Mechanic.BASE) if showing.share_of(each) >= _NOTHING
    ]
    if beside:
        yield f"Besides that {' and '.join(beside)}."
    for thing in showing.things:
        yield _sight_words(thing, showing)


def _sight_words(thing: SeenThing, showing: Showing) -> str:
    """How much of a main thing each eye sees; those that see as much are not told one by one."""
    seen = [
        (round(share, 2), side_name(math.degrees(eye.azimuth)))
        for share, eye in zip(thing.shares, showing.eyes, strict=True)
        if share is not None
    ]
    if not seen:
        return f"Nobody looks at “{thing.name}” from there."
    if min(seen)[0] == max(seen)[0]:
        return f"“{thing.name}” is {percent(seen[0][0])} in sight."
    (least, where), *others = sorted(seen)[:_SIDES_TOLD]
    more = "".join(f", {percent(share)} from {side}" for share, side in others)
    return f"“{thing.name}” is {percent(least)} in sight from {where}{more}."


def _told(showing: Showing, mechanic: Mechanic, units: UnitSystem) -> str:
    return f"{mechanic.value} {area_words(showing.seen_cm2[mechanic], units)} ({percent(showing.share_of(mechanic))})"


def _eyes(showing: Showing) -> str:
    eyes = len(showing.eyes)
    return "one eye" if eyes == 1 else f"{eyes} sides"


def spot_words(showing: Showing, units: UnitSystem) -> list[str]:
    """The worst spots, each in a line."""
    lines = []
    for spot in showing.spots:
        where = f"Row {spot.row + 1}, {side_name(math.degrees(spot.azimuth))}"
        lines.append(f"{where}: {spot.mechanic.value}, {area_words(spot.seen_cm2, units)}")
    return lines


def curve_words(placed: PlacedClusters) -> str:
    """How many clusters hide how much, in a sentence."""
    steps = [
        (share, clusters)
        for share in (0.5, 0.8, 0.95)
        if (clusters := placed.enough_for(share)) is not None and clusters > 0
    ]
    most = placed.hidden[-1]
    if not steps and most < _NOTHING:
        return "Nothing shows that clusters could hide: they are spread evenly."
    told = ", ".join(f"{clusters} hide {share:.0%}" for share, clusters in steps)
    if most < 0.95 or placed.is_full:
        last = f"{len(placed.seats)} hide {most:.0%}"
        told = ", ".join(filter(None, [told, f"{last}, and there is no room for more" if placed.is_full else last]))
    return f"Of what shows {told}."


def lettering_words(words: WordsOnBalloon, units: UnitSystem) -> str:
    """Letter height and film size, in a sentence."""
    layout = words.layout
    wide, tall = (format_length(each, units) for each in layout.film_size)
    told = f"Letters {format_length(layout.letter_mm, units)} tall; film {wide} wide and {tall} tall."
    return told if layout.is_readable else f"{told} Too small to cut: fewer or shorter words, or a bigger balloon."
