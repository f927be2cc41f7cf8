"""How a topper, a foil shape, an accent or a hung thing is held: what each way consumes, and what to mind."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from dataclasses import dataclass

from kakushi.dress.kind import STRIPS, Used
from kakushi.model.parts import Extended, Fixing

GLUE_DOTS, TAPE, RIBBON, DISCS = "glue dots", "tape", "ribbon", "magnet discs"
"""As they are named on the lists."""


@dataclass(frozen=True, slots=True)
class FixingKind:
    """What one fixing takes, and how it is done in words."""

    uses: tuple[Used, ...]
    words: str


KINDS: Mapping[Fixing, FixingKind] = {
    Fixing.LISTED: FixingKind((), ""),
    Fixing.STRIP: FixingKind(
        (Used(STRIPS, "pcs", 1.0),),
        "Catch a strip in the knot before tying; wind its tails round the top two rows on both sides and tie them with "
        "two knots, three for transport.",
    ),
    Fixing.VALVE: FixingKind(
        (Used(STRIPS, "pcs", 0.5),),
        "Roll the valve up and tie half a strip round the roll, never tight enough to cut the foil off.",
    ),
    Fixing.RIBBON: FixingKind(
        (Used(RIBBON, "m", 1.0), Used(TAPE, "m", 0.1)),
        "Tie a metre of ribbon to it and tape the end down where nobody looks.",
    ),
    Fixing.DOTS: FixingKind(
        (Used(GLUE_DOTS, "pcs", 4.0),), "Stick it on with four dots; they hold on latex, not on foil."
    ),
    Fixing.MAGNET: FixingKind(
        (Used(DISCS, "pcs", 2.0),), "A magnet disc inside the balloon, another one behind what it holds."
    ),
}  # fmt: skip


def fixing_uses(part: Extended, many: int = 1) -> Iterator[Used]:
    """What holding a part by so many fixings takes."""
    for used in KINDS[part.fixing].uses:
        yield used._replace(amount=used.amount * many)
