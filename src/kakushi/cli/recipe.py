"""`kakushi recipe`: pieces kept as recipes, and built again."""

from __future__ import annotations

import argparse
import json
from pathlib import Path

from kakushi.cli.common import add_force, check_free, dossier_of, piece_named, planned, studio_of_user, write_told
from kakushi.cli.parser import Parser
from kakushi.cli.rescue import height_of
from kakushi.formats.export.recipe_json import recipe_json
from kakushi.formats.store.job_file import job_bytes
from kakushi.formats.store.paths import recipes_folder, shipped_recipes
from kakushi.formats.store.recipe_file import load_recipe, recipe_bytes, recipes_in
from kakushi.log.recipes import alike_colours, built_again, recipe_of
from kakushi.model.catalogue import DEFAULT_PALETTE, BalloonColour
from kakushi.model.errors import BadInput
from kakushi.model.units import UnitSystem
from kakushi.words.log import alike_words, recipe_words


def add_arguments(p: Parser) -> None:
    """Give the parser of the command its arguments."""
    acts = p.add_subparsers(dest="act", required=True, parser_class=Parser)
    save = acts.add_parser("save", help="keep a piece of a job as a recipe")
    save.add_argument("job", type=Path)
    save.add_argument("--piece", required=True)
    save.add_argument("-o", "--output", type=Path, required=True, metavar="FILE")
    add_force(save)
    save.set_defaults(run=_save)
    use = acts.add_parser("use", help="make a job of a recipe")
    use.add_argument("recipe", type=Path)
    use.add_argument("--roles", metavar="main=harbour-blue,…", help="colours of roles, by key, name or code")
    use.add_argument("--height", metavar="MM", help="another height, mm")
    use.add_argument("-o", "--output", type=Path, required=True, metavar="JOB")
    add_force(use)
    use.set_defaults(run=_use)
    listed = acts.add_parser("list", help="list the recipes on the shelf")
    listed.add_argument("--json", action="store_true", help="print JSON")
    listed.set_defaults(run=_list)


def _save(arguments: argparse.Namespace) -> None:
    plan = planned(arguments.job)
    recipe = recipe_of(dossier_of(plan), piece_named(plan, arguments.piece))
    check_free([arguments.output], arguments.force)
    write_told(arguments.output, recipe_bytes(recipe))


def _use(arguments: argparse.Namespace) -> None:
    recipe, studio = load_recipe(arguments.recipe), studio_of_user()
    colours = roles_of(arguments.roles, (*studio.palette, *DEFAULT_PALETTE))
    job = built_again(recipe, colours, height_of(arguments.height), studio)
    check_free([arguments.output], arguments.force)
    write_told(arguments.output, job_bytes(job))
    for pair in alike_colours(recipe, colours):
        print(f"note: {alike_words(pair)}")


def _list(arguments: argparse.Namespace) -> None:
    found = recipes_in(recipes_folder(), shipped_recipes())
    if arguments.json:
        print(json.dumps({"recipes": [recipe_json(path, recipe) for path, recipe in found]}, indent=1))
        return
    for _, recipe in found:
        print(recipe_words(recipe, UnitSystem.METRIC))


def roles_of(text: str | None, palette: tuple[BalloonColour, ...]) -> dict[str, BalloonColour]:
    """Colours of roles from words like “main=harbour-blue,second=sail white”. Raises BadInput."""
    roles: dict[str, BalloonColour] = {}
    for words in filter(None, (part.strip() for part in (text or "").split(","))):
        role, equals, name = words.partition("=")
        wanted = name.strip().casefold()
        if not equals or not wanted:
            raise BadInput(f"“{words[:40]}” is not understood: write main=harbour-blue.", "roles")
        colour = next((c for c in palette if wanted in (c.key.casefold(), c.name.casefold(), c.code.casefold())), None)
        if colour is None:
            names = ", ".join(c.key for c in palette[:12])
            raise BadInput(f"No colour is called “{name.strip()[:40]}”; there are {names}.", "roles")
        roles[role.strip()] = colour
    return roles
