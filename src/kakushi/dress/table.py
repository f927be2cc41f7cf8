"""The table of kinds of part: everything that is asked of a part goes through here."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Mapping, Sequence
from typing import Any

from kakushi.dress.fixings import fixing_uses
from kakushi.dress.kind import STRIPS, USUAL_FILL, PartKind, PointMm, WindArea, latex_mass
from kakushi.dress.kinds import (
    accent,
    board,
    bow,
    cap,
    collar,
    fillers,
    flowers,
    foil_shape,
    hung_load,
    lettering,
    plants,
    ribbons,
    starburst,
    sticks,
    topper,
    toy,
    weight,
)
from kakushi.dress.wishes import Wish
from kakushi.model.parts import Cap, Collar, Extended, Fillers, Part, PartBalloons
from kakushi.model.roles import BalloonRole
from kakushi.model.units import inches
from kakushi.model.used import Used

_IN_THE_MENU = (
    hung_load, weight, topper, foil_shape, starburst, lettering, bow, ribbons, accent, collar, board, toy, plants,
    flowers, sticks, fillers, cap,
)  # fmt: skip
KINDS: Mapping[str, PartKind[Any]] = {module.KIND.words: module.KIND for module in _IN_THE_MENU}
"""By the word for the kind, in the order in which they are offered."""


def kind_of(part: Part) -> PartKind[Any]:
    """Everything that is known of a part's kind."""
    return KINDS[part.kind]


def name_of(part: Part) -> str:
    """What a part is called: its name, or the word for its kind."""
    return part.name or kind_of(part).words


def role_of(part: Part) -> BalloonRole:
    """The role of a part's balloons."""
    return BalloonRole(part.kind)


def in_build_order(parts: Iterable[Part]) -> list[Part]:
    """Parts in the order of hands: weights, what stands on top, large hung things, fillers large to small, the rest.

    Who fills first has no room left for the toy. Of equals those listed first come first.
    """
    return sorted(parts, key=_turn_of)


def _turn_of(part: Part) -> tuple[int, float]:
    kind = kind_of(part)
    if kind.standing(part):
        return 0, 0.0
    fills = isinstance(part, Fillers | Collar)
    return kind.order, -max((sized_mm(part, line) for line in balloons_of(part)), default=0.0) if fills else 0.0


def spot_of(part: Part, top_mm: float) -> PointMm:
    """Where the mass of a part is, mm, on a column `top_mm` high."""
    return kind_of(part).spot(part, top_mm)


def mass_of(part: Part, masses: Mapping[float, float]) -> float:
    """Mass of a part, g: its own, or that of its balloons (`masses` by nominal size)."""
    return part.mass_g or latex_mass(balloons_of(part), masses)


def wind_of(part: Part) -> WindArea:
    """What the wind meets of a part that is not drawn as a balloon."""
    return kind_of(part).wind(part)


def things_of(part: Part) -> float:
    """How many things of a part are tied or stuck on."""
    return kind_of(part).things(part)


def balloons_of(part: Part) -> tuple[PartBalloons, ...]:
    """All balloons a part takes: of a set of fillers those of all its clusters."""
    return kind_of(part).balloons(part)


def sized_mm(part: Part, balloons: PartBalloons) -> float:
    """What a part's balloons are sized to, mm: as said, a single topper as tall as it stands, else to a usual fill.

    0 for a cap, which is not inflated.
    """
    if isinstance(part, Cap):
        return 0.0
    if balloons.diameter_mm is not None:
        return balloons.diameter_mm
    tall = kind_of(part).standing(part)
    if tall and sum(each.count for each in part.balloons) == 1:
        return min(tall, inches(balloons.nominal_in))
    return USUAL_FILL * inches(balloons.nominal_in)


def standing_parts(parts: Iterable[Part]) -> Iterator[tuple[Part, float]]:
    """Parts that stand on top of the column, with their heights above what they stand on, mm."""
    for part in parts:
        if (tall := kind_of(part).standing(part)) > 0:
            yield part, tall


def materials_of(part: Part) -> Iterator[Used]:
    """What a part consumes besides balloons."""
    yield from part.items
    if part.strips:
        yield Used(item=STRIPS, count=part.strips)
    if isinstance(part, Extended):
        yield from fixing_uses(part)
    yield from kind_of(part).uses(part)


def wishes_of(parts: Sequence[Part]) -> list[Wish]:
    """Problems of the parts of a piece."""
    return [wish for part in parts for wish in kind_of(part).wishes(part)]
