"""Where the ladder's cards go: at their rows' heights, pushed apart where rows are close. No Qt."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from functools import lru_cache

_GAPS_SHARE, _THINNEST = 0.4, 0.1


@dataclass(frozen=True, slots=True)
class CardPlace:
    """One card: middle and height in px; `full` cards show words, others are a sliver of colours."""

    middle: float
    height: float
    full: bool


@lru_cache(maxsize=8)
def place_cards(
    wanted: tuple[float, ...], room: float, full: float, sliver: float, focus: int, gap: float = 2.0
) -> tuple[CardPlace, ...]:
    """Cards for rows whose knots are at pixel rows `wanted`, in any order of height, within 0..room.

    All cards are full where they fit; otherwise those around index `focus` stay full and
    the rest shrink to slivers. Cards never overlap; each stays as near as it can.
    """
    if not wanted:
        return ()
    # Where cards are many and room is scarce the gaps shrink before the slivers vanish.
    gap = min(gap, _GAPS_SHARE * max(room - full, 0.0) / len(wanted))
    heights = _heights(len(wanted), room, full, sliver, focus, gap)
    # Rows whose knots fall together keep their order: the higher row stands higher.
    order = sorted(range(len(wanted)), key=lambda i: (wanted[i], -i))
    middles = _spread([wanted[i] for i in order], [heights[i] + gap for i in order], room)
    placed: dict[int, CardPlace] = {
        i: CardPlace(middle, heights[i], heights[i] == full) for i, middle in zip(order, middles, strict=True)
    }
    return tuple(placed[i] for i in range(len(wanted)))


def _heights(count: int, room: float, full: float, sliver: float, focus: int, gap: float) -> list[float]:
    if count * (full + gap) <= room:
        return [full] * count
    sliver = min(sliver, max((room - full - gap) / count - gap, _THINNEST))
    spare = room - count * (sliver + gap)
    entries = max(int(spare // (full - sliver)), 1)
    first = min(max(focus - entries // 2, 0), max(count - entries, 0))
    return [full if first <= i < first + entries else sliver for i in range(count)]


def _spread(wanted: Sequence[float], heights: Sequence[float], room: float) -> list[float]:
    """Place boxes in ascending order: each near its wanted middle, none overlapping, all inside the room."""
    # Clusters of touching boxes: [first, last, height, sum of (wish - offset within cluster)].
    clusters: list[list[float]] = []
    for index, (wish, height) in enumerate(zip(wanted, heights, strict=True)):
        clusters.append([index, index, height, wish - height / 2])
        while len(clusters) > 1 and _start(clusters[-1], room) < _start(clusters[-2], room) + clusters[-2][2]:
            upper = clusters.pop()
            lower = clusters[-1]
            members = upper[1] - upper[0] + 1
            lower[3] += upper[3] - members * lower[2]
            lower[1] = upper[1]
            lower[2] += upper[2]
    middles = []
    for cluster in clusters:
        at = _start(cluster, room)
        for index in range(int(cluster[0]), int(cluster[1]) + 1):
            middles.append(at + heights[index] / 2)
            at += heights[index]
    return middles


def _start(cluster: Sequence[float], room: float) -> float:
    members = cluster[1] - cluster[0] + 1
    return min(max(cluster[3] / members, 0.0), max(room - cluster[2], 0.0))
