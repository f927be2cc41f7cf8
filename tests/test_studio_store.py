"""The studio's file: what is kept, what survives damage, other windows and other versions."""

from __future__ import annotations

import json
import sqlite3
from contextlib import closing, suppress
from pathlib import Path

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from kakushi.formats.store.studio_store import SCHEMA_VERSION, StudioStore, load_studio
from kakushi.model.catalogue import NamedPacking, Studio
from kakushi.model.errors import StudioError
from kakushi.model.outline import OutlinePoint, PointsOutline
from kakushi.model.values import replace
from kakushi.model.workshop import (
    Bag,
    Inflator,
    ItemRule,
    PopRecord,
    Rates,
    StockItem,
    TrialPoint,
    Trials,
)

POINTS = (TrialPoint(setting=1.25, diameter_mm=203.5),)
KEPT = Studio(
    sizing_scatter_mm=4.0,
    stock=(StockItem(nominal_in=5, colour="rope", balloons=7),),
    bags=(Bag(nominal_in=5, balloons=12, price=2.5),),
    pops=(PopRecord(nominal_in=5, handling="outdoors", used=40, popped=3),),
    rates=Rates(tie_s=7.5),
    inflators=(Inflator(name="pump", trials=(Trials(nominal_in=5, points=POINTS),)),),
    rules=(ItemRule(item="tape", per="row", amount=0.2),),
)
PACKING = NamedPacking(name="line", tau=0.2, slack=1.1, height_percent=0.6)


@pytest.fixture
def path(tmp_path: Path) -> Path:
    """A studio's file that holds something of everything."""
    store = StudioStore(tmp_path / "studio.sqlite3")
    store.save(KEPT)
    store.save_packing(PACKING, ())
    return tmp_path / "studio.sqlite3"


def run(path: Path, *statements: str) -> None:
    with closing(sqlite3.connect(path)) as file, file:
        for statement in statements:
            file.execute(statement)


def copies(path: Path) -> list[Path]:
    return sorted(path.parent.glob("studio-damaged-*"))


def test_everything_is_kept(path: Path) -> None:
    assert load_studio(path) == (replace(KEPT, packings=(PACKING,)), "", False)


@pytest.mark.parametrize(
    ("key", "value"),
    [("stock", '[{"nominal_in": 5, "colour": "rope", "balloons": -1}]'), ("rates", "{"), ("bags", "3"),
     ("nominals", "[" * 5000), ("sizing_scatter_mm", "NaN"), ("rules", "")],
)  # fmt: skip
def test_one_unusable_value_costs_only_itself(path: Path, key: str, value: str) -> None:
    with closing(sqlite3.connect(path)) as file, file:
        file.execute("UPDATE setting SET value = ? WHERE key = ?", (value, key))
    whole = path.read_bytes()
    studio, problem, _ = load_studio(path)
    assert studio == replace(KEPT, packings=(PACKING,), **{key: getattr(Studio(), key)})
    assert key.replace("_", " ") in problem
    assert "\n" not in problem
    kept = StudioStore(path).save(replace(studio, rates=Rates(tie_s=9)), studio)
    assert kept == replace(studio, rates=Rates(tie_s=9))
    assert [copy.read_bytes() for copy in copies(path)] == [whole]
    assert load_studio(path) == (kept, "", False)


def test_an_unusable_packing_is_told_and_the_others_stay(path: Path) -> None:
    run(path, "INSERT INTO packing (name, value) VALUES ('odd', '{\"tau\": 0}')")
    studio, problem, _ = load_studio(path)
    assert studio.packings == (PACKING,)
    assert "“odd”" in problem


def test_two_windows_keep_what_the_other_one_changed(path: Path) -> None:
    begun = load_studio(path).studio
    StudioStore(path).save(replace(begun, sizing_scatter_mm=6.0), begun)
    kept = StudioStore(path).save(replace(begun, stock=()), begun)
    assert (kept.sizing_scatter_mm, kept.stock) == (6.0, ())
    assert load_studio(path) == (kept, "", False)


def test_a_file_that_is_no_database_makes_room_and_lives_on(path: Path) -> None:
    path.write_bytes(b"no database " * 400)
    studio, problem, _ = load_studio(path)
    assert studio == Studio()
    assert "cannot be used" in problem
    StudioStore(path).save(replace(studio, sizing_scatter_mm=3.0), studio)
    assert load_studio(path)[0].sizing_scatter_mm == 3.0
    assert [copy.read_bytes() for copy in copies(path)] == [b"no database " * 400]


def test_a_newer_file_is_read_by_nobody_and_written_by_nobody(path: Path) -> None:
    run(path, f"PRAGMA user_version = {SCHEMA_VERSION + 1}")
    before = path.read_bytes()
    assert "newer version" in load_studio(path)[1]
    with pytest.raises(StudioError, match="newer version"):
        StudioStore(path).save(Studio())
    assert path.read_bytes() == before
    assert not copies(path)


def test_rules_of_the_first_version_count_fillers_as_clusters(path: Path) -> None:
    old = json.dumps([{"item": "strips", "per": "filler", "amount": 0.5}, {"item": "tape", "per": "row"}])
    with closing(sqlite3.connect(path)) as file, file:
        file.execute("UPDATE setting SET value = ? WHERE key = 'rules'", (old,))
        file.execute("PRAGMA user_version = 0")
    studio, problem, _ = load_studio(path)
    assert problem == ""
    assert [(rule.item, rule.per) for rule in studio.rules] == [("strips", "cluster"), ("tape", "row")]


@settings(max_examples=25)
@given(data=st.data())
def test_random_damage_never_ends_in_a_crash(data: st.DataObject, tmp_path_factory: pytest.TempPathFactory) -> None:
    path = tmp_path_factory.mktemp("studio") / "studio.sqlite3"
    StudioStore(path).save(KEPT)
    content = bytearray(path.read_bytes())
    for place in data.draw(st.lists(st.integers(0, len(content) - 1), min_size=1, max_size=60)):
        content[place] = data.draw(st.integers(0, 255))
    path.write_bytes(bytes(content))
    studio, problem, _ = load_studio(path)
    assert "\n" not in problem
    # It may refuse, in a StudioError; nothing else may come out.
    with suppress(StudioError):
        StudioStore(path).save(replace(studio, sizing_scatter_mm=5.5), studio)
        assert load_studio(path)[0].sizing_scatter_mm == 5.5


def test_a_full_collection_replaces_an_outline_of_the_same_name(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr("kakushi.formats.store.studio_store.STUDIO_OUTLINES", 2)
    store = StudioStore(tmp_path / "studio.sqlite3")
    points = tuple(OutlinePoint(height_mm=height, left_mm=90, right_mm=90) for height in (0, 1000))
    for name in ("vase", "bell"):
        store.save_outline(PointsOutline(name=name, points=points))
    wider = tuple(replace(point, left_mm=120.0) for point in points)
    store.save_outline(PointsOutline(name="vase", points=wider))
    assert {outline.name: outline.points for outline in store.outlines()} == {"vase": wider, "bell": points}
    with pytest.raises(StudioError, match="at most 2"):
        store.save_outline(PointsOutline(name="cone", points=points))
