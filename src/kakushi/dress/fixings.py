"""What each way to hold a topper, a foil shape, an accent or a hung thing takes."""

from __future__ import annotations

from collections.abc import Iterator, Mapping

from kakushi.dress.kind import STRIPS
from kakushi.model.parts import Extended, Fixing
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
}
"""What one fixing takes."""


def fixing_uses(part: Extended, count: int = 1) -> Iterator[Used]:
    """Materials for holding a part by a number of fixings."""
    yield from (used.times(count) for used in USES[part.fixing])
