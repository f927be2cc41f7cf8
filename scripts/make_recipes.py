"""Make the recipes that ship with the program of the pieces of the demo job.

Run: .venv/bin/python scripts/make_recipes.py
"""

from __future__ import annotations

from kakushi.formats.store.job_file import load_job
from kakushi.formats.store.paths import demo_job_path, shipped_recipes
from kakushi.formats.store.recipe_file import file_name_of, save_recipe
from kakushi.log.recipes import recipe_of
from kakushi.model.catalogue import Studio
from kakushi.plan.pipeline import plan
from kakushi.workshop.dossier import Dossier


def main() -> None:
    """Write one file for each piece."""
    dossier = Dossier(plan(load_job(demo_job_path()), Studio()))
    shipped_recipes().mkdir(exist_ok=True)
    for piece in dossier.plan.pieces:
        recipe = recipe_of(dossier, piece)
        save_recipe(recipe, shipped_recipes() / file_name_of(recipe))


if __name__ == "__main__":
    main()
