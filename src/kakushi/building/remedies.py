"""Ways out of trouble as values: what is done, and what it leads to."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal, NamedTuple

from kakushi.model.piece import Piece
from kakushi.model.used import Used
from kakushi.plan.values import PiecePlan

Kind = tuple[float, str]
"""Nominal size, in, and colour key of a balloon."""


class Resized(NamedTuple):
    """The rows to come, as many or one more or fewer, resized; where the piece then ends.

    `changed` of `rows` rows, by `most_mm` at most, larger or (negative) smaller. `is_short`: their balloons reach no
    farther. `on_path`: it ends along a strand's path.
    """

    what: Literal["same", "more", "smaller more", "fewer"]
    rows: int
    changed: int
    most_mm: float
    ends_mm: float
    wished_mm: float
    is_short: bool
    on_path: bool = False


class AllBuilt(NamedTuple):
    """No row is left that could change anything."""


class Enough(NamedTuple):
    """Nothing is missing."""


class Fetch(NamedTuple):
    """More balloons of a kind fetched."""

    kind: Kind
    many: int


class OtherNominal(NamedTuple):
    """Balloons of another nominal size (in), sized like those of the kind that is short."""

    kind: Kind
    many: int
    nominal_in: float


class Recoloured(NamedTuple):
    """Places of a kind in other colours: on the side nobody sees, in the last rows, or spread; rows from 0.

    Of an open frame the last joints, by their numbers less 1.
    """

    kind: Kind
    many: int
    where: Literal["unseen", "last", "spread", "joints"]
    colours: tuple[str, ...]
    rows: tuple[int, ...]


class AsPlanned(NamedTuple):
    """A slot has the colour that was planned; row and slot from 0."""

    row: int
    slot: int
    colour: str


class Exchange(NamedTuple):
    """The wrong balloon exchanged with the one in another slot (from 0) that should be there."""

    slot: int
    planned: str


class Untie(NamedTuple):
    """The wrong balloon untied and the planned one put in; row and slot from 0."""

    row: int
    slot: int
    planned: str


class Leave(NamedTuple):
    """The wrong balloon left where it is."""

    there: str
    planned: str


class LookMeant(NamedTuple):
    """The wrong colour repeated on that side in every other row to come.

    `places`: row and slot, from 0; `planned`: the colours that they were to have.
    """

    colour: str
    places: tuple[tuple[int, int], ...]
    planned: tuple[str, ...]


class LiveWith(NamedTuple):
    """A wrong size left as it is: how much higher the piece ends, and by how much the match changes."""

    higher_mm: float
    match: float


class Redo(NamedTuple):
    """A row (from 0) to lay again, and the number of rows above it."""

    row: int
    above: int


class Several(NamedTuple):
    """Several things done together, because several kinds are short."""

    remedies: tuple[Remedy, ...]


Remedy = (
    Resized | AllBuilt | Enough | Fetch | OtherNominal | Recoloured | AsPlanned | Exchange | Untie | Leave | LookMeant
    | LiveWith | Redo | Several
)  # fmt: skip


@dataclass(frozen=True, slots=True, eq=False)
class RescueOption:
    """One way out: its remedy, the edited piece (None where the plan stays), its plan, and its cost.

    `uses`: balloons of the rows not yet built. `balloons` and `minutes` more than before; `noticed`: how much the
    client sees of it, 0 for nothing. `supply`: of each kind whose stock is known what the way needs and what is left.
    """

    remedy: Remedy
    piece: Piece | None
    planned: PiecePlan
    uses: tuple[Used, ...]
    balloons: int
    minutes: float
    noticed: float
    supply: tuple[tuple[Kind, int, int], ...] = ()

    @property
    def height_mm(self) -> float:
        """The height it ends at."""
        return self.planned.measured_height_mm

    @property
    def match(self) -> float | None:
        """Mean match with the outline."""
        return self.planned.match.mean if self.planned.match else None
