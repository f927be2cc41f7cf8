"""Pieces kept as recipes, and built again: in other colours, at another height."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterable, Iterator, Mapping
from typing import NamedTuple

import numpy as np

from kakushi.building.step import Step
from kakushi.colour.lab import differences
from kakushi.model.catalogue import BalloonColour, Studio
from kakushi.model.errors import BadInput
from kakushi.model.job import Brief, Job
from kakushi.model.piece import Copy, Piece
from kakushi.model.recipe import ROLES, Recipe, RecipeFacts
from kakushi.model.recolour import colours_named, with_colours
from kakushi.model.values import replace
from kakushi.plan.heights import at_height
from kakushi.plan.pipeline import plan
from kakushi.plan.values import PiecePlan
from kakushi.workshop.dossier import Dossier

_ALIKE = 10.0
"""ΔE00 below which two colours beside each other are hardly told apart from some steps away."""
_ROUNDS = 6
"""Most times that rows are sized again for a height."""


class AlikeColours(NamedTuple):
    """Two roles whose colours can hardly be told apart."""

    one: str
    other: str


def recipe_of(
    dossier: Dossier, piece_plan: PiecePlan, name: str = "", popped: int = 0, photos: tuple[bytes, ...] = ()
) -> Recipe:
    """Keep a piece as a recipe. Its colours become roles, the one with most balloons first."""
    job, piece = dossier.plan.job, piece_plan.piece
    steps = [step for step in dossier.steps_of_piece(piece.key) if step.copy == 0]
    roles = _roles_of(steps, piece, job)
    palette = tuple(_of_role(job, key, role, roles) for key, role in roles.items())
    kept = replace(with_colours(piece, roles), key=1, copies=(Copy(),), locked=False)
    brief = Brief(title=(name or piece.name)[:80])
    # What was driven for the whole job says nothing of one piece.
    pricing = replace(job.pricing, delivery=0.0)
    facts = RecipeFacts(
        name=brief.title,
        height_mm=round(piece_plan.measured_height_mm, 1),
        balloons=piece_plan.balloon_count,
        sizes=piece_plan.distinct_sizes,
        popped=popped,
        currency=job.pricing.currency,
        heights_mm=tuple(sorted({round(piece.target_height_mm, 1)})),
    )
    recipe = Recipe(Job(brief=brief, palette=palette, pieces=(kept,), pricing=pricing), facts, photos)
    # Priced as a job of its own, as every quote of it will be.
    alone = Dossier(plan(built_again(recipe, {}), dossier.plan.studio))
    return recipe._replace(facts=replace(facts, minutes=round(alone.minutes, 1), price=alone.cost.price))


def _roles_of(steps: Iterable[Step], piece: Piece, job: Job) -> dict[str, str]:
    """The role of each colour of a piece by its key; of one that is two balloons in each other, of both too."""
    used = Counter[str]()
    for step in steps:
        for use in step.uses:
            if use.is_balloon:
                used[use.kind[1]] += int(use.count)
    named = colours_named(piece)
    keys = sorted({*used, *named}, key=lambda key: (-used[key], -named[key], key))
    for key in list(keys):
        colour = job.colour(key)
        keys += [inner for inner in (colour.outer, colour.inner) if inner and inner not in keys]
    return {key: ROLES[n] if n < len(ROLES) else f"{ROLES[-1]} {n - len(ROLES) + 2}" for n, key in enumerate(keys)}


def _of_role(job: Job, key: str, role: str, roles: Mapping[str, str]) -> BalloonColour:
    colour = job.colour(key)
    inside = {name: roles.get(getattr(colour, name) or "") for name in ("outer", "inner")}
    return replace(colour, key=role, name=colour.name, **inside)


def built_again(
    recipe: Recipe,
    colours: Mapping[str, BalloonColour],
    height_mm: float | None = None,
    studio: Studio | None = None,
) -> Job:
    """A job with the piece of a recipe: colours for some roles, the others as they were; another height.

    Raises BadInput for roles that are none, and heights it cannot be built in.
    """
    roles = {colour.key for colour in recipe.roles}
    if unknown := sorted(set(colours) - roles):
        raise BadInput(f"The recipe has no role “{unknown[0][:40]}”; it has {', '.join(sorted(roles))}.", "roles")
    chosen = {colour.key: colours.get(colour.key) or _as_it_was(colour) for colour in recipe.roles}
    palette = {colour.key: colour for colour in chosen.values()}
    codes = Counter[str]()
    for key, colour in palette.items():
        codes[colour.code] += 1
        if codes[colour.code] > 1:
            palette[key] = replace(colour, code=f"{colour.code[:3]}{codes[colour.code]}")
    piece = recipe.piece if height_mm is None else at_height(recipe.piece, height_mm, studio or Studio())
    piece = with_colours(piece, {role: colour.key for role, colour in chosen.items()})
    return replace(recipe.job, palette=tuple(palette.values()), pieces=(piece,))


def _as_it_was(colour: BalloonColour) -> BalloonColour:
    """The colour of a role under a key of its own: its name, as in palettes."""
    key = "-".join("".join(c if c.isalnum() else " " for c in colour.name.casefold()).split())[:60]
    return replace(colour, key=key or colour.key, outer=None, inner=None)


def alike_colours(recipe: Recipe, colours: Mapping[str, BalloonColour]) -> Iterator[AlikeColours]:
    """Roles whose colours can hardly be told apart."""
    chosen = [(colour.key, (colours.get(colour.key) or colour).hex) for colour in recipe.roles]
    if len(chosen) < 2:
        return
    apart = differences(tuple(hex_ for _, hex_ in chosen))
    for i, j in zip(*np.triu_indices(len(chosen), 1), strict=True):
        if apart[i, j] < _ALIKE:
            yield AlikeColours(chosen[i][0], chosen[j][0])
