"""The rendered piece behind the elevation."""

from __future__ import annotations

from dataclasses import dataclass

from PyQt6.QtGui import QImage

from kakushi.desktop.widgets.painting import image_of
from kakushi.formats.export.png import pictured
from kakushi.model.job import Job
from kakushi.picture.scene import pole_of, shaded
from kakushi.plan.values import PiecePlan
from kakushi.sight.buffers import Buffers, draw_buffers
from kakushi.sight.view import View


@dataclass(frozen=True, slots=True)
class Look:
    """View of a piece: the widget's size in px, scale and corner in mm, azimuth in radians."""

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


@dataclass(frozen=True, slots=True)
class PictureRequest:
    """A piece of a job to be drawn, at `ratio` pixels per widget pixel, balloons in `lit` brightened."""

    piece_plan: PiecePlan
    job: Job
    look: Look
    ratio: float
    lit: tuple[int, ...]


@dataclass(frozen=True, slots=True, eq=False)
class Picture:
    """A request and its picture."""

    wish: PictureRequest
    buffers: Buffers
    image: QImage

    def row_at(self, piece_plan: PiecePlan, look: Look, x: float, y: float) -> int | None:
        """Index of the row of a plan whose balloon is drawn at a pixel of a widget with that look, or None."""
        drawn_look, ratio = self.wish.look, self.wish.ratio
        if self.wish.piece_plan is not piece_plan:
            return None
        across = (look.left + x * look.mm_per_px - drawn_look.left) / drawn_look.mm_per_px
        down = (drawn_look.top - look.top + y * look.mm_per_px) / drawn_look.mm_per_px
        balloon = self.buffers.pick(across * ratio, down * ratio)
        if balloon is None or balloon >= len(piece_plan.geometry.row_of):
            return None
        return int(piece_plan.geometry.row_of[balloon])


def picture_of(wish: PictureRequest, last: Picture | None = None) -> Picture:
    """Draw the picture of a request; geometry is reused from the `last` one where only light or palette differ."""
    same = last is not None and (last.wish.piece_plan, last.wish.look, last.wish.ratio) == (
        wish.piece_plan,
        wish.look,
        wish.ratio,
    )
    drawn, paints = pictured(wish.piece_plan, wish.job)
    if last is not None and same:
        buffers = last.buffers
    else:
        buffers = draw_buffers(drawn, wish.look.view(wish.ratio), pole_of(wish.piece_plan.piece.frame, drawn))
    pixels = shaded(drawn, buffers, paints, wish.lit)
    return Picture(wish, buffers, image_of(pixels, wish.ratio))
