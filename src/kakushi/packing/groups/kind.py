"""What is known of a kind of group, as one record; each kind fills it in a module of its own."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import Generic, NamedTuple, TypeVar

from kakushi.model.groups import ClearPole, Slot
from kakushi.model.joints import JointKind
from kakushi.model.memo import Cancelled
from kakushi.model.piece import Piece
from kakushi.model.roles import BalloonRole
from kakushi.model.units import UnitSystem
from kakushi.packing.ball import BallGeometry
from kakushi.packing.link_frames import FrameGeometry
from kakushi.packing.stack import Geometry, Packing
from kakushi.packing.strands import Laid

G = TypeVar("G")


class Settled(NamedTuple):
    """A settled group at a height of its own: rows, or a ball, or only the height it takes, from `bottom` to `top`.

    `strand`: its rows are bent, and how; `frame`: it is an open frame of links.
    """

    rows: Geometry | None
    ball: BallGeometry | None
    bottom: float
    top: float
    strand: Laid | None = None
    frame: FrameGeometry | None = None

    def lifted(self, by: float) -> Settled:
        """This group `by` mm higher."""
        return Settled(
            self.rows.lifted(by) if self.rows is not None else None,
            self.ball.lifted(by) if self.ball is not None else None,
            self.bottom + by,
            self.top + by,
            self.strand.lifted(by) if self.strand is not None else None,
            self.frame.lifted(by) if self.frame is not None else None,
        )


class BalloonLine(NamedTuple):
    """Balloons that are brought on together: a row, a ball.

    `takes_pattern`: the layers colour them; else a slot without a colour of its own has the job's first.
    """

    role: BalloonRole
    slots: tuple[Slot, ...]
    takes_pattern: bool


class Wrapping(NamedTuple):
    """How a pole is wrapped: strands of modelling balloons in a style, inflated or flat; `colour` is a key."""

    style: str
    strands: int
    inflated: bool
    colour: str | None
    clockwise: bool = False


@dataclass(frozen=True, slots=True, kw_only=True)
class GroupKind(Generic[G]):
    """A kind of group. Functions take a group of that kind.

    `offered`: its words in the menu of what to add; `made(piece)`: a new one; `said(group, units)`: kind and size in a
    few words; `settle(group, packing, joint, foot_angle, cancelled)`: where its balloons lie, None for no room;
    `balloons(group)`: its lines of balloons; `without_paint(group)`: the same without colours, so that none settles
    anything; `wrapping(group)`: what of the pole it wraps.
    """

    value: type[G]
    offered: str
    made: Callable[[Piece], G]
    said: Callable[[G, UnitSystem], str]
    settle: Callable[[G, Packing, JointKind, float, Cancelled], Settled | None]
    balloons: Callable[[G], tuple[BalloonLine, ...]] = lambda _group: ()
    without_paint: Callable[[G], G] = lambda group: group
    wrapping: Callable[[G], Wrapping | None] = lambda _group: None


def without_colours(slots: tuple[Slot, ...]) -> tuple[Slot, ...]:
    """The slots without colours of their own."""
    return tuple(slot.model_copy(update={"colour": None, "inner_colour": None}) for slot in slots)


def length_only(
    group: ClearPole, _packing: Packing, _joint: JointKind, _foot_angle: float, _cancelled: Cancelled
) -> Settled:
    """A group that only takes up its height."""
    return Settled(None, None, 0.0, group.height_mm)
