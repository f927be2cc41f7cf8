"""What is known of a photograph, and what its check should assume."""

from __future__ import annotations

from dataclasses import dataclass, field

import numpy as np
from numpy.typing import NDArray

from kakushi.check.pose import PosePrior
from kakushi.sight.pinhole import Ends, Point


@dataclass(frozen=True, slots=True)
class CheckRequest:
    """A request to check a photograph: its ends, px; what is known of azimuth and lens.

    `upright`: lower and upper end of an edge that is upright, px; `hidden`: (h, w) of the photograph, what is in front.
    `ends_told`: whether somebody set the ends, or the program proposed them.
    """

    ends: Ends
    prior: PosePrior = field(default_factory=PosePrior)
    upright: tuple[Point, Point] | None = None
    hidden: NDArray[np.bool_] | None = None
    ends_told: bool = True
