"""The picture agrees with the geometry, to the pixel and to the millimetre."""

from __future__ import annotations

import math
from itertools import combinations, pairwise
from typing import Literal

import numpy as np
import pytest
from skimage.color import deltaE_ciede2000, rgb2lab

from kakushi.dress.foils import film_of
from kakushi.formats.export import png
from kakushi.formats.export.png import pictured
from kakushi.formats.print.scene import scene_image, scene_on_paper, standing
from kakushi.formats.store.job_file import load_job
from kakushi.formats.store.paths import demo_job_path
from kakushi.model.catalogue import DEFAULT_PALETTE, Finish, Studio
from kakushi.model.frame import Base, Frame
from kakushi.model.groups import BarePoleGroup, RowsGroup, uniform_row
from kakushi.model.job import Job
from kakushi.model.parts import Dressing, FoilShape, Part, PartBalloons, Topper
from kakushi.model.piece import Piece
from kakushi.model.units import inches
from kakushi.model.values import replace
from kakushi.packing.settle import settle
from kakushi.packing.stack import Packing
from kakushi.picture.film import Film, flat_film, rounded_film, with_films
from kakushi.picture.paint import Paint, paint_of
from kakushi.picture.prints import PRINTS, printed_share
from kakushi.picture.scene import (
    draw_piece,
    in_perspective,
    pole_of,
    portrait,
    portrait_view,
    quieted,
    shaded,
    with_shadow,
)
from kakushi.picture.shading import shade
from kakushi.plan.pipeline import plan
from kakushi.plan.values import PiecePlan
from kakushi.sight.buffers import NOTHING, POLE, draw_buffers
from kakushi.sight.view import View


def straight_column(rows: int, frame: Frame | None = None, parts: tuple[Part, ...] = ()) -> PiecePlan:
    group = RowsGroup(rows=tuple(uniform_row(k + 1, 4, 11, inches(8.5)) for k in range(rows)))
    piece = Piece(key=1, name="Gate", groups=(group,), frame=frame or Frame(), parts=parts)
    return plan(Job(pieces=(piece,)), Studio()).pieces[0]


def paints(found: PiecePlan) -> list[Paint]:
    return [Paint((0.8, 0.2, 0.2))] * len(found.drawn.radii)


def test_a_straight_column_of_quads_has_one_height_everywhere() -> None:
    found = straight_column(12)
    report = found.geometry.report
    assert report.converged
    # Height: knots rise evenly, half a balloon reaches below the first and above the last knot.
    d = inches(8.5)
    top, foot = (2 * found.geometry.shape_radii[found.geometry.of_row(row)[0]] for row in (11, 0))
    # End rows dish a little: nothing presses them from outside.
    assert found.height_mm == pytest.approx(found.geometry.knots[-1] + top / 2, abs=3.0)
    assert found.geometry.knots[0] == pytest.approx(foot / 2, abs=3.0)
    assert d < foot < 1.04 * d, "air is kept: what is pressed flat swells elsewhere"
    assert len(found.geometry.knots) == len(found.piece.rows) == 12
    assert found.balloon_count == len(found.geometry.radii) == 48
    assert 1850 < found.height_mm < 2000
    # Picture at one pixel per millimetre, sampled at pixel centres.
    view = View(700, 2300, 1.0, -350.0, 2250.0)
    drawn = draw_buffers(found.geometry, view)
    lines = np.flatnonzero((drawn.identity >= 0).any(axis=1))
    assert 2250 - lines[0] == pytest.approx(found.height_mm, abs=1.0)
    assert 2250 - (lines[-1] + 1) == pytest.approx(0.0, abs=1.0)
    bands = [drawn.pick(350 + x, 2250 - z) for x, z in _front_of_rows(found)]
    assert [int(found.geometry.row_of[b]) for b in bands if b is not None] == list(range(12))


def _front_of_rows(found: PiecePlan) -> list[tuple[float, float]]:
    """Where each row's frontmost balloon is nearest, (x, z) mm."""
    g = found.geometry
    front = [min(g.of_row(k), key=lambda i: g.centres[i, 1]) for k in range(len(g.knots))]
    return [(float(g.centres[i, 0]), float(g.centres[i, 2])) for i in front]


def test_pole_base_and_topper_are_drawn_where_they_stand() -> None:
    topper = Topper(key=1, tall_mm=300, balloons=(PartBalloons(nominal_in=16, colour="rope", count=1),))
    found = straight_column(3, Frame(pole_length_mm=1500, base=Base(height_mm=40)), (topper,))
    assert found.geometry.bottom == pytest.approx(40)
    last = found.drawn.centres[-1]
    below = found.geometry.centres[found.geometry.of_row(2)]
    touching = 150 + found.geometry.shape_radii[-1]
    assert np.linalg.norm(below - last, axis=1).min() == pytest.approx(touching), (
        "it rests in the hollow of the last row"
    )
    assert found.overall_height_mm == pytest.approx(last[2] + 150)
    view = View(600, 1600, 1.0, -300.0, 1550.0)
    identity = draw_buffers(found.drawn, view).identity
    assert 1550 - np.flatnonzero((identity >= 0).any(axis=1))[0] == pytest.approx(found.overall_height_mm, abs=1)
    buffers, picture = draw_piece(found.drawn, found.piece.frame, paints(found), view)
    pole_lines = np.flatnonzero((buffers.identity == POLE).any(axis=1))
    assert 1550 - pole_lines[0] == pytest.approx(1500, abs=1)
    assert (picture[..., 3] > 0).sum() >= (buffers.identity != NOTHING).sum() * 0.99


def test_turning_the_view_turns_the_column() -> None:
    found = straight_column(1)
    g = found.geometry
    for azimuth in (0.0, 1.1, math.pi):
        view = View(600, 300, 1.0, -300.0, 260.0, azimuth)
        placed = view.project(g.centres)
        nearest = int(np.argmin(placed[:, 2]))
        assert draw_buffers(g, view).pick(*placed[nearest, :2]) == nearest
    right = View(600, 300, 1.0, -300.0, 260.0, math.pi / 2).project(np.array([[100.0, 0.0, 0.0]]))
    assert right[0, 2] == pytest.approx(-100.0), "from the right, what is at +x is nearest"


def test_shading_shows_colour_light_and_touching() -> None:
    found = straight_column(2)
    view = View(300, 220, 2.0, -300.0, 410.0)
    buffers = draw_buffers(found.geometry, view)
    red = shade(buffers, paints(found))
    solid = buffers.identity >= 0
    assert (red[solid][:, 0].astype(int) > red[solid][:, 2]).mean() > 0.97, "red stays red but for highlights"
    assert red[..., 1][solid].max() > 100, "there is a highlight: red alone has hardly any green"
    front = int(np.argmin(found.geometry.centres[:, 1]))
    x, y, _ = view.project(found.geometry.centres)[front]
    middle = red[int(y), int(x), 0]
    edge = red[buffers.identity == front][:, 0].min()
    assert edge < 0.8 * middle, "it darkens towards its neighbours"
    lit = shade(buffers, paints(found), lit=(front,))
    assert lit[int(y), int(x)].astype(int).sum() > red[int(y), int(x)].astype(int).sum()
    clear = shade(buffers, [Paint((0.8, 0.2, 0.2), Finish.CLEAR)] * 8)
    assert clear[int(y), int(x), 3] < 255


def test_pictures_are_the_same_every_time_and_pick_nothing_outside() -> None:
    found = straight_column(5)
    one = portrait(found.drawn, found.piece.frame, paints(found), 200, 400)
    assert np.array_equal(one, portrait(found.drawn, found.piece.frame, paints(found), 200, 400))
    drawn = draw_buffers(found.geometry, View(50, 50, 20.0, -500.0, 1000.0))
    assert drawn.pick(-1, 3) is None
    assert drawn.pick(3, 50) is None
    assert drawn.pick(0, 0) is None
    with pytest.raises(ValueError, match="not a colour"):
        paint_of("red")


# --- balloons that look like balloons -------------------------------------------------------------------------


def one_balloon(hex_colour: str, finish: Finish = Finish.PLAIN, pixels: int = 200) -> tuple[np.ndarray, np.ndarray]:
    """A balloon alone, (h, w, 4), and how far each pixel is from its middle over its radius."""
    alone = settle((), Packing(1.0)).with_more(np.array([[0.0, 0.0, pixels / 2]]), np.array([pixels * 0.45]))
    view = View(pixels, pixels, 1.0, -pixels / 2, float(pixels))
    y, x = np.mgrid[0:pixels, 0:pixels] + 0.5 - pixels / 2
    return shade(draw_buffers(alone, view), [paint_of(hex_colour, finish)]), np.hypot(x, y) / (pixels * 0.45)


@pytest.mark.parametrize("hex_colour", [c.hex for c in DEFAULT_PALETTE] + ["#000000", "#ffffff", "#808080", "#e00080"])
def test_the_broad_lit_area_shows_the_palette_s_colour(hex_colour) -> None:
    picture, away = one_balloon(hex_colour)
    seen = np.median(picture[away < 0.7][:, :3], axis=0)
    wanted = [int(hex_colour[i : i + 2], 16) for i in (1, 3, 5)]
    lab = [rgb2lab(np.array(rgb, dtype=float).reshape(1, 1, 3) / 255) for rgb in (seen, wanted)]
    assert deltaE_ciede2000(*lab)[0, 0] < 6


def test_rims_and_shadows_stay_saturated_and_reflections_are_there() -> None:
    picture, away = one_balloon("#c8322b")
    inside = picture[(away < 0.97)][:, :3].astype(float)
    dark = inside[inside.sum(axis=1) < np.quantile(inside.sum(axis=1), 0.1)]
    grey = dark.min(axis=1) / dark.max(axis=1)
    assert np.median(grey) < 0.25, "light through the skin: the shade of red is red, not grey"
    assert dark[:, 0].mean() < 0.75 * 200
    window = (inside[:, 1] > 110) & (inside[:, 2] > 110)
    assert 0.005 < window.mean() < 0.06, "a window is reflected, no more than that"


def test_finishes_differ_at_a_glance() -> None:
    looks = {finish: one_balloon("#2f5f9e", finish, 80)[0].astype(float) for finish in Finish}
    for one, other in combinations(Finish, 2):
        assert np.abs(looks[one] - looks[other]).mean() > 2.0, f"{one} and {other} look alike"
    dull, plain, mirror = (looks[finish][..., :3].max() for finish in (Finish.MATTE, Finish.PLAIN, Finish.MIRROR))
    assert dull < plain <= mirror


def test_marks_cover_as_much_of_a_balloon_as_their_shapes_say() -> None:
    rng = np.random.default_rng(3)
    ways = rng.normal(size=(40_000, 3))
    x, y, z = (ways / np.linalg.norm(ways, axis=1, keepdims=True)).T.astype(np.float32)
    pixel = np.full(len(x), 1e-3, dtype=np.float32)
    star = 5 * 0.42 * math.sin(math.pi / 5)
    for finish, area in ((Finish.PRINTED, math.pi), (Finish.STARS, star), (Finish.CONFETTI, 4.0)):
        kind = PRINTS[finish]
        wanted = kind.many * area * kind.size**2 / (4 * math.pi)
        assert printed_share(finish, (x, y, z), pixel).mean() == pytest.approx(wanted, rel=0.08), finish


def test_the_outer_one_of_two_balloons_shows_at_the_rim() -> None:
    alone = settle((), Packing(1.0)).with_more(np.array([[0.0, 0.0, 100.0]]), np.array([90.0]))
    buffers = draw_buffers(alone, View(200, 200, 1.0, -100.0, 200.0))
    doubled, single = (shade(buffers, [paint_of("#8080a0", Finish.MATTE, outer=o)]) for o in ("#c02020", None))
    redder = doubled[..., 0].astype(float) - single[..., 0]
    assert abs(redder[100, 100]) < 3
    assert redder[100, 14:20].mean() > 15


def test_where_balloons_cut_each_other_a_pixel_shows_both() -> None:
    pair = settle((), Packing(1.0)).with_more(
        np.array([[-40.0, 0.0, 90.0], [45.0, 12.0, 120.0]]), np.array([70.0, 65.0])
    )
    skins = [paint_of("#101010", Finish.MATTE), paint_of("#f8f8f8", Finish.MATTE)]
    coarse, fine = (draw_buffers(pair, View(260 * times, 220 * times, 1 / times, -130.0, 220.0)) for times in (1, 4))
    picture = shade(coarse, skins)[..., 0].astype(float)
    wanted = shade(fine, skins)[..., 0].reshape(220, 4, 260, 4).mean(axis=(1, 3))
    one, other = coarse.identity[:, :-1], coarse.identity[:, 1:]
    line, column = np.nonzero((one == 0) & (other == 1))
    inner = (line > 70) & (line < 150)
    line, column = line[inner], column[inner]
    assert len(line) > 40
    assert np.abs(picture[line, column] - wanted[line, column]).mean() < 12


def test_rims_are_softened_and_one_sees_through_clear_balloons() -> None:
    centres = np.array([[-40.0, 60.0, 100.0], [30.0, -60.0, 100.0]])
    pair = settle((), Packing(1.0)).with_more(centres, np.array([80.0, 80.0]))
    view = View(260, 220, 1.0, -130.0, 210.0)
    buffers = draw_buffers(pair, view)
    black, white = paint_of("#101010", Finish.MATTE), paint_of("#f8f8f8", Finish.MATTE)
    picture = shaded(pair, buffers, [white, black])
    rim = (buffers.identity[:, 1:] == 1) & (buffers.identity[:, :-1] == 0)
    line, column = np.nonzero(rim)
    mixed = picture[line, column + 1, 0]
    assert ((mixed > 50) & (mixed < 215)).mean() > 0.25, "where black covers a part of a pixel it is grey"
    through = shaded(pair, buffers, [white, paint_of("#c8322b", Finish.CLEAR)])
    both = (buffers.identity == 1) & (draw_buffers(pair.only(np.array([True, False])), view).identity == 0)
    assert (through[both][:, 3] > 250).mean() > 0.97, "what is behind closes the picture"
    alone = (buffers.identity == 1) & ~both
    assert through[alone][:, 3].mean() < 200


def test_a_shadow_lies_on_the_floor_behind_the_piece() -> None:
    found = straight_column(3)
    view = View(300, 400, 3.0, -450.0, 1100.0)
    bare = draw_piece(found.drawn, found.piece.frame, paints(found), view)[1]
    shadowed = with_shadow(bare.copy(), found.drawn, view)
    new = (shadowed[..., 3] > 0) & (bare[..., 3] == 0)
    lines = np.flatnonzero(new.any(axis=1))
    assert abs(lines.mean() - view.y_px(0.0)) < 15
    assert (shadowed[new][:, :3] == 0).all()
    assert shadowed[new][:, 3].max() < 100
    opaque = bare[..., 3] == 255
    assert np.array_equal(shadowed[opaque], bare[opaque])


def test_the_scene_has_every_copy_on_one_floor() -> None:
    job = load_job(demo_job_path())
    found = plan(job, Studio())
    copies = standing(found, 900, 500)
    assert len(copies) == sum(len(piece.copies) for piece in job.pieces)
    assert all(a.left + a.wide < b.left + 1 for a, b in pairwise(copies))
    image = scene_image(found, 900, 500, paper=None)
    printed = np.asarray(scene_on_paper(found, 900, 500, 20))
    assert printed.shape[0] <= 500
    assert (printed[:19] == 255).all()
    assert (printed[20:24] < 255).any(), "no more sky than wanted"
    alpha = np.array(image)[..., 3]
    assert alpha.max() == 255
    assert (alpha[:100] == 0).mean() > 0.3
    columns = (alpha > 200).any(axis=0)
    assert np.count_nonzero(np.diff(columns.astype(int)) == 1) >= 8, "pieces stand apart"


# --- flat bodies -----------------------------------------------------------------------------------------------------


def film_alone(film: Film, azimuth: float = 0.0) -> np.ndarray:
    """A picture of one film in the middle, 1 mm to the pixel, before a ball and instead of another."""
    balls = settle((), Packing(1.0)).with_more(
        np.array([[0.0, 300.0, 400.0], [0.0, 0.0, 400.0]]), np.array([60.0, 45.0])
    )
    view = View(800, 800, 1.0, -400.0, 800.0, azimuth)
    return with_films(draw_buffers(balls, view), [(1, 1, film.moved(0.0, (0.0, 0.0, 400.0)))]).identity


@pytest.mark.parametrize("turn", [0.0, 0.6, -1.2, math.pi / 2])
def test_a_board_covers_what_its_sides_say(turn) -> None:
    shown = film_alone(flat_film(300.0, 200.0, 10.0), turn)
    wide = 300 * abs(math.cos(turn)) + 10 * abs(math.sin(turn))
    assert (shown == 1).sum() == pytest.approx(wide * 200, rel=0.03, abs=400)
    assert (shown == 0).any() == (wide < 120 or abs(turn) > 0.3), "its own ball is gone, the other one shows behind it"


def test_a_foil_star_has_the_area_of_a_star() -> None:
    star = FoilShape(key=1, shape="star", tall_mm=500, wide_mm=500, deep_mm=150)
    film = film_of(star)
    shown = film_alone(film)
    # Ten triangles between the tips' circle and the inner one, stretched to half a metre both ways.
    tip = 500 / (1 + math.cos(math.pi / 5))
    stretched = 500 / (2 * tip * math.sin(2 * math.pi / 5))
    assert (shown == 1).sum() == pytest.approx(5 * 0.45 * tip**2 * math.sin(math.pi / 5) * stretched, rel=0.03)
    assert film.half.max() == pytest.approx(75, abs=4)
    assert film_of(replace(star, tall_mm=0)) is None


# --- wrapped pole, necks, perspective --------------------------------------------------------------------------------


def wrapped_pole(style: Literal["none", "coil", "plait"], neck_mm: float = 25.0) -> PiecePlan:
    rows = RowsGroup(rows=tuple(uniform_row(k + 1, 4, 5, 100) for k in range(4)))
    piece = Piece(
        key=1,
        name="Lamp",
        groups=(BarePoleGroup(height_mm=400, wrap=style, strands=2), rows),
        frame=Frame(pole_diameter_mm=25, pole_length_mm=900, base=Base(height_mm=0)),
        dressing=Dressing(neck_mm=neck_mm),
    )
    return plan(Job(pieces=(piece,)), Studio()).pieces[0]


@pytest.mark.parametrize(("style", "least", "most"), [("none", 1.0, 1.0), ("plait", 0.2, 0.7), ("coil", 0.0, 0.06)])
def test_a_wrapped_pole_shows_between_its_strands_only(style, least, most) -> None:
    found = wrapped_pole(style)
    drawn, painted = pictured(found, Job(pieces=(found.piece,)))
    assert len(drawn.radii) == len(painted)
    view = View(200, 400, 1.0, -100.0, 400.0, 0.6)
    shown = draw_buffers(drawn, view, pole_of(found.piece.frame, drawn)).identity
    # The pole's own 25 pixels across, below the rows.
    middle = shown[40:380, 100 - 12 : 100 + 12]
    assert least <= (middle == POLE).mean() <= most


def test_necks_are_drawn_where_they_come_out_between_balloons() -> None:
    short, long = (wrapped_pole("none", neck_mm) for neck_mm in (5.0, 60.0))
    assert len(short.trimmings) == 0
    ring = np.hypot(long.geometry.centres[:, 0], long.geometry.centres[:, 1]).max()
    out = np.hypot(long.trimmings.centres[:, 0], long.trimmings.centres[:, 1])
    # A neck, and its lip, in each gap of four rows of four, out beyond where the balloons touch.
    lips = long.trimmings.radii > np.median(long.trimmings.radii)
    assert lips.sum() == 16
    assert out[lips].min() > ring * math.cos(math.pi / 4) - 1
    assert set(long.trimmings.colours) <= set(long.balloon_colours())


def test_perspective_keeps_the_middle_and_enlarges_what_is_near() -> None:
    balls = settle((), Packing(1.0)).with_more(
        np.array([[0.0, 0.0, 500.0], [0.0, -1000.0, 1500.0], [300.0, 1000.0, 500.0]]), np.full(3, 100.0)
    )
    seen = in_perspective(balls, 0.0, 4000.0, 1500.0)
    assert seen.centres[0] == pytest.approx([0, 0, 500])
    assert seen.centres[1] == pytest.approx([0, -1000, 1500]), "at the height of the eye nothing goes up or down"
    assert seen.radii == pytest.approx([100, 100 * 4 / 3, 80])
    assert seen.centres[2] == pytest.approx([240, 1000, 1500 - 0.8 * 1000])
    with pytest.raises(ValueError, match="among"):
        in_perspective(balls, 0.0, 1050.0, 1500.0)


def test_a_cloth_hangs_behind_a_balloon_in_front_of_it() -> None:
    balls = settle((), Packing(1.0)).with_more(
        np.array([[0.0, -200.0, 400.0], [0.0, -210.0, 400.0], [0.0, 0.0, 400.0]]), np.array([60.0, 5.0, 45.0])
    )
    view = View(800, 800, 1.0, -400.0, 800.0)
    cloth = rounded_film(300.0, 200.0, 8.0).moved(0.0, (0.0, 0.0, 400.0))
    shown = with_films(draw_buffers(balls, view), [(2, 1, cloth)]).identity
    assert (shown == 0).sum() == pytest.approx(math.pi * 60**2, rel=0.03), "all of the balloon in front"
    corners = (4 - math.pi) * 16**2
    assert (shown == 2).sum() == pytest.approx(300 * 200 - corners - math.pi * 60**2, rel=0.02)


def test_a_picture_drawn_in_tiles_shows_no_seam(monkeypatch: pytest.MonkeyPatch) -> None:
    demo = load_job(demo_job_path())
    for piece in plan(replace(demo, pieces=demo.pieces[1:4]), Studio()).pieces:
        monkeypatch.setattr(png, "_TILE_PX", 10**7)
        whole = np.asarray(png.piece_image(piece, demo, 420, 300, 0.4)).astype(int)
        monkeypatch.setattr(png, "_TILE_PX", 20_000)
        tiled = np.asarray(png.piece_image(piece, demo, 420, 300, 0.4)).astype(int)
        assert (np.abs(whole - tiled).max(axis=2) > 2).mean() < 1e-3
        assert np.abs(whole - tiled).max() < 12


def test_what_is_not_spoken_of_is_faint_and_keeps_its_colour() -> None:
    geometry = settle((), Packing(1.0)).with_more(
        np.array([[0.0, 0.0, 80.0 + 140 * k] for k in range(3)]), np.full(3, 80.0)
    )
    view = portrait_view(geometry, Frame(), 120, 200)
    buffers, picture = draw_piece(geometry, Frame(), [paint_of("#aa3322")] * 3, view)
    assert quieted(picture, buffers.identity, ()) is picture
    quiet = quieted(picture, buffers.identity, [2])
    assert np.array_equal(quiet[..., :3], picture[..., :3])
    others = (buffers.identity >= 0) & (buffers.identity < 2)
    assert others.any()
    assert (quiet[others, 3] <= 0.5 * picture[others, 3] + 0.5).all()
    assert np.array_equal(quiet[~others], picture[~others])
