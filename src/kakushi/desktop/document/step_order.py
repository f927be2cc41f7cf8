"""The order in which the steps of a piece are done: the usual one, or the sculptor's own."""

from __future__ import annotations

from collections.abc import Callable
from typing import TYPE_CHECKING

from kakushi.session.edits import set_piece
from kakushi.session.session import Edit

if TYPE_CHECKING:
    from kakushi.building.own_order import TooEarly
    from kakushi.desktop.document.builder import Builder


class StepOrder:
    """Changes the order of the steps of the copy that is built; all copies of the piece follow."""

    def __init__(self, builder: Builder, apply: Callable[[Edit], bool]) -> None:
        self._builder, self._apply = builder, apply

    def move(self, key: str, to: int) -> TooEarly | None:
        """Do a step at another place (from 0) of the order; None, or what that would break."""
        from kakushi.building.own_order import TooEarly, moved, name_of_step

        copy = self._builder.copy
        if copy is None or copy[0] is None:
            return None
        order = moved([step for step in self._builder.of(copy) if step.kind != "put right"], key, to)
        if isinstance(order, TooEarly):
            return order
        self._builder.stay_with(copy, key)
        self._apply(set_piece(copy[0], "Move step", step_order=tuple(map(name_of_step, order))))
        return None

    def take_usual(self) -> None:
        """Do the steps in the usual order again."""
        copy = self._builder.copy
        if copy is not None and copy[0] is not None:
            self._builder.stay_with(copy)
            self._apply(set_piece(copy[0], "Usual order of steps", step_order=()))

    @property
    def is_own(self) -> bool:
        """Whether the steps are in an order of the sculptor's own."""
        copy = self._builder.copy
        piece_plan = self._builder.plan.piece(copy[0]) if copy is not None and copy[0] is not None else None
        return piece_plan is not None and bool(piece_plan.piece.step_order)
