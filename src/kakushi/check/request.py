"""What is known of a photograph, and wished."""

from __future__ import annotations

from dataclasses import dataclass, field

import numpy as np
from numpy.typing import NDArray

from kakushi.check.pose import PosePrior
from kakushi.sight.pinhole import Ends, Point


@dataclass(frozen=True, slots=True)
class CheckRequest:
    """What is known and wished: the ends, px of the photograph; the azimuth one means and the lens, where told.

    `upright`: lower and upper end of an edge that is upright, px; `hidden`: (h, w) of the photograph, what is in front.
    `ends_told`: whether somebody set the ends, or the program proposed them.
    """

    ends: Ends
    prior: PosePrior = field(default_factory=PosePrior)
    upright: tuple[Point, Point] | None = None
    hidden: NDArray[np.bool_] | None = None
    ends_told: bool = True
