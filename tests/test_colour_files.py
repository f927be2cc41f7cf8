"""Palettes, motifs out of pictures and the printed skin: round trips, and files that mean harm."""

from __future__ import annotations

import re
from pathlib import Path

import numpy as np
import pytest
from defusedxml import ElementTree
from hypothesis import given
from hypothesis import strategies as st
from PIL import Image

from kakushi.colour.lab import (
    DEFICITS,
    dark_first,
    differences,
    hardly_apart,
    lab_of,
    main_colours,
    mixed_look,
    nearest,
    rgb_of_lab,
    seen_with,
)
from kakushi.colour.rgb import hex_of, rgb_of
from kakushi.formats.export.skin_svg import PAGE_MM, skin_pages, skin_svg
from kakushi.formats.read.motif_picture import motif_of, palette_of, read_picture
from kakushi.formats.read.palette_gpl import named_colours, palette_gpl, read_gpl
from kakushi.formats.store.job_file import load_job
from kakushi.formats.store.paths import demo_job_path
from kakushi.model.catalogue import DEFAULT_PALETTE, BalloonColour, Studio
from kakushi.model.errors import BadInput, KakushiError
from kakushi.plan.pipeline import plan

hexes = st.integers(0, 0xFFFFFF).map(lambda n: f"#{n:06x}")
names = st.text(st.characters(codec="utf-8", exclude_categories=("C", "Z")), min_size=1, max_size=20)


# --- colour spaces --------------------------------------------------------------------------


@given(hexes)
def test_colours_come_back_from_lab(colour: str) -> None:
    assert hex_of(rgb_of(colour)) == colour
    there = lab_of(np.array([rgb_of(colour)]))
    assert rgb_of_lab(there)[0] == pytest.approx(rgb_of(colour), abs=0.004)


def test_differences_agree_with_a_published_pair_and_deficits_merge_red_and_green() -> None:
    white, black, grey = differences(("#ffffff", "#000000", "#777777"))[0]
    assert (white, black) == (0, pytest.approx(100, abs=0.01))
    assert 0 < grey < 100
    red, green = "#b04a2a", "#6f7a20"
    plain = differences((red, green))[0, 1]
    assert differences((seen_with("red-blind", red), seen_with("red-blind", green)))[0, 1] < plain / 2
    assert all(seen_with(deficit, "#808080") == "#808080" for deficit in DEFICITS)


def test_who_can_tell_two_colours_apart() -> None:
    one = BalloonColour(key="a", name="a", code="A", hex="#2f5f9e")
    near = BalloonColour(key="b", name="b", code="B", hex="#33629f")
    far = BalloonColour(key="c", name="c", code="C", hex="#f2b632")
    found = hardly_apart((one, near, far))
    assert [(a.one, a.other, a.to) for a in found] == [("a", "b", "")]
    assert dark_first(("c", "a"), (one, near, far)) == ("a", "c")
    assert list(nearest(lab_of(np.array([rgb_of("#30609d"), rgb_of("#ffcc44")])), (one, near, far))) == [0, 2]
    assert mixed_look("#000000", "#ffffff") not in ("#000000", "#ffffff")


def test_main_colours_are_found_with_the_most_frequent_first() -> None:
    pixels = np.array([rgb_of("#c8322b")] * 50 + [rgb_of("#16605f")] * 90 + [rgb_of("#f4efe4")] * 20)
    assert main_colours(pixels, 3) == ["#16605f", "#c8322b", "#f4efe4"]
    assert len(main_colours(pixels, 8)) == 3


# --- GIMP palettes -----------------------------------------------------------------------------


@given(st.lists(st.tuples(names, hexes), min_size=1, max_size=12))
def test_palettes_round_trip(tmp_path_factory: pytest.TempPathFactory, found: list[tuple[str, str]]) -> None:
    palette = named_colours(found)
    assert len({c.key for c in palette}) == len({c.code for c in palette}) == len(found)
    path = tmp_path_factory.mktemp("gpl") / "p.gpl"
    path.write_text(palette_gpl(palette, "my palette"), encoding="utf-8")
    assert [(c.name, c.hex) for c in read_gpl(path)] == [(c.name, c.hex) for c in palette]


@pytest.mark.parametrize(
    "text",
    ["", "GIMP Palette\n", "GIMP Palette\n300 0 0 hot\n", "GIMP Palette\nred\n", "GIMP Palette\n1 2\n", "\x00\xff" * 99,
     "GIMP Palette\n" + "1 2 3 x\n" * 300],
)  # fmt: skip
def test_palettes_that_are_none_get_one_sentence(tmp_path: Path, text: str) -> None:
    path = tmp_path / "p.gpl"
    path.write_text(text, encoding="utf-8", newline="")
    with pytest.raises(KakushiError) as caught:
        read_gpl(path)
    assert str(caught.value).count("\n") == 0


# --- motifs ------------------------------------------------------------------------------------


def test_a_picture_becomes_the_nearest_colours_with_clear_parts_left_out(tmp_path: Path) -> None:
    image = Image.new("RGBA", (80, 40), (0, 0, 0, 0))
    image.paste((205, 45, 40, 255), (0, 0, 40, 20))
    image.paste((20, 100, 96, 255), (40, 20, 80, 40))
    path = tmp_path / "m.png"
    image.save(path)
    cells = motif_of(read_picture(path), DEFAULT_PALETTE, 4)
    assert cells == (("signal-red", "signal-red", "", ""), ("", "", "deep-teal", "deep-teal"))
    assert set(palette_of(image, 4)) == {"#cd2d28", "#146460"}


def test_a_drawing_becomes_a_motif(tmp_path: Path) -> None:
    path = tmp_path / "m.svg"
    path.write_text(
        '<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 20 20"><rect width="10" height="20" fill="#c8322b"/>'
        '<g transform="translate(10 0)"><rect width="10" height="20" fill="#2f5f9e"/></g></svg>'
    )
    assert motif_of(read_picture(path), DEFAULT_PALETTE, 2) == (("signal-red", "harbour-blue"),) * 2


def hostile(folder: Path) -> list[Path]:
    made = {
        "empty.png": b"",
        "text.png": b"not a picture",
        "entities.svg": b'<!DOCTYPE s [<!ENTITY a "x"><!ENTITY b "&a;&a;">]><svg xmlns="http://www.w3.org/2000/svg">&b;</svg>',
        "nothing.svg": b'<svg xmlns="http://www.w3.org/2000/svg"/>',
        "broken.svg": b"<svg",
    }
    paths = []
    for name, data in made.items():
        (folder / name).write_bytes(data)
        paths.append(folder / name)
    Image.new("RGBA", (9, 9), (1, 2, 3, 0)).save(folder / "clear.png")
    frames = [Image.new("P", (9, 9), i) for i in range(3)]
    frames[0].save(folder / "moving.png", save_all=True, append_images=frames[1:])
    Image.new("1", (12_000, 9_000)).save(folder / "huge.png")
    Image.new("RGB", (900, 2)).save(folder / "thin.png")
    whole = (folder / "clear.png").read_bytes()
    (folder / "cut.png").write_bytes(whole[: len(whole) // 2])
    return [*paths, *(folder / n for n in ("clear.png", "moving.png", "huge.png", "thin.png", "cut.png"))]


def test_pictures_that_mean_harm_get_one_sentence(tmp_path: Path) -> None:
    for path in hostile(tmp_path):
        with pytest.raises(KakushiError) as caught:
            motif_of(read_picture(path), DEFAULT_PALETTE, 12, path.name)
        assert str(caught.value).endswith((".", "picture"))
        assert "\n" not in str(caught.value)
    with pytest.raises(BadInput):
        palette_of(Image.new("RGBA", (5, 5), (0, 0, 0, 0)), 3)


# --- the skin -----------------------------------------------------------------------------------


def test_the_skin_is_drawn_to_scale_and_its_pages_cover_it() -> None:
    job = load_job(demo_job_path())
    piece = plan(job, Studio()).pieces[0]
    whole = ElementTree.fromstring(skin_svg(piece, job, 0.25).encode())
    circles = [e for e in whole.iter() if e.tag.endswith("circle")]
    assert len(circles) >= len(piece.geometry.radii)
    assert {float(c.get("r")) for c in circles} == {round(float(r) * 0.25, 2) for r in piece.geometry.shape_radii}
    heights = sorted({float(c.get("cy")) for c in circles})
    spread = (piece.surface.heights.max() - piece.surface.heights.min()) * 0.25
    assert heights[-1] - heights[0] == pytest.approx(spread, abs=0.02)
    wide, tall = (float(whole.get(side).removesuffix("mm")) for side in ("width", "height"))
    pages = skin_pages(piece, job, 0.5)
    boxes = [list(map(float, re.search(r'viewBox="([^"]+)"', page)[1].split())) for page in pages]
    assert {(round(w), round(h)) for _, _, w, h in boxes} == {tuple(map(round, PAGE_MM))}
    assert max(x + w for x, _, w, _ in boxes) >= 2 * wide - 12
    assert max(y + h for _, y, _, h in boxes) >= 2 * tall - 12
    assert f"page 1 of {len(pages)}" in pages[0]
    assert pages[0].count('stroke="#000000"') == 4
