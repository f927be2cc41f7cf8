"""Pieces kept as recipes, and built again: in other colours, at another height."""

from __future__ import annotations

import math
from collections import Counter
from collections.abc import Iterable, Iterator, Mapping, Sequence
from typing import NamedTuple

import numpy as np

from kakushi.building.step import Step
from kakushi.colour.lab import differences
from kakushi.model.catalogue import BalloonColour, Studio
from kakushi.model.errors import BadInput, Length
from kakushi.model.groups import BarePoleGroup, Group, LinkFrameGroup, RoomGroup, Row, RowsGroup
from kakushi.model.job import Brief, Job
from kakushi.model.limits import LARGEST_HEIGHT_MM, SMALLEST_HEIGHT_MM
from kakushi.model.piece import Copy, Piece
from kakushi.model.recipe import ROLES, Recipe, RecipeFacts
from kakushi.model.recolour import colours_named, with_colours
from kakushi.model.values import replace
from kakushi.plan.geometry import assembly_of, column_target_mm
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
    share = sum(step.minutes for step in steps) / max(dossier.minutes, 1e-9)
    facts = RecipeFacts(
        name=(name or piece.name)[:80],
        height_mm=round(piece_plan.measured_height_mm, 1),
        balloons=piece_plan.balloon_count,
        sizes=piece_plan.distinct_sizes,
        minutes=round(sum(step.minutes for step in steps), 1),
        popped=popped,
        price=round(dossier.cost.price * min(share, 1.0), 2),
        currency=job.pricing.currency,
        heights_mm=tuple(sorted({round(piece.target_height_mm, 1)})),
    )
    return Recipe(Job(brief=Brief(title=facts.name), palette=palette, pieces=(kept,)), facts, photos)


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
    piece = with_colours(recipe.piece, {role: colour.key for role, colour in chosen.items()})
    if height_mm is not None:
        piece = at_height(piece, height_mm, studio or Studio())
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


# --- another height ------------------------------------------------------------------------------


def at_height(piece: Piece, height_mm: float, studio: Studio) -> Piece:
    """A piece at another height, with the counts, ratios of sizes and pattern that it has.

    Rows are repeated or left out evenly, then all sized alike until the column is as tall as asked. What has no rows,
    or is bent, is scaled by its measures. Raises BadInput for a height that its balloons do not reach.
    """
    if not SMALLEST_HEIGHT_MM <= height_mm <= LARGEST_HEIGHT_MM:
        low, high = Length(SMALLEST_HEIGHT_MM), Length(LARGEST_HEIGHT_MM)
        raise BadInput("A height is between {low} and {high}.", "height", low=low, high=high)
    by = height_mm / max(piece.target_height_mm, 1.0)
    wished = replace(piece, target_height_mm=height_mm, groups=tuple(_scaled(group, by) for group in piece.groups))
    straight = [k for k, g in enumerate(wished.groups) if isinstance(g, RowsGroup) and g.rows and g.strand is None]
    if not straight:
        return wished
    counts = [_shared_out(len(wished.groups[k].rows), by) for k in straight]  # type: ignore[union-attr]
    best, missed = wished, math.inf
    factor = 1.0
    for _ in range(_ROUNDS):
        tried = _sized(wished, straight, counts, factor, studio)
        assembly = assembly_of(tried, tried.groups, studio)
        target, top = column_target_mm(tried, assembly), assembly.top
        if abs(top - target) < missed:
            best, missed = tried, abs(top - target)
        step = target / max(top, 1.0)
        if missed <= studio.sizer.step_mm / 2 or abs(step - 1) < 1e-3:
            break
        factor *= step
    if missed > _MAY_MISS * height_mm:
        raise BadInput("Its balloons do not reach {height}.", "height", height=Length(height_mm))
    return best


_MAY_MISS = 0.08
"""Share of a height by which a piece may miss it before it cannot be built so."""


def _scaled(group: Group, by: float) -> Group:
    """Scale what is measured, not counted: paths of strands, heights of room and bare pole, heights things hang at."""
    if isinstance(group, RowsGroup):
        group = replace(group, anchor=replace(group.anchor, height_mm=group.anchor.height_mm * by))
        if group.strand is not None:
            path = group.strand.path
            names = ("width_mm", "height_mm", "tail_mm")
            if path.kind == "preset":
                path = replace(path, **{name: round(getattr(path, name) * by, 1) for name in names})
            else:
                points = tuple(replace(p, x_mm=p.x_mm * by, z_mm=p.z_mm * by) for p in path.points)
                path = replace(path, points=points)
            return replace(group, strand=replace(group.strand, path=path, x_mm=group.strand.x_mm * by))
        return group
    if isinstance(group, LinkFrameGroup):
        joints = tuple(replace(j, x_mm=j.x_mm * by, y_mm=j.y_mm * by, z_mm=j.z_mm * by) for j in group.joints)
        chains = tuple(replace(chain, length_mm=chain.length_mm * by) for chain in group.chains)
        return replace(group, joints=joints, chains=chains)
    if isinstance(group, RoomGroup | BarePoleGroup):
        return replace(group, height_mm=group.height_mm * by)
    return group


def _shared_out(rows: int, by: float) -> list[int]:
    """Which of so many rows each of the new ones is like, foot first."""
    new = max(round(rows * by), 1)
    return [min(int((k + 0.5) * rows / new), rows - 1) for k in range(new)]


def _sized(piece: Piece, places: Sequence[int], like: Sequence[Sequence[int]], factor: float, studio: Studio) -> Piece:
    groups, key = list(piece.groups), max((row.key for row in piece.rows), default=0)
    for place, rows_like in zip(places, like, strict=True):
        group = groups[place]
        assert isinstance(group, RowsGroup)
        rows: list[Row] = []
        used = set[int]()
        for old in rows_like:
            row = group.rows[old]
            if row.key in used:
                # A row that is there twice needs a name of its own.
                key += 1
                row = replace(row, key=key)
            used.add(row.key)
            rows.append(_row_sized(row, factor, studio))
        groups[place] = replace(group, rows=tuple(rows))
    return replace(piece, groups=tuple(groups))


def _row_sized(row: Row, factor: float, studio: Studio) -> Row:
    """A row with all sizes changed alike, on the sizer, within what its balloons reach."""
    slots = []
    for slot in row.slots:
        size = studio.nominal(slot.nominal_in)
        wanted = studio.sizer.stepped(slot.diameter_mm * factor, 0) if factor != 1.0 else slot.diameter_mm
        low, high = (size.smallest_mm, size.largest_mm) if size else (wanted, wanted)
        slots.append(
            replace(slot, diameter_mm=min(max(wanted, min(low, slot.diameter_mm)), max(high, slot.diameter_mm)))
        )
    return replace(row, slots=tuple(slots))
