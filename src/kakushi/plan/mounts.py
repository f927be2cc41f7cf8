"""What hooks, walls and pole tops bear of a strand that is tied to them."""

from __future__ import annotations

from typing import NamedTuple

import numpy as np

from kakushi.model.ties import Mount
from kakushi.plan.values import PiecePlan


class MountLoad(NamedTuple):
    """A row (from 0) tied to a mount, and the mass it holds there, g."""

    row: int
    mount: Mount
    bears_g: float


def mount_loads(piece_plan: PiecePlan, mass_g: float, x_mm: float) -> list[MountLoad]:
    """The mass of a piece, its centre `x_mm` to the right of its middle, shared out among what it hangs on.

    By the law of the lever; of more than two mounts the smallest shares that balance. A share below 0 holds down.
    """
    at = {row.key: index for index, row in enumerate(piece_plan.piece.rows)}
    ties = [(at[tie.row], tie.mount) for tie in piece_plan.piece.ties if tie.other is None and tie.row in at]
    ties = [(row, mount) for row, mount in ties if mount != "floor"]
    if not ties:
        return []
    places = piece_plan.geometry.frames.origins[[row for row, _ in ties], 0]
    lever = np.stack([np.ones(len(places)), places / 1000])
    shares, *_ = np.linalg.lstsq(lever, np.array([mass_g, mass_g * x_mm / 1000]), rcond=None)
    return [MountLoad(row, mount, float(share)) for (row, mount), share in zip(ties, shares, strict=True)]
