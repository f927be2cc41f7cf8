"""Layers of colour laid over a piece: base patterns, accents, motifs. See `docs/colour.md`.

A layer knows rows from the foot and shares of the height, never single rows, so it outlives every change of the rows.
"""

from __future__ import annotations

from enum import StrEnum
from typing import Annotated, Literal

from pydantic import Field, model_validator

from kakushi.model.limits import ColourKey
from kakushi.model.values import Value

MAX_PATTERN_ROWS = 1000
"""Longest pattern, rows: twice the tallest piece."""
MAX_MOTIF_SIDE = 64
"""Largest motif, slots a side: no piece has more around."""

Colours = Annotated[tuple[ColourKey, ...], Field(min_length=1, max_length=12, fail_fast=True)]
Rows = Annotated[int, Field(ge=1, le=MAX_PATTERN_ROWS)]
Seed = Annotated[int, Field(ge=0, le=999_999)]


class Hand(StrEnum):
    """Spiral hand: which way a colour climbs."""

    RIGHT = "right"
    LEFT = "left"


class Side(StrEnum):
    """Where a motif is seen."""

    FRONT = "front"
    FRONT_AND_BACK = "front and back"
    ALL_ROUND = "all round"


class SolidLayer(Value):
    """One colour all over."""

    kind: Literal["solid"] = "solid"
    colour: ColourKey
    shown: bool = True


class SpiralLayer(Value):
    """Lanes of colour, laid round the row in slot order, climbing with a hand.

    A lane climbs `lead` half slots per row; with `reverse_every` rows the hand changes: chevrons.
    """

    kind: Literal["spiral"] = "spiral"
    lanes: Colours
    hand: Hand = Hand.RIGHT
    lead: int = Field(default=1, ge=1, le=9)
    reverse_every: int = Field(default=0, ge=0, le=MAX_PATTERN_ROWS)
    shown: bool = True


class StripesLayer(Value):
    """Vertical stripes: lanes round the row. Packed rows make them climb in zigzags."""

    kind: Literal["stripes"] = "stripes"
    lanes: Colours
    shown: bool = True


class Band(Value):
    """So many rows of one colour."""

    colour: ColourKey
    rows: Rows


class BandsLayer(Value):
    """Bands from the foot up, repeated to the top."""

    kind: Literal["bands"] = "bands"
    bands: Annotated[tuple[Band, ...], Field(min_length=1, max_length=50, fail_fast=True)]
    shown: bool = True


class RingsLayer(Value):
    """Rings of accent: every so many rows one, the first at row `first`; what lies under shows between."""

    kind: Literal["rings"] = "rings"
    colour: ColourKey
    every: Rows = 4
    first: Rows = 1
    high: Rows = 1
    shown: bool = True


class ChecksLayer(Value):
    """Staggered checks `wide` slots across and `high` rows tall."""

    kind: Literal["checks"] = "checks"
    colours: Annotated[tuple[ColourKey, ...], Field(min_length=2, max_length=6, fail_fast=True)]
    wide: int = Field(default=1, ge=1, le=12)
    high: Rows = 1
    shown: bool = True


class DiamondsLayer(Value):
    """Diamonds, `around` of them round the piece, each `high` rows tall, colours from the middle out.

    An empty last colour lets what lies under show. `staggered`: every second tier is moved on by half a diamond.
    """

    kind: Literal["diamonds"] = "diamonds"
    colours: Annotated[tuple[ColourKey, ...], Field(min_length=1, max_length=6, fail_fast=True)]
    around: int = Field(default=2, ge=1, le=12)
    high: int = Field(default=7, ge=2, le=MAX_PATTERN_ROWS)
    staggered: bool = False
    shown: bool = True


class SizesLayer(Value):
    """Lanes for the large balloons of a row and others for its small ones, in slot order.

    They move on by `lead` from row to row. Rows of one size are large or small beside the other rows.
    """

    kind: Literal["sizes"] = "sizes"
    large: Colours
    small: Colours
    lead: int = Field(default=0, ge=0, le=9)
    shown: bool = True


class GradientLayer(Value):
    """Colour graded from foot to top, in whole rows or, `dithered`, balloon by balloon."""

    kind: Literal["gradient"] = "gradient"
    colours: Annotated[tuple[ColourKey, ...], Field(min_length=2, max_length=6, fail_fast=True)]
    dithered: bool = False
    shown: bool = True


class Share(Value):
    """A colour's part of a mix; only the ratio of the parts counts."""

    colour: ColourKey
    parts: float = Field(gt=0, le=10_000)


class MixLayer(Value):
    """A free mix with exact shares, as few touching balloons alike as can be; `seed` picks one of many."""

    kind: Literal["mix"] = "mix"
    shares: Annotated[tuple[Share, ...], Field(min_length=1, max_length=12, fail_fast=True)]
    seed: Seed = 1
    shown: bool = True


class MotifLayer(Value):
    """A small picture laid on the surface. `cells` are its lines from the top, "" where nothing is laid.

    It is `tall` (share of the piece's height) and proportionate, its middle at `middle` (share of the height) and
    `turn_deg` anticlockwise from the front.
    """

    kind: Literal["motif"] = "motif"
    name: str = Field(default="", max_length=60)
    cells: Annotated[
        tuple[Annotated[tuple[ColourKey, ...], Field(min_length=1, max_length=MAX_MOTIF_SIDE, fail_fast=True)], ...],
        Field(min_length=1, max_length=MAX_MOTIF_SIDE, fail_fast=True),
    ]
    side: Side = Side.FRONT
    tall: float = Field(default=0.4, ge=0.02, le=1.5)
    middle: float = Field(default=0.5, ge=0, le=1)
    turn_deg: float = Field(default=0.0, ge=-180, le=180)
    mirrored: bool = False
    shown: bool = True

    @model_validator(mode="after")
    def _lines_are_alike(self) -> MotifLayer:
        if len({len(line) for line in self.cells}) != 1:
            raise ValueError("the lines of a motif have different lengths")
        return self


ColourLayer = Annotated[
    SolidLayer | SpiralLayer | StripesLayer | BandsLayer | RingsLayer | ChecksLayer | DiamondsLayer | SizesLayer
    | GradientLayer | MixLayer | MotifLayer,
    Field(discriminator="kind"),
]  # fmt: skip
