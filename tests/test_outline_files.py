"""Outlines from SVG, pictures and CSV: many dialects, one vase; hostile files refused."""

from __future__ import annotations

import io
from pathlib import Path

import numpy as np
import pytest
from PIL import Image, ImageDraw
from scipy.ndimage import label

from kakushi.dress.foils import film_of
from kakushi.formats.read.outline_csv import outline_from_csv
from kakushi.formats.read.outline_file import load_outline, straightened_deg
from kakushi.model.errors import BadInput, KakushiError
from kakushi.model.outline import PointsOutline
from kakushi.model.parts import FoilShape
from kakushi.shape.profile import profile_of
from kakushi.shape.silhouette import outline_of_mask

# A vase 200 wide, 400 tall around x = 100: foot 60, belly 200, neck 40 half-widths.
VASE = "M 40 400 L 0 250 L 60 100 L 60 0 L 140 0 L 140 100 L 200 250 L 160 400 Z"
RIGHT_HALF = "M 100 400 L 160 400 L 200 250 L 140 100 L 140 0 L 100 0 Z"
HEAD = '<svg xmlns="http://www.w3.org/2000/svg" xmlns:xlink="http://www.w3.org/1999/xlink"'

BODY = "M 40 400 L 0 250 L 60 100 L 140 100 L 200 250 L 160 400 Z"
PATH = f'<path d="{VASE}"/>'
DOCTYPE = '<?xml version="1.0"?><!DOCTYPE svg PUBLIC "-//W3C//DTD SVG 1.1//EN" "svg11.dtd">'


def svg(content: str, attributes: str = "", before: str = "") -> str:
    return f"{before}{HEAD} {attributes}>{content}</svg>"


DIALECTS = {
    "plain": svg(PATH),
    "viewBox and mm": svg(PATH, 'width="50mm" height="100mm" viewBox="0 0 200 400"'),
    "polygon": svg('<polygon points="40,400 0,250 60,100 60,0 140,0 140,100 200,250 160,400"/>'),
    "relative path": svg('<path d="m40 400-40-150 60-150v-100h80v100l60 150-40 150z"/>'),
    "open path": svg(f'<path fill="none" stroke="#000" d="{VASE[:-1]}"/>'),
    "nested transforms": svg(
        '<g transform="translate(30 9) scale(.5)"><g transform="rotate(0)">'
        f'<path transform="matrix(2 0 0 2 4 4)" d="{VASE}"/></g></g>'
    ),
    "mirrored": svg(f'<g transform="scale(-1 1)">{PATH}</g>'),
    "half": svg(f'<path d="{RIGHT_HALF}"/>'),
    "half, mirrored": svg(f'<path transform="scale(-1,1)" d="{RIGHT_HALF}"/>'),
    "symbol and use": svg(f'<defs><path id="v" d="{VASE}"/></defs><use xlink:href="#v" x="7" y="3"/>'),
    "on a ground": svg(f'<rect x="-50" y="-50" width="300" height="500"/>{PATH}', 'viewBox="-50 -50 300 500"'),
    "with specks": svg(f'{PATH}<circle cx="260" cy="20" r="9"/><circle cx="-60" cy="390" r="9"/>'),
    "in parts": svg(f'<rect x="60" y="0" width="80" height="101"/><path d="{BODY}"/>'),
    "a hidden twin": svg(f'{PATH}<rect width="900" height="400" display="none"/>'),
    "doctype": svg(PATH, before=DOCTYPE),
}


def half_widths(outline: PointsOutline, height: float) -> np.ndarray:
    """Half-widths in the drawing's units at a few heights from the foot."""
    profile = profile_of(outline, height)
    at = np.array([0.01, 0.375, 0.55, 0.9]) * height
    left, right = profile.sides(at)
    assert profile.height == pytest.approx(height)
    return np.stack([left, right]) * 400 / height


EXPECTED = np.array([60 + 40 * 4 / 150, 100.0, 100 - 60 * 70 / 150, 40.0])


@pytest.mark.parametrize("dialect", DIALECTS)
def test_svg_dialects_give_one_vase(dialect: str, tmp_path: Path) -> None:
    path = tmp_path / "vase.svg"
    path.write_text(DIALECTS[dialect], "utf-8")
    found = half_widths(load_outline(path, 2000.0), 2000.0)
    assert found == pytest.approx(np.stack([EXPECTED, EXPECTED]), abs=1.2)


def test_curves_and_asymmetry_are_kept(tmp_path: Path) -> None:
    path = tmp_path / "egg.svg"
    path.write_text(f'{HEAD}><ellipse cx="50" cy="80" rx="50" ry="80"/></svg>')
    profile = profile_of(load_outline(path, 1600.0), 1600.0)
    assert profile.area == pytest.approx(np.pi * 500 * 800, rel=0.01)
    path.write_text(f'{HEAD}><path d="M 0 100 L 30 0 L 60 0 L 100 100 Z M 40 0 h 10"/></svg>')
    left, right = profile_of(load_outline(path, 1000.0), 1000.0).sides(np.array([10.0, 990.0]))
    assert left[0] + right[0] == pytest.approx(1000, rel=0.02)
    assert left[1] != pytest.approx(right[1], rel=0.02)


BOMB = '<!DOCTYPE x [<!ENTITY a "aaaa"><!ENTITY b "&a;&a;&a;">]>'
HOSTILE = {
    "empty.svg": b"",
    "text.svg": b"just words",
    "cut.svg": b"<svg xmlns='http://www.w3.org/2000/svg'><path d='M 0 0",
    "nothing.svg": f"{HEAD}></svg>".encode(),
    "flat.svg": f'{HEAD}><path d="M 0 0 L 9 0 L 3 0 Z"/></svg>'.encode(),
    "bomb.svg": f"{BOMB}{HEAD}><text>&b;</text></svg>".encode(),
    "outside.svg": f'<!DOCTYPE x [<!ENTITY e SYSTEM "file:///etc/passwd">]>{HEAD}><text>&e;</text></svg>'.encode(),
    "infinite.svg": f'{HEAD}><path d="M 0 0 L 1e400 5 L 5 1e400 Z"/></svg>'.encode(),
    "nonsense.svg": f'{HEAD}><path d="Q W E R T Y"/><rect width="wide" height="-5"/></svg>'.encode(),
    "deep.svg": f"{HEAD}>{'<g>' * 20000}{'</g>' * 20000}</svg>".encode(),
    "empty.png": b"",
    "text.png": b"just words",
    "cut.png": b"\x89PNG\r\n\x1a\n\x00\x00\x00\rIHDR\x00\x00\x01\x00\x00\x00\x01\x00\x08\x06",
    "foreign.doc": b"x",
}


@pytest.mark.parametrize("name", HOSTILE)
def test_hostile_outlines_get_one_sentence(name: str, tmp_path: Path) -> None:
    path = tmp_path / name
    path.write_bytes(HOSTILE[name])
    with pytest.raises(KakushiError) as caught:
        load_outline(path, 2000.0)
    assert "\n" not in str(caught.value)
    assert name.split(".", maxsplit=1)[0] in str(caught.value)


def drawn(ink: object, ground: object, mode: str = "RGB", noise: bool = False) -> Image.Image:
    image = Image.new(mode, (300, 500), ground)
    points = [(90, 450), (50, 300), (110, 150), (110, 50), (190, 50), (190, 150), (250, 300), (210, 450)]
    pen = ImageDraw.Draw(image)
    pen.polygon(points, fill=ink)
    if noise:
        for x, y in ((5, 5), (290, 480), (20, 250)):
            pen.rectangle([x, y, x + 6, y + 6], fill=ink)
    return image


@pytest.mark.parametrize(
    "image",
    [
        drawn((0, 0, 0), (255, 255, 255)),
        drawn((255, 255, 255), (0, 0, 0)),
        drawn((200, 40, 40), (200, 220, 240), noise=True),
        drawn((9, 9, 9, 255), (0, 0, 0, 0), "RGBA"),
        drawn(0, 255, "L"),
        drawn(1, 0, "1"),
    ],
    ids=["black on white", "white on black", "colour with specks", "transparent", "grey", "bilevel"],
)
@pytest.mark.parametrize("kind", ["png", "jpg"])
def test_pictures_give_the_same_vase(image: Image.Image, kind: str, tmp_path: Path) -> None:
    if kind == "jpg" and image.mode == "RGBA":
        image = drawn((60, 60, 60), (230, 230, 230))
    path = tmp_path / f"vase.{kind}"
    (image.convert("RGB") if kind == "jpg" else image).save(path, quality=95)
    found = half_widths(load_outline(path, 2000.0), 2000.0)
    assert found == pytest.approx(np.stack([EXPECTED, EXPECTED]), abs=2.0)


def test_pictures_that_cannot_be_outlines_say_why(tmp_path: Path) -> None:
    def refused(image: Image.Image, words: str, **options: object) -> None:
        path = tmp_path / "p.png"
        buffer = io.BytesIO()
        image.save(buffer, "PNG", **options)
        path.write_bytes(buffer.getvalue())
        with pytest.raises(BadInput, match=words):
            load_outline(path, 2000.0)

    refused(Image.new("RGB", (50, 50), (9, 9, 9)), "all one colour")
    refused(Image.new("RGBA", (50, 50), (0, 0, 0, 0)), "no shape")
    refused(Image.new("RGB", (1, 1)), "no shape")
    frame = drawn((0, 0, 0), (255, 255, 255))
    refused(frame, "animation", save_all=True, append_images=[frame.transpose(Image.Transpose.FLIP_LEFT_RIGHT)])
    refused(Image.new("1", (9000, 9000)), "too large")


@pytest.mark.parametrize("lean", [0.0, 2.6, -7.0])
def test_a_picture_that_leans_is_stood_upright_unless_refused(lean: float, tmp_path: Path) -> None:
    path = tmp_path / "vase.png"
    large = drawn((60, 60, 60), (230, 230, 230)).resize((900, 1500), Image.Resampling.BICUBIC)
    large.rotate(lean, resample=Image.Resampling.BICUBIC, fillcolor=(230, 230, 230)).save(path)
    assert straightened_deg(path) == pytest.approx(-lean, abs=0.15)
    assert half_widths(load_outline(path, 2000.0), 2000.0) == pytest.approx(np.stack([EXPECTED, EXPECTED]), abs=2.0)
    left, right = half_widths(load_outline(path, 2000.0, straightened=False), 2000.0)
    assert (np.abs(left - right).max() > 3) == bool(lean)


def test_a_half_outline_is_not_taken_for_a_leaning_whole(tmp_path: Path) -> None:
    path = tmp_path / "half.png"
    image = Image.new("RGB", (300, 500), "white")
    ImageDraw.Draw(image).polygon([(150, 450), (250, 450), (170, 50), (150, 50)], fill="black")
    image.save(path)
    assert straightened_deg(path) == 0
    left, right = half_widths(load_outline(path, 2000.0), 2000.0)
    assert left == pytest.approx(right, abs=1.5)


STEPS = [(0, 200), (500, 200), (500, 80), (900, 80), (900, 140), (1400, 140)]


@pytest.mark.parametrize("order", ["rising", "falling", "shuffled"])
def test_the_order_of_lines_does_not_matter_and_steps_survive(order: str) -> None:
    lines = {
        "rising": STEPS,
        "falling": STEPS[::-1],
        "shuffled": [STEPS[i] for i in (3, 0, 5, 2, 4, 1)],
    }[order]
    outline = outline_from_csv("\n".join(f"{h},{r}" for h, r in lines), "steps")
    left, right = profile_of(outline, 1400.0).sides(np.array([499.0, 501.0, 899.0, 901.0]))
    assert left == pytest.approx([200, 80, 80, 140], abs=0.1)
    assert right == pytest.approx(left)


def test_csv_is_scaled_evenly(tmp_path: Path) -> None:
    path = tmp_path / "cone.csv"
    path.write_text("height,radius\n0,100\n500,50\n")
    profile = profile_of(load_outline(path, 1000.0), 1000.0)
    assert (profile.right[0], profile.right[-1]) == (pytest.approx(200), pytest.approx(100))


def test_a_square_is_no_half_outline() -> None:
    outline = outline_of_mask(np.ones((100, 60), dtype=bool), "crate", 1000.0)
    assert profile_of(outline, 1000.0).widest == pytest.approx(600)


# --- shapes with holes and arms ------------------------------------------------------------------


def ring(radius: float, steps: int = 720, clockwise: bool = False, x: float = 0.0) -> np.ndarray:
    turn = np.linspace(0, 2 * np.pi, steps, endpoint=False) * (-1 if clockwise else 1)
    return np.stack([x + radius * np.cos(turn), radius * np.sin(turn)], axis=1)


def star(points: int, step: int) -> np.ndarray:
    """A star drawn in one stroke, from tip to tip."""
    turn = np.arange(points) * step * 2 * np.pi / points - np.pi / 2
    return 300 * np.stack([np.cos(turn), np.sin(turn)], axis=1)


def arms(points: int, inner: float) -> np.ndarray:
    turn = np.arange(2 * points) * np.pi / points - np.pi / 2
    out = np.where(np.arange(2 * points) % 2 == 0, 300.0, inner * 300)
    return out[:, None] * np.stack([np.cos(turn), np.sin(turn)], axis=1)


BOX = np.array([[-100.0, -300], [100, -300], [100, 300], [-100, 300]])
LETTER_O = [2 * BOX * [0.75, 0.5], BOX[::-1] * [0.7, 0.4]]
LETTER_A = [
    np.array([[-200, 250], [-40, -250], [40, -250], [200, 250], [120, 250], [70, 90], [-70, 90], [-120, 250.0]]),
    np.array([[-45.0, 10], [0, -130], [45, 10]]),
]
U_SHAPE = np.array(
    [[-200, -250], [-80, -250], [-80, 130], [80, 130], [80, -250], [200, -250], [200, 250], [-200, 250.0]]
)
SHAPES = {
    "one-stroke star": ([star(5, 2)], "nonzero"), "one stroke, nine tips": ([star(9, 2)], "nonzero"),
    "eight arms": ([arms(8, 0.4)], "nonzero"), "ring": ([ring(300), ring(160, clockwise=True)], "nonzero"),
    "ring, even-odd": ([ring(300), ring(160)], "evenodd"), "two turns are one": ([ring(300), ring(160)], "nonzero"),
    "crescent": ([ring(300), ring(240, clockwise=True, x=59.0)], "nonzero"), "O": (LETTER_O, "nonzero"),
    "A": (LETTER_A, "evenodd"), "U": ([U_SHAPE], "nonzero"), "plain": ([BOX], "nonzero"),
    "five arms": ([arms(5, 0.45)], "evenodd"),
}  # fmt: skip


def area_and_width(polygons: list[np.ndarray], rule: str, step: float) -> tuple[float, float]:
    """By winding numbers on a fine grid, written from the rule of the SVG standard."""
    every = np.concatenate(polygons)
    low, high = every.min(axis=0), every.max(axis=0)
    x, y = np.meshgrid(np.arange(low[0], high[0], step) + step / 2, np.arange(low[1], high[1], step) + step / 2)
    wound = np.zeros(x.shape, dtype=int)
    for polygon in polygons:
        for (ax, ay), (bx, by) in zip(polygon, np.roll(polygon, -1, axis=0), strict=True):
            crosses = (ay <= y) != (by <= y)
            side = x < ax + (y - ay) * (bx - ax) / ((by - ay) or 1.0)
            wound += np.where(crosses & side, 1 if by > ay else -1, 0)
    inside = wound % 2 == 1 if rule == "evenodd" else wound != 0
    labels, _ = label(inside)
    largest = labels == np.bincount(labels[inside]).argmax()
    columns = np.flatnonzero(largest.any(axis=0))
    return float(largest.sum()) * step**2, (columns[-1] - columns[0] + 1) * step


@pytest.mark.parametrize("name", SHAPES)
def test_foils_are_shaped_like_their_drawing(tmp_path, name) -> None:
    polygons, rule = SHAPES[name]
    path = " ".join("M" + " L".join(f"{x:.3f},{y:.3f}" for x, y in polygon) + " Z" for polygon in polygons)
    file = tmp_path / "shape.svg"
    file.write_text(
        f'<svg xmlns="http://www.w3.org/2000/svg" viewBox="-400 -400 800 800"><g fill-rule="{rule}">'
        f'<path d="{path}"/></g></svg>'
    )
    # The tips of a crescent are too thin for a coarse grid.
    area, wide = area_and_width(polygons, rule, 1.0 if name == "crescent" else 2.0)
    tall = float(np.ptp(np.concatenate(polygons)[:, 1]))
    outline = load_outline(file, tall)
    across = max(point.left_mm for point in outline.points) + max(point.right_mm for point in outline.points)
    assert across == pytest.approx(wide, rel=0.01, abs=2)
    film = film_of(FoilShape(key=1, outline=outline, tall_mm=tall, wide_mm=across, deep_mm=100))
    assert (film.inside > 0).sum() * film.step[0] * film.step[1] == pytest.approx(area, rel=0.02)


def test_a_crescent_is_as_wide_as_it_is_asked_for() -> None:
    for shape in ("crescent", "ring", "star", "heart"):
        film = film_of(FoilShape(key=1, shape=shape, tall_mm=400, wide_mm=300, deep_mm=80))
        across, down = (np.flatnonzero((film.inside > 0).any(axis=axis)) for axis in (0, 1))
        assert (across[-1] - across[0] + 1) * film.step[1] == pytest.approx(300, rel=0.02), shape
        assert (down[-1] - down[0] + 1) * film.step[0] == pytest.approx(400, rel=0.03), shape
