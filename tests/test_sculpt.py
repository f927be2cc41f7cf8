"""Outlines shaped by hand, saved as SVG, kept in the studio's file; drawings in awkward dialects."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from PIL import Image, ImageDraw

from kakushi.formats.export.outline_svg import outline_svg
from kakushi.formats.read.outline_image import Trace, traced
from kakushi.formats.read.outline_svg import load_outline_svg, load_svg_outlines
from kakushi.formats.store.studio_store import StudioStore
from kakushi.model.catalogue import NamedPacking, NominalSize, Sizer, Studio
from kakushi.model.errors import BadInput, StudioError
from kakushi.model.outline import OutlinePoint, PointsOutline
from kakushi.packing.calibration import TestStack
from kakushi.shape import sculpt
from kakushi.shape.presets import PRESETS, default_outline
from kakushi.shape.profile import profile_of

HEIGHT = 1800.0


def shaped(*halves: float) -> PointsOutline:
    heights = np.linspace(0, HEIGHT, len(halves))
    points = [OutlinePoint(height_mm=h, left_mm=w, right_mm=w) for h, w in zip(heights, halves, strict=True)]
    return PointsOutline(name="float", points=tuple(points), smooth=True)


@pytest.mark.parametrize("name", [p.name for p in PRESETS])
def test_few_points_keep_close_to_any_preset(name: str) -> None:
    profile = profile_of(default_outline(name, HEIGHT), HEIGHT)
    few = sculpt.few_points(profile, name)
    assert len(few.points) <= 20
    z = np.linspace(1, HEIGHT - 1, 300)
    off = np.abs(profile_of(few, HEIGHT).mean_half_width(z) - profile.mean_half_width(z))
    assert off.mean() < 0.02 * profile.widest


@given(
    st.lists(st.floats(30, 400), min_size=3, max_size=9),
    st.integers(0, 8), st.floats(-500, 3000), st.floats(-50, 5000),
)  # fmt: skip
def test_whatever_is_dragged_the_outline_stays_one(halves: list[float], index: int, height: float, half: float) -> None:
    outline = shaped(*halves)
    moved = sculpt.moved(outline, index % len(halves), height, half)
    heights = [p.height_mm for p in moved.points]
    assert heights == sorted(heights)
    assert (heights[0], heights[-1]) == (0, HEIGHT)
    profile = profile_of(moved, HEIGHT)
    widths = [p.left_mm for p in moved.points]
    assert profile.left.min() >= min(widths) - 1e-6
    assert profile.left.max() <= max(widths) + 1e-6, "the curve never overshoots its points"


def test_points_are_added_on_the_curve_and_removed_again() -> None:
    outline = shaped(200, 300, 150)
    more = sculpt.added(outline, 500.0)
    curve = profile_of(outline, HEIGHT).mean_half_width(np.array([500.0]))[0]
    assert more.points[1].right_mm == pytest.approx(curve, rel=0.01)
    assert sculpt.removed(more, 1) == outline
    for nonsense in (
        lambda: sculpt.added(outline, 900.0),
        lambda: sculpt.added(outline, -4.0),
        lambda: sculpt.removed(outline, 0),
    ):
        with pytest.raises(BadInput):
            nonsense()


def test_smoothing_scaling_and_snapping() -> None:
    rough = shaped(200, 300, 100, 300, 200)
    smooth = sculpt.smoothed(rough)
    assert np.ptp([p.left_mm for p in smooth.points]) < np.ptp([p.left_mm for p in rough.points])
    wide = sculpt.scaled_to_width(rough, 900.0)
    assert profile_of(wide, HEIGHT).widest == pytest.approx(900)
    lines = np.arange(0, 2000, 50.0)
    assert sculpt.snapped(103.0, lines, 5.0) == 100.0
    assert sculpt.snapped(110.0, lines, 5.0) == 110.0


def test_sides_of_an_uneven_outline() -> None:
    points = tuple(OutlinePoint(height_mm=h, left_mm=100, right_mm=180) for h in (0.0, 500.0))
    uneven = PointsOutline(name="lean", points=points)
    assert sculpt.asymmetry(uneven) == pytest.approx(80 / 280)
    widths = {side: sculpt.with_side(uneven, side).points[0] for side in sculpt.OutlineSide}
    assert (widths[sculpt.OutlineSide.LEFT].right_mm, widths[sculpt.OutlineSide.RIGHT].left_mm) == (100, 180)
    assert widths[sculpt.OutlineSide.MEAN].left_mm == widths[sculpt.OutlineSide.MEAN].right_mm == 140
    assert sculpt.with_side(uneven, sculpt.OutlineSide.BOTH) == uneven


# --- drawings ------------------------------------------------------------------------------


@pytest.mark.parametrize("name", ["vase", "tower"])
def test_an_outline_saved_as_svg_reads_back(name: str, tmp_path: Path) -> None:
    profile = profile_of(default_outline(name, HEIGHT), HEIGHT)
    path = tmp_path / "a <float> & more.svg"
    path.write_text(outline_svg(profile, "a <float> & more"))
    back = profile_of(load_outline_svg(path, HEIGHT), HEIGHT)
    z = np.linspace(20, HEIGHT - 20, 200)
    assert np.abs(back.mean_half_width(z) - profile.mean_half_width(z)).mean() < 3


def test_plain_entities_are_filled_in_and_others_refused(tmp_path: Path) -> None:
    plain = tmp_path / "plain.svg"
    plain.write_text(
        '<?xml version="1.0"?><!DOCTYPE svg PUBLIC "-//W3C//DTD SVG 1.1//EN" "svg11.dtd" '
        '[<!ENTITY ns "http://www.w3.org/2000/svg"><!ENTITY side "30">]>'
        '<svg xmlns="&ns;"><rect width="&side;" height="90"/></svg>'
    )
    assert load_outline_svg(plain, 900.0).points[0].left_mm == pytest.approx(150, abs=2)
    bomb = tmp_path / "bomb.svg"
    bomb.write_text(
        '<!DOCTYPE svg [<!ENTITY a "aaaaaaaaaa"><!ENTITY b "&a;&a;&a;&a;">]>'
        '<svg xmlns="http://www.w3.org/2000/svg"><text>&b;</text></svg>'
    )
    outside = tmp_path / "outside.svg"
    outside.write_text(
        '<!DOCTYPE svg [<!ENTITY x SYSTEM "file:///etc/passwd">]>'
        '<svg xmlns="http://www.w3.org/2000/svg"><text>&x;</text></svg>'
    )
    for hostile in (bomb, outside):
        with pytest.raises(BadInput, match="entities or references"):
            load_outline_svg(hostile, 900.0)
    swollen = tmp_path / "swollen.svg"
    swollen.write_text(
        f'<!DOCTYPE svg [<!ENTITY a "{"x" * 100_000}">]><svg xmlns="http://www.w3.org/2000/svg">{"&a;" * 200}</svg>'
    )
    with pytest.raises(BadInput, match="too large"):
        load_outline_svg(swollen, 900.0)


def test_one_shape_is_offered_alone_and_many_are_capped(tmp_path: Path) -> None:
    one, many = tmp_path / "one.svg", tmp_path / "many.svg"
    one.write_text('<svg xmlns="http://www.w3.org/2000/svg"><rect width="10" height="90"/></svg>')
    rects = "".join(f'<rect x="{40 * i}" width="20" height="{50 + i}"/>' for i in range(30))
    many.write_text(f'<svg xmlns="http://www.w3.org/2000/svg">{rects}</svg>')
    assert len(load_svg_outlines(one, 900.0)) == 1
    assert len(load_svg_outlines(many, 900.0)) == 13


def test_specks_are_cleaned_and_a_colour_is_followed() -> None:
    picture = Image.new("RGB", (200, 300), "#ffffff")
    pen = ImageDraw.Draw(picture)
    pen.rectangle((80, 20, 120, 280), fill="#000000")
    pen.rectangle((10, 20, 60, 280), fill="#c8322b")
    pen.point([(150, 50), (151, 80), (160, 200)], fill="#000000")
    mask, _ = traced(picture, Trace(colour=(0, 0, 0), threshold=0.2), "x.png", 900.0)
    assert not mask[:, 140:].any(), "specks are gone"
    assert not mask[:, 10:60].any(), "only the colour that was picked"
    both, _ = traced(picture, Trace(), "x.png", 900.0)
    assert both[:, 10:60].any()


# --- the studio's file -----------------------------------------------------------------------------


def test_the_studio_s_file_keeps_everything(tmp_path: Path) -> None:
    store = StudioStore(tmp_path / "deep" / "studio.sqlite3")
    assert store.load() == Studio()
    sizes = (NominalSize(nominal_in=11, fill_low=0.6, fill_high=0.9),)
    studio = Studio(nominals=sizes, sizer=Sizer(holes_mm=(180.0, 200.0)), sizing_scatter_mm=4.0)
    store.save(studio)
    packing = NamedPacking(name="line; DROP TABLE packing", tau=0.2, slack=1.1, height_percent=0.6)
    stacks = [
        TestStack(rows=8, count=4, nominal_in=11, diameter=216.0, height=1400.0, width=None, pole_radius=12.5),
        TestStack(rows=5, count=5, nominal_in=9, diameter=180.0, height=800.0, width=480.0, pole_radius=0.0),
    ]
    store.save_packing(packing, stacks)
    store.save_packing(packing, stacks)
    assert store.load() == Studio(**{**dict(studio), "packings": (packing,)})
    assert store.stacks_of(packing.name) == stacks
    store.remove_packing(packing.name)
    assert not store.load().packings
    assert not store.stacks_of(packing.name)
    store.save_outline(shaped(100, 200, 100))
    assert store.outlines() == [shaped(100, 200, 100)]
    with pytest.raises(StudioError, match="needs a name"):
        store.save_outline(PointsOutline(points=shaped(1, 2).points))
