"""Fillers: small clusters tied in afterwards. Where each one sits: `kakushi.dress.clusters`."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterator
from functools import lru_cache

from kakushi.dress.fixings import GLUE_DOTS
from kakushi.dress.kind import PartKind, PointMm, Surroundings
from kakushi.dress.wishes import EvenNumber, Wish, WrongClusterSize
from kakushi.model.parts import Fillers, FillerTie, PartBalloons, Seat
from kakushi.model.used import Used

_DOTS_EACH = 2
"""Glue dots per cluster: two hold a small one on latex."""
MOST_IN_CLUSTER = 12
"""Balloons of a cluster that is placed and drawn: more are no filler, and take long to settle."""
STRIP_SHARE = {
    FillerTie.ASTRIDE: 1.0,
    FillerTie.LOOP: 1.0,
    # Laid double, a band takes twice the strip.
    FillerTie.BAND: 2.0,
    FillerTie.NECK: 0.0,
    FillerTie.DOT: 0.0,
    FillerTie.CHAIN: 1.0,
}
"""Length of strip for each way of tying, as a multiple of the studio's rule for a cluster."""
_SMALL_IN, _SMALL_SHARE = 5.0, 0.5
"""Nominal size up to which clusters hang in pairs on half a strip, and what that leaves of a cluster's share."""


def strip_share(part: Fillers) -> float:
    """Length of strip that a cluster of a set takes, as a multiple of the studio's rule for a cluster."""
    return STRIP_SHARE[part.tie] * (_SMALL_SHARE if hangs_on_half(part) else 1.0)


def hangs_on_half(part: Fillers) -> bool:
    """Whether two clusters of a set hang on one half strip: small ones astride a balloon."""
    small = all(line.nominal_in <= _SMALL_IN for line in part.balloons)
    return part.tie is FillerTie.ASTRIDE and small


def cluster_balloons(part: Fillers, seat: Seat | None = None, place: int = 0) -> tuple[PartBalloons, ...]:
    """The balloons of one cluster one by one, in the colours and sizes of its seat where it has its own.

    `place` of the cluster in its set, where it has no seat: every second one is the other of a pair.
    """
    usual = one_by_one(part.balloons)
    is_other = place % 2 == 1 if seat is None else seat.is_other
    if is_other and part.other_each and usual:
        usual = tuple(usual[k % len(usual)] for k in range(part.other_each))
    if seat is None or not (seat.colours or seat.diameters_mm):
        return usual
    own = list(usual)
    for number, line in enumerate(own):
        colour = seat.colours[number % len(seat.colours)] if seat.colours else line.colour
        sized = seat.diameters_mm[number % len(seat.diameters_mm)] if seat.diameters_mm else line.diameter_mm
        own[number] = line.model_copy(update={"colour": colour, "diameter_mm": sized})
    return tuple(own)


@lru_cache(maxsize=256)
def one_by_one(balloons: tuple[PartBalloons, ...]) -> tuple[PartBalloons, ...]:
    """Every balloon on a line of its own."""
    return tuple(line.model_copy(update={"count": 1}) for line in balloons for _ in range(line.count))


def many(part: Fillers) -> int:
    """Clusters of a set: those that are placed, or as many as are wanted."""
    return len(part.seats) or part.wanted


def asked_for(part: Fillers, wanted: int | None = None) -> int:
    """How many clusters are placed: as many as are wanted, one more where an even number is not to be."""
    count = part.wanted if wanted is None else wanted
    return count + 1 if part.odd and count % 2 == 0 else count


def _balloons(part: Fillers) -> tuple[PartBalloons, ...]:
    counted: Counter[PartBalloons] = Counter()
    if part.seats:
        for seat in part.seats:
            counted.update(cluster_balloons(part, seat))
    else:
        for place in range(min(part.wanted, 2)):
            # Clusters without seats are of two kinds at most.
            alike = (part.wanted + 1 - place) // 2
            for line in cluster_balloons(part, None, place):
                counted[line] += alike
    return tuple(line.model_copy(update={"count": count}) for line, count in counted.items())


def _uses(part: Fillers) -> Iterator[Used]:
    if part.tie is FillerTie.DOT:
        yield Used(item=GLUE_DOTS, count=_DOTS_EACH * many(part))


def is_placeable(part: Fillers) -> bool:
    """Whether its clusters can be placed: neither empty nor too many balloons."""
    return 0 < sum(line.count for line in part.balloons) <= MOST_IN_CLUSTER


def _wishes(part: Fillers) -> Iterator[Wish]:
    if not is_placeable(part):
        each = sum(line.count for line in part.balloons)
        yield WrongClusterSize(part.name or part.kind, each, MOST_IN_CLUSTER)
    if part.odd and many(part) % 2 == 0:
        yield EvenNumber(part.name or part.kind, many(part))


def _made(key: int, around: Surroundings) -> Fillers:
    four = tuple(line.model_copy(update={"count": 4}) for line in around.balloon())
    return Fillers(key=key, name="fillers", wanted=7, balloons=four)


KIND = PartKind(
    value=Fillers,
    words="fillers",
    order=2,
    step="cluster",
    made=_made,
    counted_as="cluster",
    things=lambda part: strip_share(part) * many(part),
    balloons=_balloons,
    has_balloons=True,
    # Spread over the column: half way up it, unless it is known where each one sits.
    spot=lambda _part, top_mm: PointMm(0.0, 0.0, top_mm / 2),
    uses=_uses,
    wishes=_wishes,
)
