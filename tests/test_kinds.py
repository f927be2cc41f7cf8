"""Closed sets: every kind of part, group, layer and joint has its entry in its table, and the entry works."""

from __future__ import annotations

import json
import zipfile
from io import BytesIO
from pathlib import Path
from typing import Any, get_args

import pytest

from kakushi.colour import layer_table
from kakushi.colour.surface import surface_of
from kakushi.dress import table as part_table
from kakushi.dress.kind import Surroundings
from kakushi.formats.store.job_file import job_from_bytes
from kakushi.formats.store.job_migrations import MIGRATIONS, SCHEMA_VERSION
from kakushi.model.catalogue import DEFAULT_PALETTE
from kakushi.model.groups import Group
from kakushi.model.joints import JointKind
from kakushi.model.layers import ColourLayer, Side
from kakushi.model.parts import Part
from kakushi.model.piece import Piece
from kakushi.model.roles import BalloonRole
from kakushi.model.units import UnitSystem
from kakushi.packing.groups import table as group_table
from kakushi.packing.joints import JOINTS
from kakushi.packing.settle import settle
from kakushi.packing.stack import Packing, equal_row

AROUND = Surroundings(2000.0, "rope")


def kinds_of(union: Any) -> set[type]:
    """The value classes of a discriminated union."""
    return set(get_args(get_args(union)[0]))


@pytest.mark.parametrize(
    ("union", "table"),
    [(Part, part_table.KINDS), (Group, group_table.KINDS), (ColourLayer, layer_table.KINDS)],
    ids=["parts", "groups", "layers"],
)
def test_every_kind_has_its_entry(union: Any, table: Any) -> None:
    assert {entry.value for entry in table.values()} == kinds_of(union)
    for name, entry in table.items():
        assert entry.value.model_fields["kind"].default == name


def test_joints_are_complete() -> None:
    assert set(JOINTS) == set(JointKind)


@pytest.mark.parametrize("kind", part_table.KINDS)
def test_a_new_part_of_every_kind_has_a_place_a_mass_and_a_role(kind: str) -> None:
    part = part_table.KINDS[kind].made(3, AROUND)
    assert part.key == 3
    assert BalloonRole(part.kind) is part_table.role_of(part)
    x, y, z = part_table.spot_of(part, 1800.0)
    assert 0 <= z <= 2100
    assert abs(x) + abs(y) <= 500
    assert part_table.mass_of(part, {5.0: 1.2, 16.0: 6.0}) > 0
    assert part_table.wind_of(part).area(0.4) >= 0
    assert part_table.things_of(part) >= 1
    for balloons in part.balloons:
        assert (part_table.sized_mm(part, balloons) > 0) == (kind != "cap")
    assert bool(part.balloons) == part_table.KINDS[kind].has_balloons
    assert part_table.wishes_of([part]) == []


@pytest.mark.parametrize("kind", group_table.KINDS)
def test_a_new_group_of_every_kind_settles_and_is_said(kind: str) -> None:
    known = group_table.KINDS[kind]
    group = known.made(Piece(key=1, name="x"))
    settled = group_table.settled_group(group, Packing(), JointKind.WRAPPED, 0.0)
    assert settled is not None
    assert settled.top > settled.bottom
    assert settled.lifted(100.0).top == pytest.approx(settled.top + 100)
    balloons = sum(len(line.slots) for line in group_table.balloon_lines([group]))
    drawn = [part for part in (settled.rows, settled.ball) if part is not None]
    links = len(settled.frame.spheres[1]) if settled.frame is not None else 0
    assert balloons == sum(len(part.radii) for part in drawn) + links
    assert known.said(group, UnitSystem.METRIC)
    assert group_table.without_paint(group) == group


@pytest.mark.parametrize("kind", layer_table.KINDS)
def test_a_new_layer_of_every_kind_colours_only_with_its_own_colours(kind: str) -> None:
    keys = [colour.key for colour in DEFAULT_PALETTE]
    layer = layer_table.new_layer(kind, keys, keys[:1], Side.FRONT)
    surface = surface_of(settle([equal_row(4, 200.0, 30.0)] * 6, Packing()), (4,) * 6)
    lines = layer_table.laid(layer, surface, lambda: [[""] * 4] * 6)
    assert [len(line) for line in lines] == [4] * 6
    laid = {key for line in lines for key in line} - {""}
    assert laid <= set(layer_table.colours_of(layer))
    assert laid
    assert kind in layer_table.layer_words(layer).lower()


OLD_PART = {
    "key": 1, "name": "x", "height_mm": 900.0, "azimuth_deg": 90.0, "offset_mm": 80.0, "tall_mm": 200.0,
    "wide_mm": 150.0,
    "mass_g": 40.0, "follows_swirl": True, "strips": 1.5, "fixings": 2, "items": [],
    "balloons": [{"nominal_in": 5, "colour": "rope", "count": 3, "seen": True}],
}  # fmt: skip


@pytest.mark.parametrize("old", ["topper", "filler", "collar", "accent", "hung load", "weight", "cap"])
def test_parts_of_version_3_keep_what_means_something_for_their_kind(old: str) -> None:
    part = opened({"pieces": [{"key": 1, "name": "x", "parts": [OLD_PART | {"kind": old}]}]}, 3).pieces[0].parts[0]
    assert part.kind == {"filler": "fillers"}.get(old, old)
    for field in ("name", "mass_g", "strips"):
        assert getattr(part, field) == OLD_PART[field]
    assert part.balloons[0].count == 3
    for field in ("height_mm", "azimuth_deg", "offset_mm", "tall_mm", "fixings"):
        if field in type(part).model_fields:
            assert getattr(part, field) == OLD_PART[field]


@pytest.mark.parametrize(
    "damaged",
    [{"pieces": 3}, {"pieces": [3]}, {"pieces": [{"parts": 4}]}, {"pieces": [{"key": 1, "name": "x", "parts": [7]}]},
     {"pieces": [{"key": 1, "name": "x", "parts": [OLD_PART | {"kind": ["cap"]}]}]},
     {"pieces": [{"key": 1, "name": "x", "parts": [OLD_PART | {"kind": "row"}]}]},
     {"pieces": [{"key": 1, "name": "x", "parts": [OLD_PART | {"kind": "cap", "spare": 1}]}]}],
)  # fmt: skip
def test_damaged_old_jobs_are_refused_in_one_sentence(damaged: dict[str, Any]) -> None:
    with pytest.raises(Exception, match="is damaged at"):
        opened(damaged, 3)


def test_every_older_version_has_a_step() -> None:
    assert set(MIGRATIONS) == set(range(1, SCHEMA_VERSION))


def opened(content: dict[str, Any], version: int) -> Any:
    buffer = BytesIO()
    with zipfile.ZipFile(buffer, "w") as archive:
        archive.writestr("job.json", json.dumps({"format": "kakushi-job", "schema_version": version, "job": content}))
    return job_from_bytes(buffer.getvalue(), Path("old.kakushi"))
