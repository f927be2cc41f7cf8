"""What a fit gives, and what has to be said of it: notes, misses, why there is none."""

from __future__ import annotations

import dataclasses
from collections.abc import Callable
from dataclasses import dataclass

import numpy as np

from kakushi.model.errors import FitImpossible, Length
from kakushi.model.groups import Row, size_count
from kakushi.packing.stack import Geometry
from kakushi.shape.choices import RowKinds, choices_for
from kakushi.shape.facts import BeyondReach, Brittle, HeightMissed, Note, RowsImpossible, StockExceeded, StraightEnds
from kakushi.shape.judge import FitRequest, JudgedStack, is_robust, judge
from kakushi.shape.match import Match, match_of
from kakushi.shape.profile import Profile
from kakushi.shape.report import Miss, Reach, misses
from kakushi.shape.settings import FIT_SEARCH, ROW_PROGRAMME, SCORE

Progress = Callable[[float], None]
Stop = Callable[[], bool]


@dataclass(frozen=True, slots=True)
class FitResult:
    """Rows with the geometry they settle to and the match that was measured on it.

    `misses` says where the outline is not followed and why; `notes` what could not be done at all.
    """

    rows: tuple[Row, ...]
    geometry: Geometry
    match: Match
    score: float
    misses: tuple[Miss, ...] = ()
    notes: tuple[Note, ...] = ()

    @property
    def size_count(self) -> int:
        """Different sizer settings."""
        return size_count(self.rows)

    @property
    def balloon_count(self) -> int:
        """Balloons in all rows."""
        return sum(row.count for row in self.rows)


def allowed_choices(request: FitRequest, count: int) -> RowKinds | None:
    """Kinds of row of a count that a request allows; None where there is none."""
    pinned = tuple((pin.row.slots[0].nominal_in, pin.row.diameter_mm) for pin in request.pinned)
    return choices_for(count, request.nominals, request.sizer, request.packing.for_joint(request.joint), pinned)


def result_of(
    request: FitRequest, choices: RowKinds, judged: JudgedStack, few_sizes: bool, ends: StraightEnds | None = None
) -> FitResult:
    """The chosen stack as rows, with what has to be said of it; `ends`: where a straight one ends."""
    if request.pinned:
        judged = judge(request, choices, judged.kinds, placed=True)
        judged = dataclasses.replace(judged, robust=is_robust(request, judged))
    every = allowed_choices(request, choices.count) or choices
    count = choices.count
    reach = Reach(
        float(every.widest.min()),
        float(every.widest.max()),
        count,
        request.ratio_limit or ROW_PROGRAMME.ratio_limit,
        few_sizes,
    )
    return FitResult(
        judged.rows,
        judged.geometry,
        match_of(judged.geometry, request.profile),
        judged.score,
        misses(judged.geometry, request.profile, reach),
        _notes(request, reach, judged, ends),
    )


def _notes(request: FitRequest, reach: Reach, judged: JudgedStack, ends: StraightEnds | None) -> tuple[Note, ...]:
    profile, notes = request.profile, list[Note]()
    inner = np.linspace(FIT_SEARCH.ends, 1 - FIT_SEARCH.ends, 60) * profile.height
    widths = 2 * profile.mean_half_width(inner)
    for is_thin, at, cluster in ((True, widths.argmin(), reach.thinnest), (False, widths.argmax(), reach.widest)):
        wide, narrow = (cluster, widths[at]) if is_thin else (widths[at], cluster)
        if narrow * FIT_SEARCH.too_thin < wide:
            notes.append(BeyondReach(is_thin, float(widths[at]), float(inner[at]), cluster, reach.count))
    error = judged.span - profile.height
    if abs(error) > SCORE.free_height_mm:
        notes.append(ends or HeightMissed(error))
    if request.row_count is not None and len(judged.rows) != request.row_count:
        notes.append(RowsImpossible(request.row_count))
    for nominal, have in request.stock:
        used = sum(1 for row in judged.rows for slot in row.slots if slot.nominal_in == nominal)
        if used > have:
            notes.append(StockExceeded(nominal, used, have))
    if not judged.robust:
        notes.append(Brittle())
    return tuple(notes)


def impossible(request: FitRequest) -> FitImpossible:
    """Why no row of the allowed balloons can follow the outline."""
    profile: Profile = request.profile
    widths: list[tuple[float, int]] = []
    for count in request.counts:
        choices = allowed_choices(request, count)
        if choices is not None:
            widths.append((float(choices.widest.min()), count))
    if not widths:
        return FitImpossible("None of the chosen balloon sizes has a usable sized diameter on your sizer.", "outline")
    smallest, count = min(widths)
    if smallest > profile.widest * FIT_SEARCH.too_thin:
        return FitImpossible(
            "The outline is only {outline} wide at its widest; your smallest cluster of {count} is {cluster} wide.",
            "outline",
            outline=Length(profile.widest),
            count=count,
            cluster=Length(smallest),
        )
    return FitImpossible(
        "Nothing you chose fits under {height}: try smaller balloons or a taller outline.",
        "outline",
        height=Length(profile.height),
    )
