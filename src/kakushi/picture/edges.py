"""Rims and cuts of balloons, softened over one pixel: what a finer picture would show, without drawing one."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray

from kakushi.picture.skin import VisiblePixels, places
from kakushi.sight.buffers import NOTHING, Buffers


def soften_rims(drawn: NDArray[np.uint8], skin: VisiblePixels, balloons: int) -> None:
    """Blend rims in front of other balloons over one pixel with the one outside; changes `drawn` (height, width, 4)."""
    rim = np.flatnonzero((skin.away > np.maximum(skin.radius - np.float32(0.5), 0)) & (skin.owner < balloons))
    if not len(rim):
        return
    dx, dy, away, radius = skin.dx[rim], skin.dy[rim], skin.away[rim], skin.radius[rim]
    line, column = skin.places(rim)
    # One and a half pixels farther out.
    out_line = np.clip(np.rint(line + 1.5 * dy / away).astype(int), 0, skin.shape[0] - 1)
    out_column = np.clip(np.rint(column + 1.5 * dx / away).astype(int), 0, skin.shape[1] - 1)
    behind = drawn[out_line * skin.shape[1] + out_column].astype(np.float32)
    covered = np.clip(radius + np.float32(0.5) - away, 0.0, 1.0)[:, None]
    front = drawn[skin.at[rim]].astype(np.float32)
    mixed = front * covered + behind * (1 - covered) + np.float32(0.5)
    mixed[:, 3] = front[:, 3]
    # Before the empty ground they fade by their coverage.
    drawn[skin.at[rim]] = np.where((behind[:, 3] > 252)[:, None], mixed, front).astype(np.uint8)


def soften_cuts(drawn: NDArray[np.uint8], skin: VisiblePixels, buffers: Buffers, crop: tuple[slice, slice]) -> None:
    """Blend lines where balloons intersect over one pixel, by the distance of a pixel's centre from the line."""
    width, owner = skin.shape[1], skin.identity.reshape(-1)
    before, most = drawn.copy(), np.zeros(len(owner), dtype=np.float32)
    for step in (1, width):
        differ = (owner[:-step] != owner[step:]) & (owner[:-step] >= 0) & (owner[step:] >= 0)
        first = np.flatnonzero(differ)
        if step == 1:
            first = first[(first + 1) % width != 0]
        for at, other in ((first, first + step), (first + step, first)):
            line, column = places(at, width)
            x, y = column + np.float32(crop[1].start + 0.5), line + np.float32(crop[0].start + 0.5)
            share = _beyond_cut(buffers, (owner[at], owner[other]), x, y)
            more = share > most[at]
            own, theirs, part = at[more], other[more], share[more, None]
            most[own] = part[:, 0]
            mixed = before[own, :3] * (1 - part) + before[theirs, :3] * part + np.float32(0.5)
            drawn[own, :3] = mixed.astype(np.uint8)


def soften_contours(drawn: NDArray[np.uint8], skin: VisiblePixels, films: Sequence[int]) -> None:
    """Blend contours of films, by identity, with what is behind them; `drawn` (height, width, 4) is changed."""
    width, owner = skin.shape[1], skin.identity.reshape(-1)
    is_film = np.isin(owner, films)
    changes = np.zeros(len(owner), dtype=bool)
    for step in (1, width):
        differ = (owner[:-step] != owner[step:]) & (is_film[:-step] | is_film[step:])
        changes[:-step] |= differ
        changes[step:] |= differ
    # Before the empty ground they fade by their coverage; at the border of the picture nothing is mixed.
    at = np.flatnonzero(changes)
    at = at[(at >= width) & (at < len(owner) - width)]
    sides = at[:, None] + np.array([-width, -1, 1, width])
    at, sides = (each[(owner[sides] != NOTHING).all(axis=1)] for each in (at, sides))
    mixed = 2 * drawn[at, :3].astype(np.float32) + drawn[sides, :3].sum(axis=1, dtype=np.float32)
    drawn[at, :3] = mixed / 6 + np.float32(0.5)


def _beyond_cut(
    buffers: Buffers, pair: tuple[NDArray[np.int32], NDArray[np.int32]], x: NDArray[np.float32], y: NDArray[np.float32]
) -> NDArray[np.float32]:
    """Share of pixels at (x, y) beyond the line where the balloon in front is cut by its neighbour, 0 to 1/2."""
    pieces = []
    for balloon in pair:
        dx, dy = x - buffers.placed[balloon, 0], y - buffers.placed[balloon, 1]
        inward = buffers.radii[balloon] ** 2 - dx * dx - dy * dy
        deep = np.sqrt(np.maximum(inward, 1.0))
        # Within a pixel of its rim there is no cut, but a rim.
        inside = inward > 2 * buffers.radii[balloon]
        depth = buffers.placed[balloon, 2] / buffers.view.mm_per_px - deep
        pieces.append((depth, dx / deep, dy / deep, inside))
    (front, x1, y1, in1), (behind, x2, y2, in2) = pieces
    past_edge = (behind - front) / np.maximum(np.hypot(x2 - x1, y2 - y1), 1e-3)
    return np.where(in1 & in2, np.clip(0.5 - past_edge, 0.0, 0.5), 0.0).astype(np.float32)
