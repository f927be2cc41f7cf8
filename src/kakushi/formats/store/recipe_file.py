"""Recipe files: a job of one piece whose palette are roles, with a note of what it took. Read without trust."""

from __future__ import annotations

import io
import json
import zipfile
from pathlib import Path

from pydantic import ValidationError

from kakushi.formats.store.atomic import reason, write_atomically
from kakushi.formats.store.bounded_json import bounded_json
from kakushi.formats.store.job_file import entry_of_archive, job_bytes, job_from_bytes, readable, record_from_bytes
from kakushi.formats.store.limits import RECIPE_BYTES, RECIPE_PHOTOS, RECIPE_SHELF, RECIPE_VALUES, megabytes
from kakushi.model.errors import BadInput, JobFileError
from kakushi.model.recipe import Recipe, RecipeFacts
from kakushi.model.record import Photo, Record
from kakushi.model.values import first_fault

SUFFIX = ".kakushi-recipe"
_ENTRY, _FORMAT, _VERSION = "recipe.json", "kakushi-recipe", 1
_DEPTH = 6


def recipe_bytes(recipe: Recipe) -> bytes:
    """The content of a recipe file."""
    photos = tuple(
        Photo(name=f"photo-{number}", piece=recipe.piece.key, at=0, picture=picture)
        for number, picture in enumerate(recipe.photos[:RECIPE_PHOTOS], 1)
    )
    buffer = io.BytesIO(job_bytes(recipe.job, Record(photos=photos)))
    told = {"format": _FORMAT, "schema_version": _VERSION, "recipe": recipe.facts.model_dump(mode="json")}
    with zipfile.ZipFile(buffer, "a", zipfile.ZIP_DEFLATED) as archive:
        entry = zipfile.ZipInfo(_ENTRY, (2020, 1, 1, 0, 0, 0))
        entry.compress_type = zipfile.ZIP_DEFLATED
        archive.writestr(entry, json.dumps(told, indent=1))
    return buffer.getvalue()


def file_name_of(recipe: Recipe) -> str:
    """The name of a recipe's file: its own in small letters, without signs."""
    words = "".join(c if c.isalnum() else " " for c in recipe.facts.name.casefold()).split()
    return f"{'-'.join(words)[:80] or 'piece'}{SUFFIX}"


def save_recipe(recipe: Recipe, path: Path) -> None:
    """Write a recipe file, whole or not at all. Raises JobFileError."""
    write_atomically(path, readable(recipe_bytes(recipe), path))


def load_recipe(path: Path) -> Recipe:
    """The recipe in a file. Raises JobFileError with one sentence for anything that is not one."""
    try:
        if not path.is_file():
            raise JobFileError(f"“{path.name}” is not a file.", path)
        with path.open("rb") as file:
            data = file.read(RECIPE_BYTES + 1)
    except OSError as error:
        raise JobFileError(f"“{path.name}” cannot be read: {reason(error)}.", path) from error
    if len(data) > RECIPE_BYTES:
        raise JobFileError(f"“{path.name}” is over {megabytes(RECIPE_BYTES)}: too large to be a recipe.", path)
    return recipe_from_bytes(data, path)


def recipe_from_bytes(data: bytes, path: Path) -> Recipe:
    """The recipe in a file's content; `path` is for messages. Raises JobFileError."""
    text = entry_of_archive(data, path, _ENTRY)
    if text is None:
        raise JobFileError(f"“{path.name}” is not a recipe.", path)
    job = job_from_bytes(data, path)
    if len(job.pieces) != 1:
        raise JobFileError(f"“{path.name}” is not a recipe: it holds {len(job.pieces)} pieces.", path)
    try:
        document = bounded_json(text, RECIPE_VALUES, _DEPTH, RECIPE_VALUES)
        if not isinstance(document, dict) or document.get("format") != _FORMAT:
            raise JobFileError(f"“{path.name}” is not a recipe.", path)
        version = document.get("schema_version")
        if not isinstance(version, int) or version > _VERSION:
            raise JobFileError(f"“{path.name}” was made by a newer version of Kakushi; update to use it.", path)
        photos = tuple(photo.picture for photo in record_from_bytes(data, path)[0].photos if photo.picture)
        return Recipe(job, RecipeFacts.model_validate(document.get("recipe")), photos[:RECIPE_PHOTOS])
    except ValidationError as error:
        where, fault = first_fault(error)
        raise JobFileError(f"“{path.name}” is damaged at {where or 'its facts'}: {fault}.", path) from error
    except BadInput as error:
        raise JobFileError(f"“{path.name}” is damaged: {error}.", path) from error


def recipes_in(*folders: Path) -> list[tuple[Path, Recipe]]:
    """The recipes of some folders by name; files that are none are left out."""
    found = []
    for folder in folders:
        paths = sorted(folder.glob(f"*{SUFFIX}"))[:RECIPE_SHELF] if folder.is_dir() else []
        for path in paths:
            try:
                found.append((path, load_recipe(path)))
            except JobFileError:
                continue
    return sorted(found, key=lambda each: each[1].facts.name.casefold())
