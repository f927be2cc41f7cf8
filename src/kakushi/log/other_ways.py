"""A recipe built in other ways: of other sizes of balloons, small and large; how well it matches an outline."""

from __future__ import annotations

from collections.abc import Collection, Iterable, Iterator
from contextlib import suppress
from pathlib import Path

from kakushi.log.recipes import built_again
from kakushi.model.catalogue import Studio
from kakushi.model.errors import BadInput, KakushiError, Length
from kakushi.model.groups import BallGroup, Group, Row, RowsGroup, Slot
from kakushi.model.job import Job
from kakushi.model.memo import Cancelled, never
from kakushi.model.outline import Outline
from kakushi.model.piece import Piece
from kakushi.model.recipe import Recipe
from kakushi.model.units import format_nominal
from kakushi.model.values import replace
from kakushi.plan.heights import at_height
from kakushi.plan.pipeline import plan
from kakushi.workshop.buying import Shortage
from kakushi.workshop.dossier import Dossier
from kakushi.workshop.offers import Offer, offers


def of_sizes(piece: Piece, nominals: Collection[float], studio: Studio) -> Piece:
    """A piece of the nominal sizes (in) that are at hand, its rows and balls sized as they were.

    Each balloon keeps its nominal size where that is among them; else it is of the smallest that can be blown up so
    far. Raises BadInput where none can.
    """
    return replace(piece, groups=tuple(_group_of_sizes(group, nominals, studio) for group in piece.groups))


def _group_of_sizes(group: Group, nominals: Collection[float], studio: Studio) -> Group:
    if isinstance(group, RowsGroup):
        return replace(group, rows=tuple(_row_of_sizes(row, nominals, studio) for row in group.rows))
    if isinstance(group, BallGroup):
        return replace(group, slots=tuple(_of_size(slot, nominals, studio) for slot in group.slots))
    # Links and what hides them are bought for each other.
    return group


def _row_of_sizes(row: Row, nominals: Collection[float], studio: Studio) -> Row:
    slots = tuple(_of_size(slot, nominals, studio) for slot in row.slots)
    # Strokes fill a balloon of another size to another diameter; a range or a reference stays what it is.
    holds = slots == row.slots or row.sizing is None or row.sizing.by in ("range", "reference")
    return replace(row, slots=slots, sizing=row.sizing if holds else None)


def _of_size(slot: Slot, nominals: Collection[float], studio: Studio) -> Slot:
    if slot.nominal_in in nominals:
        return slot
    for size in sorted(studio.nominals, key=lambda size: size.nominal_in):
        if size.nominal_in in nominals and size.smallest_mm <= slot.diameter_mm <= size.largest_mm:
            return replace(slot, nominal_in=size.nominal_in)
    listed = ", ".join(map(format_nominal, sorted(nominals))) or "none"
    raise BadInput(
        "No balloon of the sizes at hand ({listed}) can be blown up to {wanted}.",
        "sizes", listed=listed, wanted=Length(slot.diameter_mm),
    )  # fmt: skip


def sizes_in_stock(studio: Studio) -> frozenset[float]:
    """Nominal sizes, in, of which there are balloons in stock."""
    return frozenset(item.nominal_in for item in studio.stock if item.balloons)


def match_with(
    recipe: Recipe, outline: Outline, height_mm: float, studio: Studio, cancelled: Cancelled = never
) -> float | None:
    """How well a recipe, built as tall, matches an outline: 0 to 1; None where it cannot be built so.

    Raises `errors.Cancelled`.
    """
    try:
        piece = replace(at_height(recipe.piece, height_mm, studio), outline=outline, target_height_mm=height_mm)
        found = plan(replace(recipe.job, pieces=(piece,)), studio, cancelled).pieces[0]
    except BadInput:
        return None
    return found.match.mean if found.match else None


def matches_of(
    recipes: Iterable[tuple[Path, Recipe]], like: Piece, studio: Studio, cancelled: Cancelled = never
) -> dict[Path, float]:
    """Match of each recipe, by its file, with a piece's outline at its height; what cannot be built so is left out."""
    matches = {
        path: match_with(recipe, like.outline, like.target_height_mm, studio, cancelled) for path, recipe in recipes
    }
    return {path: match for path, match in matches.items() if match is not None}


def quoted_again(recipe: Recipe, studio: Studio, cancelled: Cancelled = never) -> list[Offer]:
    """The piece of a recipe small, as it was and large, each fitted and priced. Raises `errors.Cancelled`."""
    return offers(Dossier(plan(built_again(recipe, {}), studio, cancelled)), cancelled=cancelled)


def short_of(job: Job, studio: Studio) -> Iterator[Shortage]:
    """What stock does not cover of a job with a recipe's piece; nothing where no stock is kept."""
    if not studio.stock:
        return
    # What its plan has to say against it is said where it is planned.
    with suppress(KakushiError):
        yield from Dossier(plan(job, studio)).shortages
