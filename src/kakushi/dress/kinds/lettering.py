"""Lettering: words of film on a big balloon."""

from __future__ import annotations

from collections.abc import Iterator

from kakushi.dress.kind import PartKind, PointMm, Surroundings
from kakushi.dress.lettering import signs_left_out
from kakushi.dress.wishes import NoSuchSigns, Wish
from kakushi.model.parts import Lettering
from kakushi.model.used import Used

FILM = "lettering film"
"""The film as the lists name it: one sheet for each set of words."""
_FILM_G = 5.0
"""Mass of a sheet of film, g: a few square decimetres, 0.08 mm thick."""


def _made(key: int, around: Surroundings) -> Lettering:
    return Lettering(key=key, name="words", text="Lantern\nQuay", colour=around.colour, mass_g=_FILM_G)


def _uses(_part: Lettering) -> Iterator[Used]:
    yield Used(item=FILM, count=1.0)


def _wishes(part: Lettering) -> Iterator[Wish]:
    if gone := signs_left_out(part.text):
        yield NoSuchSigns(part.name or part.kind, "film", tuple(gone))


KIND = PartKind(
    value=Lettering,
    words="lettering",
    order=6,
    made=_made,
    spot=lambda _part, top_mm: PointMm(0.0, 0.0, top_mm),
    uses=_uses,
    wishes=_wishes,
)
