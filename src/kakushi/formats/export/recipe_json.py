"""Recipes of the shelf as JSON."""

from __future__ import annotations

from pathlib import Path
from typing import Any

from kakushi.model.recipe import Recipe


def recipe_json(path: Path, recipe: Recipe, match: float | None = None) -> dict[str, Any]:
    """A recipe: what is told of it, its roles and its file; how well it matches the outline that was asked for."""
    roles = [{"role": colour.key, "colour": colour.name, "hex": colour.hex} for colour in recipe.roles]
    told = {} if match is None else {"match_mean": round(match, 4)}
    return {**recipe.facts.model_dump(mode="json"), "roles": roles, "file": str(path), **told}
