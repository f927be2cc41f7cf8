"""What each way to hold a topper, a foil shape, an accent or a hung thing takes."""

from __future__ import annotations

from collections.abc import Iterator, Mapping

from kakushi.dress.kind import STRIPS
from kakushi.model.parts import Extended, Fixing, Hung
from kakushi.model.used import Used

GLUE_DOTS, TAPE, RIBBON, DISCS = "glue dots", "tape", "ribbon", "magnet discs"
"""As they are named on the lists."""


USES: Mapping[Fixing, tuple[Used, ...]] = {
    Fixing.LISTED: (),
    Fixing.STRIP: (Used(item=STRIPS, count=1.0),),
    Fixing.VALVE: (Used(item=STRIPS, count=0.5),),
    Fixing.RIBBON: (Used(item=RIBBON, count=1.0, unit="m"), Used(item=TAPE, count=0.1, unit="m")),
    Fixing.DOTS: (Used(item=GLUE_DOTS, count=4.0),),
    Fixing.MAGNET: (Used(item=DISCS, count=2.0),),
    Fixing.CROSSED: (Used(item=STRIPS, count=1.0), Used(item=TAPE, count=0.1, unit="m")),
}
"""What one fixing takes."""


def fixings_of(part: Extended) -> int:
    """By how many fixings a part is held: one at each joint of a frame that it is tied to."""
    return len(part.tied_to) or (part.fixings if isinstance(part, Hung) else 1)


def fixing_uses(part: Extended) -> Iterator[Used]:
    """Materials for holding a part."""
    yield from (used.times(fixings_of(part)) for used in USES[part.fixing])
