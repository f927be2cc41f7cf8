"""The rendered piece behind the elevation, kept until what it shows changes."""

from __future__ import annotations

from collections.abc import Hashable
from dataclasses import dataclass

from PyQt6.QtGui import QImage

from kakushi.desktop.widgets.painting import image_of
from kakushi.formats.png import paints_for
from kakushi.model.job import Job
from kakushi.picture.buffers import Buffers, draw_buffers
from kakushi.picture.scene import pole_of
from kakushi.picture.shading import shade
from kakushi.picture.view import View
from kakushi.plan.values import PiecePlan


@dataclass(frozen=True, slots=True)
class Look:
    """What of a piece is looked at: the widget's size in px, scale and corner in mm, azimuth in radians."""

    width: int
    height: int
    mm_per_px: float
    left: float
    top: float
    azimuth: float

    def view(self, ratio: float) -> View:
        """The renderer's view at `ratio` pixels per widget pixel."""
        width, height = max(int(self.width * ratio), 1), max(int(self.height * ratio), 1)
        return View(width, height, self.mm_per_px / ratio, self.left, self.top, self.azimuth)


class PieceImage:
    """Renders a plan; pointing at a row shades anew without drawing anew."""

    def __init__(self) -> None:
        self._buffers: Buffers | None = None
        self._buffers_key: Hashable = None
        self._image = QImage()
        self._image_key: Hashable = None

    def render(self, piece_plan: PiecePlan, job: Job, look: Look, ratio: float, lit: tuple[int, ...]) -> QImage:
        """The picture at `ratio` pixels per widget pixel, balloons in `lit` brightened."""
        key = (piece_plan, look, ratio)
        if self._buffers is None or key != self._buffers_key:
            self._buffers = draw_buffers(
                piece_plan.drawn, look.view(ratio), pole_of(piece_plan.piece.frame, piece_plan.drawn)
            )
            self._buffers_key = key
        if (key, job.palette, lit) != self._image_key:
            self._image = image_of(shade(self._buffers, paints_for(piece_plan, job), lit), ratio)
            self._image_key = (key, job.palette, lit)
        return self._image

    def row_at(self, piece_plan: PiecePlan, x: float, y: float) -> int | None:
        """Index of the row whose balloon is drawn at a widget pixel, or None."""
        if self._buffers is None:
            return None
        ratio = self._image.devicePixelRatio()
        balloon = self._buffers.pick(x * ratio, y * ratio)
        if balloon is None or balloon >= len(piece_plan.geometry.row_of):
            return None
        return int(piece_plan.geometry.row_of[balloon])
