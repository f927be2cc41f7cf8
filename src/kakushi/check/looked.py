"""A photograph looked at from a pose: rows and balloons moved to their rims, their colours, and what differs."""

from __future__ import annotations

import math
from dataclasses import replace

import numpy as np
from numpy.typing import NDArray

from kakushi.check.circles import circle_scores, slopes_of
from kakushi.check.expected import Balls, Expected, expected
from kakushi.check.faults import LEAN_FROM, found_faults
from kakushi.check.front import crowded_balls, hidden_balls, strange_pixels
from kakushi.check.image import Pixels, image_of
from kakushi.check.light import Judged, Sample, judged, sampled
from kakushi.check.pinhole import Ends, Pose
from kakushi.check.places import Places, looks_of, places
from kakushi.check.pose import Fitted, Search, is_large, window_of
from kakushi.check.presence import PLANNED, features, presence
from kakushi.check.rims import fitted_balls, fitted_to_rims, rim_strength
from kakushi.check.rows import sides_of
from kakushi.check.shifts import ASIDE, UP, row_shifts, shifted
from kakushi.check.subject import Subject
from kakushi.check.upright import Lean, lean_by_edge, lean_of, likely_lean
from kakushi.check.values import Hidden, LeanUntold, NotChecked, Result, SeenBalloon
from kakushi.check.wish import Wish
from kakushi.model.arrays import Floats
from kakushi.model.memo import Cancelled, stop_if

_JUDGE_PX = 800.0
"""Height of the piece in the picture that is judged."""
RIM_REACH, _LAST_REACH, _BALL_REACH = 12.0, 6.0, 0.25
"""How far from rims edges are looked for, px, at first and at last; of single balloons, over their radius."""
_THIN_MM = 7.0
"""Radius up to which stems and ribbons hide too little to count."""
_SHARE_JUDGED = 0.25
"""Of a balloon less of which is seen nothing is said."""
_EDGES_HALF, _EDGES_WIDE = 0.17, 0.035
_AGREE_HALF, _AGREE_WIDE = 0.62, 0.08
"""Edges on rims, and share of balloons in their planned colour, at which a photograph is as likely another piece."""
_MARGIN = 0.9
"""About the piece, over its largest radius, where balloons may stand that are larger than planned."""
_OFF_PLACE = 0.10
"""Over its radius: a balloon moved or resized by more is not where it was planned."""
_DOUBT = 0.45
"""How likely a balloon is not there as planned to count as gone."""


def for_rims(subject: Subject) -> Subject:
    """What rims are expected of and hidden by: boards and toys too, but no stems and ribbons."""
    return subject.only(is_large(subject) | (subject.radii > _THIN_MM))


class Looked:
    """A photograph looked at from a pose: balloons moved to their rims, their colours."""

    def __init__(self, subject: Subject, linear: Pixels, wish: Wish, fitted: Fitted, cancelled: Cancelled) -> None:
        self.subject, self.wish = subject, wish
        self.scale = min(_JUDGE_PX / max(wish.ends.long_px, 1.0), 1.0)
        self.image = image_of(linear, self.scale)
        search = Search(self.image, for_rims(subject), wish.told)
        start = search.judged(fitted.pose.scaled(self.scale), fitted.ends.scaled(self.scale))
        fitted = fitted_to_rims(search, start, _LAST_REACH, cancelled)
        stands, search, fitted = self._with_rows_in_place(search, fitted, cancelled)
        # Balloons that lie elsewhere, or are missing, say nothing of the camera.
        moved, sure = fitted_balls(search, fitted.pose, _BALL_REACH)
        off = np.abs(moved).max(axis=1) / np.maximum(search.circles(fitted.pose)[:, 2], 1e-6)
        search.has_rims &= (off < _OFF_PLACE) & (sure > 0)
        self.fitted = fitted_to_rims(search, fitted, _LAST_REACH, cancelled)
        self.pose = self.fitted.pose
        whole = Search(self.image, stands, wish.told)
        self.moved, self.sure = fitted_balls(whole, self.pose, _BALL_REACH)
        self.planned = self.pose.local(subject.centres)
        per_px = self.planned[:, 2] / self.pose.focal
        local = self.pose.local(stands.centres)
        local[:, :2] += self.moved[:, :2] * per_px[:, None]
        self.balls = Balls(local, subject.radii + self.moved[:, 2] * per_px)
        self.circles = self.pose.circles(local, self.balls.radii)
        self.pole = None
        if subject.pole is not None:
            radius, low, high = subject.pole
            ends = self.pose.local(np.array([[0.0, 0.0, low], [0.0, 0.0, high]]))
            self.pole = (ends[0], ends[1], radius)
        self.shown = expected(
            self.pose, self.balls, window_of(self.pose, self.balls, self.image.shape, _MARGIN), self.pole
        )
        self.rims = rim_strength(whole, self.shown, self.circles)
        self._look(wish.hidden)

    def _with_rows_in_place(
        self, search: Search, fitted: Fitted, cancelled: Cancelled
    ) -> tuple[Subject, Search, Fitted]:
        """The subject with its rows where they are seen, and the pose with that."""
        stands = self.subject
        # Twice upwards: a gap stretches the piece, and foot and top were fitted to that.
        for way in (UP, UP, ASIDE):
            shifts = row_shifts(search, fitted.pose, way)
            if not shifts.any():
                continue
            azimuth = fitted.pose.azimuth
            axis = np.array([0.0, 0.0, 1.0]) if way == UP else np.array([math.cos(azimuth), math.sin(azimuth), 0.0])
            stands = shifted(stands, shifts, axis)
            search = Search(self.image, for_rims(stands), self.wish.told)
            # What was fitted to rows out of their places had foot and top elsewhere.
            asked = self.wish.ends.scaled(self.scale) if way == UP else fitted.ends
            ends = replace(asked, top_mm=fitted.ends.top_mm + float(shifts[-1] * axis[2]))
            again = search.pose(np.array([azimuth, math.log(fitted.pose.distance), fitted.pose.eye, 0, 0, 0, 0]), ends)
            if again is not None:
                fitted = fitted_to_rims(search, search.judged(*again), RIM_REACH, cancelled)
        return stands, search, fitted

    def _look(self, hidden: NDArray[np.bool_] | None) -> None:
        """Colours, without what something in front hides: told, or found."""
        subject = self.subject
        mask = None if hidden is None else self._of_photo(hidden)
        self.sample: Sample = sampled(self.image, self.shown, self.circles, mask)
        places_of = self._places_of = (self.circles[:, :2] - self.circles[:, :2].mean(axis=0)) / _JUDGE_PX
        self.judged: Judged = judged(self.sample, subject, places_of)
        self.in_front = np.zeros(len(subject), dtype=bool)
        if mask is not None:
            covered = np.bincount(self.shown.identity[mask & (self.shown.identity >= 0)], minlength=len(subject))
            whole = np.bincount(self.shown.identity[self.shown.identity >= 0], minlength=len(subject))
            self.in_front = covered > 0.4 * np.maximum(whole, 1)
        strange = strange_pixels(self.image, self.shown, self.judged, subject)
        if mask is not None:
            strange &= ~mask
        self.in_front |= hidden_balls(self.shown, strange, self.sample, self.judged, self.circles)
        self.mask = strange if mask is None else strange | mask
        if self.in_front.any():
            self._look_again()

    def _look_again(self) -> None:
        """Colours anew, without the balls that something hides."""
        self.sample = sampled(self.image, self.shown, self.circles, self.mask)
        kept = replace(self.sample, red=np.where(self.in_front, np.nan, self.sample.red))
        self.judged = judged(kept, self.subject, self._places_of)

    def measured(self, placed: Places, closes: Floats) -> Floats:
        """What presence is told by; `closes`: how well circles close."""
        moved = np.hypot(self.moved[:, 0], self.moved[:, 1]) / np.maximum(self.circles[:, 2], 1.0)
        return features(placed, closes, self.rims, moved, self.sample, self.judged)

    def _crowded(self, placed: Places, there: Floats, circles: Floats) -> NDArray[np.bool_]:
        """Balls that seem wrong because something stands before them."""
        ok = self.is_judged()
        gone = ok & (np.nan_to_num(1 - there[:, PLANNED]) > _DOUBT)
        # Nothing stands before those whose place shows just what a fault leaves there.
        rest = placed.explained[ok & ~gone]
        usual = float(np.nanmedian(rest)) if np.isfinite(rest).any() else 0.0
        plain = gone & (np.nan_to_num(placed.explained, nan=-np.inf) >= usual)
        return crowded_balls(gone, plain, ok & ~gone & self.judged.strange, self.in_front, circles)

    def _of_photo(self, hidden: NDArray[np.bool_]) -> NDArray[np.bool_]:
        """A mask of the photograph in the window."""
        window = self.shown.window
        line = ((window.top + np.arange(window.height) + 0.5) / self.scale).astype(int)
        column = ((window.left + np.arange(window.width) + 0.5) / self.scale).astype(int)
        return np.asarray(
            hidden[np.clip(line, 0, hidden.shape[0] - 1)[:, None], np.clip(column, 0, hidden.shape[1] - 1)[None]]
        )

    @property
    def is_cut(self) -> NDArray[np.bool_]:
        """Balls of which the border of the photograph cuts something off, (n,)."""
        x, y, r = self.circles.T
        height, width = self.image.shape
        return np.asarray((x - 0.7 * r < 0) | (y - 0.7 * r < 0) | (x + 0.7 * r > width) | (y + 0.7 * r > height))

    def is_judged(self, whatever_is_in_front: bool = False) -> NDArray[np.bool_]:
        """Balloons of rows that anything can be said of, (n,)."""
        enough = (self.sample.share >= _SHARE_JUDGED) & self.sample.known
        free = enough & (self.subject.rows >= 0) & ~self.is_cut
        return np.asarray(free if whatever_is_in_front else free & ~self.in_front)

    @property
    def ends(self) -> Ends:
        """Foot and top, px of the photograph."""
        return self.fitted.ends.scaled(1 / self.scale)

    def confidence(self) -> float:
        """That the photograph shows this piece from there, 0 to 1: edges on rims, and planned colours."""
        edges = 1 / (1 + math.exp(-(self.fitted.edges - _EDGES_HALF) / _EDGES_WIDE))
        # What seems to be hidden counts here: where half a piece seems so, it is another one.
        mine = self.is_judged(whatever_is_in_front=self.wish.hidden is None)
        if mine.sum() < 3:
            return 0.5 * edges
        colours = 1 / (1 + math.exp(-(self.agreement() - _AGREE_HALF) / _AGREE_WIDE))
        if len(np.unique(self.subject.colours[mine])) < 2:
            # One colour agrees with anything.
            colours = 0.5 + 0.5 * colours
        return edges * colours

    def agreement(self) -> float:
        """Share of the balloons in their planned colour."""
        mine = self.is_judged(whatever_is_in_front=self.wish.hidden is None)
        right = (self.judged.seen == self.subject.colours) & ~self.judged.strange
        return float(np.mean(right[mine])) if mine.any() else 1.0

    def placed(self, cancelled: Cancelled) -> Places:
        """Whether balloons are there and how large."""
        window = self.shown.window
        looks = looks_of(self.image, window, self.shown.identity, self.sample, self.judged, self.subject)
        hidden = np.zeros(self.image.shape, dtype=bool)
        if self.in_front.any() or self.wish.hidden is not None:
            hidden[window.slices] = self.mask & (self.in_front[np.maximum(self.shown.identity, 0)])
        which = np.flatnonzero(self.is_judged())
        return places(self.image, self.pose, self.balls, looks, which, self.pole, hidden, cancelled)

    def closes(self) -> Floats:
        """How well circles of several radii close about the places of balls."""
        which = np.flatnonzero(self.is_judged())
        return circle_scores(slopes_of(self.image), self.shown, self.circles, self.balls.local[:, 2], which)

    def lean(self) -> Lean | None:
        """Against an upright edge that was marked, or those of the background."""
        if self.wish.upright is not None:
            low, high = ((x * self.scale, y * self.scale) for x, y in self.wish.upright)
            return lean_by_edge(self.pose, low, high)
        piece = np.zeros(self.image.shape, dtype=bool)
        piece[self.shown.window.slices] = _grown(self.shown)
        return lean_of(self.image, self.pose, piece)

    def result(self, confidence: float, azimuths: tuple[float, ...], cancelled: Cancelled) -> Result:
        """Everything that was found, in pixels of the photograph."""
        stop_if(cancelled)
        placed, closes = self.placed(cancelled), self.closes()
        lean = self.lean()
        by = 1 / self.scale
        circles = self.circles * by
        sides = sides_of(self.subject, self.pose, self.balls, self.planned, self.is_judged(), self.sure, by)
        there = presence(self.measured(placed, closes))
        crowded = self._crowded(placed, there, circles)
        if crowded.any():
            self.in_front |= crowded
            self._look_again()
            there = presence(self.measured(placed, closes))
        faults = found_faults(self.subject, self.judged, (placed, there), self.is_judged(), circles, sides, lean)
        notes: list[NotChecked | LeanUntold] = []
        if self.in_front.any():
            many = int((self.in_front & (self.subject.rows >= 0) & (self.sample.share > 0.1)).sum())
            notes.append(NotChecked(many))
        if lean is None:
            notes.append(LeanUntold(self.pose.roll if abs(self.pose.roll) >= LEAN_FROM else 0.0))
        feet = self.ends
        return Result(
            self.pose.scaled(by),
            _azimuth(self.pose, lean),
            feet.foot,
            feet.top,
            confidence,
            azimuths,
            lean.angle if lean else None,
            self._balloons(circles),
            faults,
            sides,
            tuple(notes),
        )

    def _balloons(self, circles: Floats) -> tuple[SeenBalloon, ...]:
        subject, found = self.subject, []
        ok = self.is_judged()
        for ball in np.flatnonzero(subject.rows >= 0).tolist():
            why = None if ok[ball] else self._why_not(ball)
            planned, seen = int(subject.colours[ball]), int(self.judged.seen[ball])
            x, y, radius = circles[ball].tolist()
            found.append(
                SeenBalloon(
                    int(subject.rows[ball]),
                    int(subject.slots[ball]),
                    subject.palette[planned].key,
                    "" if why else subject.palette[seen].key,
                    0.0 if why else float(self.judged.likely[ball, seen]),
                    x,
                    y,
                    radius,
                    float(self.sample.share[ball]),
                    why,
                )
            )
        return tuple(found)

    def _why_not(self, ball: int) -> Hidden:
        if self.in_front[ball]:
            return Hidden.IN_FRONT
        if self.is_cut[ball]:
            return Hidden.CUT_OFF
        if self.sample.share[ball] < _SHARE_JUDGED:
            return Hidden.BEHIND
        if self.sample.glare[ball] > 0.6:
            return Hidden.GLARE
        return Hidden.SMALL


def _azimuth(pose: Pose, lean: Lean | None) -> float:
    """Where the camera stands. A piece that leans to the right turns as much as the eye is high above its foot."""
    angle = lean.angle if lean else likely_lean(pose)
    turned = math.atan2(pose.eye * math.sin(angle), pose.distance)
    return (pose.azimuth + turned + math.pi) % (2 * math.pi) - math.pi


def _grown(shown: Expected) -> NDArray[np.bool_]:
    """The piece and a little about it, (h, w)."""
    from scipy.ndimage import binary_dilation  # noqa: PLC0415 - large, and only needed here

    return np.asarray(binary_dilation(shown.identity != -1, iterations=5))
