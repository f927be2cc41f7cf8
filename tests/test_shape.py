"""Outlines and the match."""

from __future__ import annotations

import numpy as np
import pytest

from kakushi.model.errors import BadInput
from kakushi.model.outline import Handle, OutlinePoint, PointsOutline, PresetOutline, outline_through
from kakushi.packing.settle import settle
from kakushi.packing.stack import Geometry, Packing, equal_row
from kakushi.shape.match import SIDES, match_of
from kakushi.shape.presets import PRESETS, default_outline
from kakushi.shape.profile import Profile, profile_of

SNUG = Packing(1.3, 12.5)


def straight(width: float, height: float) -> Profile:
    return profile_of(PresetOutline(preset="straight", handles=(Handle(name="width", value=width),)), height)


@pytest.mark.parametrize("name", [p.name for p in PRESETS])
def test_presets_reach_their_handles_and_height(name: str) -> None:
    outline = default_outline(name, 2000)
    profile = profile_of(outline, 2000.0)
    assert profile.height == 2000
    assert (profile.left > 0).all()
    widths = [h.value for h, spec in zip(outline.handles, _specs(name), strict=True) if spec.is_width]
    for width in widths:
        assert np.isclose(profile.left * 2, width, rtol=0.06).any()


def _specs(name: str):
    return next(p.handles for p in PRESETS if p.name == name)


def test_outline_points_stretch_and_refuse_nonsense() -> None:
    points = tuple(OutlinePoint(height_mm=h, left_mm=50, right_mm=80) for h in (10, 20, 30))
    profile = profile_of(PointsOutline(points=points), 500.0)
    assert profile.height == pytest.approx(500)
    assert profile.area == pytest.approx(130 * 500, rel=1e-4)
    flat = tuple(OutlinePoint(height_mm=5, left_mm=9, right_mm=9) for _ in range(2))
    with pytest.raises(BadInput, match="no height"):
        outline_through("flat", flat)
    with pytest.raises(BadInput, match="no width"):
        outline_through("thin", [OutlinePoint(height_mm=h, left_mm=0, right_mm=0) for h in (0, 9)])
    with pytest.raises(BadInput, match="no outline called"):
        profile_of(PresetOutline(preset="obelisk"), 500.0)


def test_match_of_one_sphere_is_the_ratio_of_areas() -> None:
    r = 200.0
    one = settle([equal_row(2, 2 * r, 0.0)], Packing(0.0))
    sphere = Geometry(
        centres=np.array([[0.0, 0.0, r]]),
        radii=np.array([r]),
        shape_radii=np.array([r]),
        row_of=one.row_of[:1],
        slot_of=one.slot_of[:1],
        frames=one.frames,
        turns=one.turns,
        flat=one.flat,
        softest=one.softest,
        report=one.report,
    )
    found = match_of(sphere, straight(2 * r, 2 * r))
    assert found.mean == pytest.approx(np.pi / 4, abs=0.01)
    assert match_of(sphere, straight(4 * r, 2 * r)).mean == pytest.approx(np.pi / 8, abs=0.01)
    assert len(found.by_azimuth) == SIDES
    assert found.worst == pytest.approx(found.mean, abs=0.01)


def test_match_sees_both_sides_of_an_asymmetric_outline() -> None:
    column = settle([equal_row(4, 216.0, 50.0)] * 8, SNUG)
    z = np.array([0.0, column.top])
    even = Profile(z, np.array([250.0, 250.0]), np.array([250.0, 250.0]))
    skew = Profile(z, np.array([150.0, 150.0]), np.array([350.0, 350.0]))
    assert match_of(column, skew).mean < match_of(column, even).mean - 0.1
