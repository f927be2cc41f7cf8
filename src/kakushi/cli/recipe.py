"""`kakushi recipe`: pieces kept as recipes, and built again."""

from __future__ import annotations

import argparse
import json
from pathlib import Path

from kakushi.cli.common import (
    add_force,
    add_units,
    check_free,
    dossier_of,
    nominals_named,
    outline_named,
    piece_named,
    planned,
    studio_of_user,
    wording_of,
    write_told,
)
from kakushi.cli.parser import Parser
from kakushi.cli.rescue import height_of
from kakushi.formats.export.recipe_json import recipe_json
from kakushi.formats.read.photograph import small_photo
from kakushi.formats.store.job_file import job_bytes, load_job_file
from kakushi.formats.store.paths import recipes_folder, shipped_recipes
from kakushi.formats.store.recipe_file import load_recipe, recipe_bytes, recipes_in
from kakushi.log.other_ways import matches_of, of_sizes, quoted_again, short_of
from kakushi.log.recipes import alike_colours, built_again, recipe_of
from kakushi.model.catalogue import DEFAULT_PALETTE, BalloonColour
from kakushi.model.errors import BadInput
from kakushi.model.piece import Piece
from kakushi.model.units import UnitSystem
from kakushi.model.values import replace
from kakushi.words.log import alike_words, recipe_words
from kakushi.words.sheet import shortage_words
from kakushi.words.transport import offer_words
from kakushi.words.wording import Wording

_USUAL_HEIGHT_MM = 2000.0
"""Height that recipes are compared at where none is asked for, mm: that of a gate column."""


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
    use.add_argument("--sizes", metavar="5,11", help="nominal sizes at hand, inches; others take their place")
    use.add_argument("--outdoors", action="store_true", help="built outdoors: cautions, spares and wind for that")
    use.add_argument("-o", "--output", type=Path, required=True, metavar="JOB")
    add_force(use)
    use.set_defaults(run=_use)
    listed = acts.add_parser("list", help="list the recipes on the shelf")
    listed.add_argument("--like", metavar="OUTLINE", help="sort by match with an outline: a file, or a preset")
    listed.add_argument("--height", metavar="MM", help="how tall it is to be, mm (default 2000)")
    listed.add_argument("--json", action="store_true", help="print JSON")
    listed.set_defaults(run=_list)
    quote = acts.add_parser("quote", help="price a recipe small, as it was and large")
    quote.add_argument("recipe", type=Path)
    add_units(quote)
    quote.set_defaults(run=_quote)


def _save(arguments: argparse.Namespace) -> None:
    plan, record = planned(arguments.job), load_job_file(arguments.job).record
    piece_plan = piece_named(plan, arguments.piece)
    taken = (photo.picture for photo in record.photos if photo.piece == piece_plan.piece.key and photo.picture)
    recipe = recipe_of(dossier_of(plan), piece_plan, photos=tuple(map(small_photo, taken)))
    check_free([arguments.output], arguments.force)
    write_told(arguments.output, recipe_bytes(recipe))


def _use(arguments: argparse.Namespace) -> None:
    recipe, studio = load_recipe(arguments.recipe), studio_of_user()
    colours = roles_of(arguments.roles, (*studio.palette, *DEFAULT_PALETTE))
    job = built_again(recipe, colours, height_of(arguments.height), studio)
    if arguments.sizes:
        job = replace(job, pieces=(of_sizes(job.pieces[0], nominals_named(arguments.sizes, "--sizes"), studio),))
    if arguments.outdoors:
        job = replace(job, brief=replace(job.brief, place="outdoors"))
    check_free([arguments.output], arguments.force)
    write_told(arguments.output, job_bytes(job))
    for pair in alike_colours(recipe, colours):
        print(f"note: {alike_words(pair)}")
    for shortage in short_of(job, studio):
        print(f"note: {shortage_words(shortage, Wording(job))}")


def _list(arguments: argparse.Namespace) -> None:
    found = recipes_in(recipes_folder(), shipped_recipes())
    matches: dict[Path, float] = {}
    if arguments.like:
        height = height_of(arguments.height) or _USUAL_HEIGHT_MM
        outline, _, _ = outline_named(arguments.like, height, straightened=True)
        wanted = Piece(key=1, name="wanted", target_height_mm=height, outline=outline)
        matches = matches_of(found, wanted, studio_of_user())
        found.sort(key=lambda each: -matches.get(each[0], 0.0))
    if arguments.json:
        told = [recipe_json(path, recipe, matches.get(path)) for path, recipe in found]
        print(json.dumps({"recipes": told}, indent=1))
        return
    for path, recipe in found:
        print(recipe_words(recipe, UnitSystem.METRIC, matches.get(path)))


def _quote(arguments: argparse.Namespace) -> None:
    recipe = load_recipe(arguments.recipe)
    made, units = quoted_again(recipe, studio_of_user()), wording_of(recipe.job, arguments.units).units
    print("\n".join(offer_words(made, recipe.facts.currency, units)))


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
