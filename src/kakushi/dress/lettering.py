"""Words on a big balloon: as large as the seen cap takes, cut from film so that they look right on the sphere.

The words are laid out as they will look, on the plane an eye in front of the balloon sees. Film lies on the skin and
does not stretch, so a letter is cut as its part of the skin unrolls about its own middle (azimuthal equidistant
projection, Snyder, Map Projections: A Working Manual, 1987, ch. 25): true there but for θ²/6 across.
"""

from __future__ import annotations

import math
from dataclasses import dataclass
from functools import lru_cache
from importlib.resources import files
from itertools import accumulate, pairwise

import numpy as np
from numpy.typing import NDArray

from kakushi.model.arrays import Floats

CAP = 0.8
"""Radius, as a share of the balloon's, within which letters can be read: further out the skin turns away over 53°."""
_OTHER_LINES, _BETWEEN_LINES = 0.62, 0.45
"""Letter height of further lines relative to the first, and space below a line relative to its letter height."""
_FACE_PX, _SMALLEST_MM = 300, 8.0
"""Height at which letters are traced, px; and the smallest letter height, mm, that a cutter and an eye can follow."""
_LEAST_GAP, _HEIGHTS = 0.005, 600
"""Least gap between letters over the height of capitals, a blade's width; heights at which it is looked at."""
_MARGIN_MM = 10.0
"""Margin of film around the letters, mm."""
_MASK = 512
"""Side of the mask on which overlaps of letters are measured, px."""


@dataclass(frozen=True, slots=True, eq=False)
class Letter:
    """A letter as it will look: polygons (k, 2) right and up from the balloon's middle, mm; inner ones are holes."""

    sign: str
    polygons: tuple[Floats, ...]
    middle: tuple[float, float]


@dataclass(frozen=True, slots=True, eq=False)
class Layout:
    """Words on a balloon of `radius` mm; `letter_mm` is the height of the first line's capitals.

    `baselines`: from and to (right) and the height of each line, mm.
    """

    radius: float
    letter_mm: float
    letters: tuple[Letter, ...]
    baselines: tuple[tuple[float, float, float], ...]

    @property
    def film(self) -> tuple[tuple[Floats, ...], ...]:
        """The polygons of every letter on the film, mm right and up from its middle."""
        return tuple(_unrolled(letter, self.radius) for letter in self.letters)

    @property
    def film_size(self) -> tuple[float, float]:
        """Width and height of the film to cut, mm, with a margin."""
        points = [polygon for letter in self.film for polygon in letter]
        if not points:
            return 0.0, 0.0
        wide, tall = np.ptp(np.concatenate(points), axis=0) + 2 * _MARGIN_MM
        return float(wide), float(tall)

    @property
    def is_readable(self) -> bool:
        """Whether the letters are large enough to be cut."""
        return self.letter_mm >= _SMALLEST_MM

    def film_baselines(self) -> list[Floats]:
        """Each baseline on the film, (k, 2) mm: where letters are lined up."""
        lines = []
        for left, right, height in self.baselines:
            x = np.linspace(left, right, 40)
            lines.append(_equidistant(np.stack([x, np.full(40, height)], axis=1), (0.0, 0.0), self.radius))
        return lines


def lay_out(text: str, radius: float, cap: float = CAP) -> Layout | None:
    """The words of a text, line by line, as large as the cap of `cap` times `radius` (mm) takes.

    The first line is the biggest. None without a sign that can be cut.
    """
    lines = [line for line in ("".join(filter(_is_cut, raw)).strip() for raw in text.splitlines()) if line]
    if not lines or radius <= 0:
        return None
    sizes = [1.0, *([_OTHER_LINES] * (len(lines) - 1))]
    tall = sum(sizes) + _BETWEEN_LINES * sum(sizes[:-1])
    tops = [tall / 2 - above for above in [0.0, *accumulate(size * (1 + _BETWEEN_LINES) for size in sizes)][:-1]]
    boxes = [(_width(line) * size / 2, top, top - size) for line, size, top in zip(lines, sizes, tops, strict=True)]
    # All corners of the lines' boxes within the cap: everything grows with the letter height.
    reach = max(math.hypot(half, max(abs(top), abs(foot))) for half, top, foot in boxes)
    height = cap * radius / reach
    letters, baselines = [], []
    for line, size, (half, _, foot) in zip(lines, sizes, boxes, strict=True):
        baselines.append((-half * height, half * height, foot * height))
        for place, sign in enumerate(line):
            if sign == " ":
                continue
            begin = (_origin(line, place) * size - half) * height
            polygons = tuple(polygon * size * height + np.array([begin, foot * height]) for polygon in _glyph(sign))
            if polygons:
                corners = np.concatenate(polygons)
                middle = (corners.min(axis=0) + corners.max(axis=0)) / 2
                letters.append(Letter(sign, polygons, (float(middle[0]), float(middle[1]))))
    return Layout(radius, height, tuple(letters), tuple(baselines)) if letters else None


def signs_left_out(text: str) -> str:
    """Signs of a text that cannot be cut, each once."""
    return "".join(sign for sign in dict.fromkeys(text) if not sign.isspace() and not _is_cut(sign))


def mask_of(layout: Layout) -> NDArray[np.bool_]:
    """Mask of the letters over the balloon's disc, (k, k) bool, top line first."""
    from PIL import Image, ImageChops, ImageDraw  # noqa: PLC0415 - needed for lettering only

    whole = Image.new("1", (_MASK, _MASK))
    for letter in layout.letters:
        for polygon in letter.polygons:
            one = Image.new("1", (_MASK, _MASK))
            x = (polygon[:, 0] / layout.radius + 1) / 2 * _MASK
            y = (1 - polygon[:, 1] / layout.radius) / 2 * _MASK
            ImageDraw.Draw(one).polygon(list(zip(x.tolist(), y.tolist(), strict=True)), fill=1)
            # Even and odd: holes are cut out again.
            whole = ImageChops.logical_xor(whole, one)
    return np.array(whole)


def _unrolled(letter: Letter, radius: float) -> tuple[Floats, ...]:
    """Outline of a letter around its own middle, and where that lies on the film."""
    (at,) = _equidistant(np.array([letter.middle]), (0.0, 0.0), radius)
    return tuple(_equidistant(polygon, letter.middle, radius) + at for polygon in letter.polygons)


def _equidistant(points: Floats, middle: tuple[float, float], radius: float) -> Floats:
    """Points of the seen plane (k, 2) on a film that touches the sphere at `middle` (of that plane), mm."""
    skin = _on_sphere(points, radius)
    (centre,) = _on_sphere(np.array([middle]), radius)
    north = np.array([0.0, 1.0, 0.0]) - centre[1] * centre
    north /= max(float(np.linalg.norm(north)), 1e-9)
    east = np.cross(north, centre)
    along = np.clip(skin @ centre, -1.0, 1.0)
    angle = np.arccos(along)
    ways = skin - along[:, None] * centre
    far = np.maximum(np.linalg.norm(ways, axis=1), 1e-12)
    return np.asarray(radius * (angle / far)[:, None] * np.stack([ways @ east, ways @ north], axis=1))


def _on_sphere(points: Floats, radius: float) -> Floats:
    """Points of the seen plane (k, 2) on the unit sphere: right, up, towards the eye."""
    flat = points / radius
    return np.concatenate([flat, np.sqrt(np.maximum(1 - (flat**2).sum(axis=1), 0.0))[:, None]], axis=1)


# --- the typeface -------------------------------------------------------------------------------------


@lru_cache(maxsize=1)
def _face():  # type: ignore[no-untyped-def]  # Pillow's own type is named where it is loaded
    from PIL import ImageFont  # noqa: PLC0415 - needed for lettering only

    return ImageFont.truetype(str(files("kakushi").joinpath("data", "fonts", "Lato-Bold.ttf")), _FACE_PX)


@lru_cache(maxsize=1)
def _capital_px() -> float:
    _, top, _, _ = _face().getbbox("H", anchor="ls")
    return float(-top)


def _advance(text: str) -> float:
    """Width of a text over the height of its capitals, pairs kerned. Every letter is cut by itself: no ligatures."""
    from PIL import features  # noqa: PLC0415 - needed for lettering only

    # Without the shaping library pairs are kerned by the plain layout, which makes no ligatures.
    without = ["-liga", "-clig", "-dlig"] if features.check("raqm") else None
    return float(_face().getlength(text, features=without)) / _capital_px()


def _origin(line: str, place: int) -> float:
    """Where a letter of a line begins, over the height of capitals, kerned with the one before it."""
    moved = sum(_moved_apart(*pair) for pair in pairwise(line[: place + 1]))
    return _advance(line[: place + 1]) - _advance(line[place]) + moved


def _width(line: str) -> float:
    """Width of a line over the height of capitals."""
    return _origin(line, len(line) - 1) + _advance(line[-1])


@lru_cache(maxsize=4096)
def _moved_apart(one: str, other: str) -> float:
    """How much further apart two letters go than the typeface has them, so that what is cut does not touch."""
    if " " in (one, other):
        return 0.0
    apart = _advance(one + other) - _advance(other)
    # The right side of one letter and the left side of the other, by height.
    ends = _side(one, 1.0), _side(other, -1.0)
    nearest = float(np.min(apart - ends[0] - ends[1]))
    return max(_LEAST_GAP - nearest, 0.0)


def _side(sign: str, way: float) -> Floats:
    """How far a letter reaches to the right (`way` 1) or left (-1) at each height, from -1 to 2 capitals."""
    reach = np.full(_HEIGHTS, -np.inf)
    for polygon in _glyph(sign):
        for a, b in zip(polygon, np.roll(polygon, -1, axis=0), strict=True):
            points = a + np.linspace(0, 1, max(int(np.abs(b - a).max() * _HEIGHTS), 2))[:, None] * (b - a)
            at = np.clip(((points[:, 1] + 1) / 3 * _HEIGHTS).astype(int), 0, _HEIGHTS - 1)
            np.maximum.at(reach, at, way * points[:, 0])
    # Points lie between heights: neighbours count too.
    return np.asarray(np.maximum.reduce([reach, np.roll(reach, 1), np.roll(reach, -1)]))


@lru_cache(maxsize=512)
def _is_cut(sign: str) -> bool:
    """Whether the typeface has a character: missing ones all look like its placeholder."""
    if sign == " ":
        return True
    if not sign.isprintable():
        return False
    return bytes(_face().getmask(sign)) != bytes(_face().getmask("\uffff"))


@lru_cache(maxsize=512)
def _glyph(sign: str) -> tuple[Floats, ...]:
    """Outlines of a sign, (k, 2) right and up from its foot, over the height of capitals."""
    from PIL import Image, ImageDraw  # noqa: PLC0415 - needed for lettering only
    from skimage.measure import approximate_polygon, find_contours  # noqa: PLC0415 - as above

    left, top, right, bottom = _face().getbbox(sign, anchor="ls")
    corner = (2 - int(left), 2 - int(top))
    picture = Image.new("L", (int(right) + corner[0] + 3, int(bottom) + corner[1] + 3))
    ImageDraw.Draw(picture).text(corner, sign, font=_face(), fill=255, anchor="ls")
    contours = find_contours(np.array(picture, dtype=float), 127.5)  # type: ignore[no-untyped-call]  # as its library
    outlines = (approximate_polygon(contour, 0.4) for contour in contours)  # type: ignore[no-untyped-call]  # as above
    return tuple(
        np.stack([each[:, 1] + 0.5 - corner[0], corner[1] - each[:, 0] - 0.5], axis=1) / _capital_px()
        for each in outlines
        if len(each) > 3
    )
