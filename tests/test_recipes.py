"""Recipes: pieces kept with their colours as roles, built again, exchanged as files."""

from __future__ import annotations

import io
import json
import zipfile
from pathlib import Path

import pytest
from PIL import Image

from kakushi.building.steps import steps_of
from kakushi.cli.main import main
from kakushi.formats.read.photograph import small_photo
from kakushi.formats.store.job_file import job_bytes, load_job
from kakushi.formats.store.paths import demo_job_path, shipped_recipes
from kakushi.formats.store.recipe_file import load_recipe, recipe_bytes, recipe_from_bytes, recipes_in, save_recipe
from kakushi.log.other_ways import matches_of, of_sizes, quoted_again, short_of, sizes_in_stock
from kakushi.log.recipes import alike_colours, built_again, recipe_of
from kakushi.model.catalogue import DEFAULT_PALETTE, Studio
from kakushi.model.errors import BadInput, KakushiError
from kakushi.model.job import Job
from kakushi.model.piece import with_rows
from kakushi.model.recolour import colours_named, with_colours
from kakushi.model.sizing import Sizing
from kakushi.model.units import UnitSystem
from kakushi.model.values import replace
from kakushi.model.workshop import StockItem
from kakushi.plan.facts import StrandMisses
from kakushi.plan.heights import at_height
from kakushi.plan.pipeline import plan
from kakushi.words.log import RECIPE_ORDERS, recipe_words, sorted_recipes
from kakushi.words.steps import step_words
from kakushi.words.wording import Wording
from kakushi.workshop.dossier import Dossier
from kakushi.workshop.supplies import supplies_of

PALETTE = {colour.key: colour for colour in DEFAULT_PALETTE}


@pytest.fixture(scope="module")
def dossier() -> Dossier:
    job = load_job(demo_job_path())
    return Dossier(plan(replace(job, pieces=job.pieces[:3]), Studio()))


def told(job: Job) -> tuple:
    """What a job takes and how it is built."""
    whole = plan(job, Studio())
    words = [step_words(step, Wording(job)) for step in steps_of(whole)]
    return [(line.nominal_in, line.colour, line.needed) for line in supplies_of(whole).whole], words


def test_a_recipe_in_other_colours_is_the_piece_made_by_hand_in_them(dossier) -> None:
    piece_plan = dossier.plan.pieces[1]
    recipe = recipe_of(dossier, piece_plan)
    roles = [colour.key for colour in recipe.roles]
    assert roles[:3] == ["main", "second", "accent"]
    named = sum(colours_named(recipe.piece).values())
    assert set(colours_named(recipe.piece)) <= set(roles)
    assert named == sum(colours_named(piece_plan.piece).values())
    before = {role.key: next(c.key for c in dossier.plan.job.palette if c.name == role.name) for role in recipe.roles}
    chosen = {"main": PALETTE["deep-teal"], "second": PALETTE["sail-white"]}
    made = built_again(recipe, chosen)
    by_hand = with_colours(piece_plan.piece, {before["main"]: "deep-teal", before["second"]: "sail-white"})
    by_hand = replace(by_hand, key=1, copies=made.pieces[0].copies, locked=False)
    palette = tuple(c for c in (*made.palette,))
    assert told(made) == told(replace(made, pieces=(by_hand,), palette=palette))
    with pytest.raises(KakushiError, match="no role"):
        built_again(recipe, {"hat": PALETTE["deep-teal"]})


def test_roles_survive_palettes_with_fewer_colours(dossier) -> None:
    recipe = recipe_of(dossier, dossier.plan.pieces[1])
    one = PALETTE["signal-red"]
    made = built_again(recipe, {colour.key: one for colour in recipe.roles})
    assert [colour.key for colour in made.palette] == ["signal-red"]
    assert {line.colour for line in supplies_of(plan(made, Studio())).whole} == {"signal-red"}
    assert len(list(alike_colours(recipe, {colour.key: one for colour in recipe.roles}))) >= 3
    assert not list(alike_colours(recipe, {}))


@pytest.mark.parametrize("height", [1200.0, 1650.0, 2900.0])
def test_another_height_keeps_counts_ratios_and_pattern(dossier, height) -> None:
    piece = dossier.plan.pieces[0].piece
    made = at_height(piece, height, Studio())
    assert {row.count for row in made.rows} == {row.count for row in piece.rows}
    assert len({row.key for row in made.rows}) == len(made.rows)
    assert made.layers == piece.layers
    sizes = sorted({row.diameter_mm for row in made.rows})
    was = sorted({row.diameter_mm for row in piece.rows})
    assert len(sizes) <= len(was) + 1
    with pytest.raises(KakushiError, match="height"):
        at_height(piece, 90_000, Studio())


OUT_OF_REACH = {
    # Its ball alone is taller; its path would be wider than any.
    ("channel-buoy", 0.5), ("long-wave", 1.3), ("long-wave", 2.2),
}  # fmt: skip


@pytest.mark.parametrize("by", [0.5, 0.85, 1.3, 2.2])
@pytest.mark.parametrize("path", sorted(shipped_recipes().iterdir()), ids=lambda path: path.stem)
def test_a_recipe_is_as_tall_as_asked_or_says_what_it_can_be(path: Path, by: float) -> None:
    recipe = load_recipe(path)
    height = recipe.facts.height_mm * by
    if (path.stem, by) in OUT_OF_REACH:
        with pytest.raises(BadInput, match=r"the nearest it can be is|A height is between"):
            built_again(recipe, {}, height)
        return
    found = plan(built_again(recipe, {}, height), Studio()).pieces[0]
    assert found.measured_height_mm == pytest.approx(height, rel=0.01, abs=10.0)
    # Strands end where their paths do.
    assert not any(isinstance(note, StrandMisses) for note in found.warnings)


def test_files_are_read_as_they_were_written_and_nothing_else(dossier, tmp_path: Path) -> None:
    recipe = recipe_of(dossier, dossier.plan.pieces[2], "Vase <b>")
    path = tmp_path / "vase.kakushi-recipe"
    save_recipe(recipe, path)
    assert load_recipe(path) == recipe
    with pytest.raises(KakushiError):
        load_recipe(tmp_path)
    with pytest.raises(KakushiError, match="not a recipe"):
        recipe_from_bytes(job_bytes(recipe.job), path)
    two = replace(recipe.job, pieces=(*recipe.job.pieces, replace(recipe.piece, key=2)))
    with pytest.raises(KakushiError, match="2 pieces"):
        recipe_from_bytes(recipe_bytes(recipe._replace(job=two)), path)
    whole = recipe_bytes(recipe)
    for wrong in (b"", b"PK", whole[: len(whole) // 2], b"\x00" * 5000):
        with pytest.raises(KakushiError):
            recipe_from_bytes(wrong, path)
    facts = '{"format": "kakushi-recipe", "schema_version": 1, "recipe": {"name": "A", "price": -1}}'
    for told_of_it in ("{}", facts, facts.replace("1,", "9,"), "[" * 500, '{"format": 1}'):
        other = tmp_path / "other.kakushi-recipe"
        other.write_bytes(job_bytes(recipe.job))
        with zipfile.ZipFile(other, "a") as archive:
            archive.writestr("recipe.json", told_of_it)
        with pytest.raises(KakushiError):
            load_recipe(other)
    assert [found.facts.name for _, found in recipes_in(tmp_path, tmp_path / "none")] == ["Vase <b>"]


def test_a_dozen_recipes_ship_and_can_be_built() -> None:
    shelf = recipes_in(shipped_recipes())
    assert len(shelf) == 12
    for by in RECIPE_ORDERS:
        assert len(sorted_recipes(shelf, by)) == 12
    heights = [recipe.facts.height_mm for _, recipe in sorted_recipes(shelf, "height_mm")]
    assert heights == sorted(heights)
    for _, recipe in shelf:
        assert recipe.facts.name in recipe_words(recipe, UnitSystem.METRIC)
    small = next(recipe for _, recipe in shelf if recipe.facts.name == "Gate column")
    made = plan(built_again(small, {}), Studio()).pieces[0]
    assert made.balloon_count == small.facts.balloons
    assert made.measured_height_mm == pytest.approx(small.facts.height_mm, abs=1)


def test_the_commands_keep_use_and_list(tmp_path: Path, monkeypatch, capsys) -> None:
    monkeypatch.setenv("XDG_DATA_HOME", str(tmp_path / "data"))
    kept, again = tmp_path / "gate.kakushi-recipe", tmp_path / "again.kakushi"
    assert main(["recipe", "save", str(demo_job_path()), "--piece", "Gate column", "-o", str(kept)]) == 0
    use = ["recipe", "use", str(kept), "-o", str(again)]
    assert main([*use, "--roles", "main=signal red,second=SW", "--height", "1800"]) == 0
    job = load_job(again)
    assert {colour.key for colour in job.palette} == {"signal-red", "sail-white"}
    assert job.pieces[0].target_height_mm == 1800
    capsys.readouterr()
    forced = [*use, "--force"]
    for wrong in (
        use, [*forced, "--roles", "main"], [*forced, "--roles", "main=no such"], [*forced, "--height", "9"], ["recipe"],
        ["recipe", "use", str(again), "-o", str(kept)],
    ):  # fmt: skip
        assert main(wrong) == 2
        assert len(capsys.readouterr().err.strip().splitlines()) == 1
    assert main(["recipe", "list", "--json"]) == 0
    listed = json.loads(capsys.readouterr().out)["recipes"]
    assert len(listed) == 12
    assert {"name", "height_mm", "balloons", "minutes", "price", "roles", "file"} <= set(listed[0])


def test_recipes_are_built_of_the_sizes_at_hand_or_refused(dossier) -> None:
    piece, studio = dossier.plan.pieces[0].piece, Studio()
    before = {slot.nominal_in for row in piece.rows for slot in row.slots}
    made = of_sizes(piece, {16.0}, studio)
    for row, old in zip(made.rows, piece.rows, strict=True):
        for slot, was in zip(row.slots, old.slots, strict=True):
            assert slot.diameter_mm == was.diameter_mm
            size = studio.nominal(slot.nominal_in)
            assert slot.nominal_in == 16.0
            assert size.smallest_mm <= slot.diameter_mm <= size.largest_mm
    assert of_sizes(piece, before | {16.0}, studio) == piece, "what is there is taken first"
    for sizing, kept in ((Sizing(by="strokes", amount=3), False), (Sizing(by="range", low_mm=200, high_mm=220), True)):
        first, *others = piece.rows
        by_hand = with_rows(piece, (replace(first, sizing=sizing), *others))
        assert of_sizes(by_hand, before | {16.0}, studio).rows[0].sizing == sizing
        assert (of_sizes(by_hand, {16.0}, studio).rows[0].sizing == sizing) is kept
    with pytest.raises(KakushiError, match="can be blown up"):
        of_sizes(piece, {5.0}, studio)
    stock = replace(studio, stock=(StockItem(nominal_in=16, colour="x", balloons=3),))
    assert sizes_in_stock(stock) == {16.0}
    recipe = recipe_of(dossier, dossier.plan.pieces[0])
    short = list(short_of(built_again(recipe, {}), stock))
    assert sum(each.line.short for each in short) == sum(each.line.total for each in short)
    assert not list(short_of(built_again(recipe, {}), studio))


def test_the_recipe_of_a_piece_matches_its_own_outline_best(dossier) -> None:
    recipes = [(Path(str(k)), recipe_of(dossier, each)) for k, each in enumerate(dossier.plan.pieces)]
    for k, each in enumerate(dossier.plan.pieces):
        matches = matches_of(recipes, each.piece, Studio())
        assert max(matches, key=matches.__getitem__) == Path(str(k))
        assert matches[Path(str(k))] == pytest.approx(each.match.mean, abs=0.05)


def test_a_recipe_is_quoted_small_as_it_was_and_large(dossier) -> None:
    recipe = recipe_of(dossier, dossier.plan.pieces[0])
    small, same, large = quoted_again(recipe, Studio())
    heights = [offer.plan.pieces[0].measured_height_mm for offer in (small, same, large)]
    assert heights == pytest.approx([heights[1] * by for by in (0.85, 1.0, 1.2)], rel=0.05)
    assert small.price < same.price < large.price


def test_photographs_travel_with_a_recipe(dossier, tmp_path: Path) -> None:
    picture = io.BytesIO()
    Image.new("RGB", (1400, 900), "teal").save(picture, "JPEG")
    small = small_photo(picture.getvalue())
    recipe = recipe_of(dossier, dossier.plan.pieces[0], photos=(small,) * 5)
    path = tmp_path / "gate.kakushi-recipe"
    save_recipe(recipe, path)
    again = load_recipe(path)
    assert again.photos == (small,) * 3
    assert max(Image.open(io.BytesIO(small)).size) == 800


def test_the_shelf_is_asked_for_what_looks_like_an_outline(tmp_path: Path, monkeypatch, capsys) -> None:
    monkeypatch.setenv("XDG_DATA_HOME", str(tmp_path))
    path, made = next(shipped_recipes().glob("*.kakushi-recipe")), tmp_path / "made.kakushi"
    assert main(["recipe", "list", "--like", "straight", "--height", "1800", "--json"]) == 0
    told = json.loads(capsys.readouterr().out)["recipes"]
    matches = [each["match_mean"] for each in told if "match_mean" in each]
    assert matches == sorted(matches, reverse=True)
    assert main(["recipe", "use", str(path), "--outdoors", "-o", str(made)]) == 0
    assert load_job(made).brief.place == "outdoors"
    capsys.readouterr()
    assert main(["recipe", "use", str(path), "--sizes", "99", "-o", str(made), "--force"]) == 2
    assert "No 99-inch balloon" in capsys.readouterr().err
