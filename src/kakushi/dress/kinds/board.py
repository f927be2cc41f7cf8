"""Boards: flat signs that face away from the pole."""

from __future__ import annotations

from collections.abc import Iterator

from kakushi.dress.bodies import NO_BODY, Body, sheet
from kakushi.dress.kind import BallMaterial, PartKind, Surroundings, extended_wind, placed_spot
from kakushi.dress.kinds.hung_load import FIXINGS_WANTED, OFF_POLE_MM, fixing_wishes, things_hung
from kakushi.model.parts import Board
from kakushi.model.used import Used


def _made(key: int, around: Surroundings) -> Board:
    high = around.at_most(1200)
    return Board(
        key=key, name="board", height_mm=high, offset_mm=min(OFF_POLE_MM, round(high / 4, -1)), mass_g=300,
        wide_mm=400, tall_mm=250, deep_mm=5, fixings=FIXINGS_WANTED, colour=around.colour,
    )  # fmt: skip


def _body(part: Board) -> Body:
    return sheet(part.wide_mm, part.tall_mm, part.deep_mm or 5.0, part.colour) if part.colour else NO_BODY


def _uses(part: Board) -> Iterator[Used]:
    yield Used(item=f"board: {part.name or 'board'}", count=1.0)


KIND = PartKind(
    value=Board,
    words="board",
    order=1,
    step="hang",
    made=_made,
    counted_as="hung load",
    things=things_hung,
    is_marked=True,
    spot=placed_spot,
    wind=extended_wind,
    uses=_uses,
    wishes=fixing_wishes,
    body=_body,
    is_main=True,
    skin=BallMaterial.SOLID,
)
