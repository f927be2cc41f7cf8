"""What a fit gives, and what has to be said of it: notes, misses, why there is none."""

from __future__ import annotations

import dataclasses
from collections.abc import Callable
from dataclasses import dataclass

import numpy as np

from kakushi.model.groups import Row, size_count
from kakushi.model.units import format_length
from kakushi.packing.stack import Geometry
from kakushi.shape.choices import Choices, choices_for
from kakushi.shape.judge import FitRequest, Judged, is_robust, judge
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
    notes: tuple[str, ...] = ()

    @property
    def size_count(self) -> int:
        """Different sizer settings."""
        return size_count(self.rows)

    @property
    def balloon_count(self) -> int:
        """Balloons in all rows."""
        return sum(row.count for row in self.rows)


def allowed_choices(request: FitRequest, count: int) -> Choices | None:
    """Kinds of row of a count that a request allows; None where there is none."""
    pinned = tuple((pin.row.slots[0].nominal_in, pin.row.diameter_mm) for pin in request.pinned)
    return choices_for(count, request.nominals, request.sizer, request.packing.for_joint(request.joint), pinned)


def result_of(
    request: FitRequest, choices: Choices, judged: Judged, few_sizes: bool, closing: tuple[str, ...] | None = None
) -> FitResult:
    """The chosen stack as rows, with what has to be said of it; `closing`: what would close the height, where known."""
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
        _notes(request, reach, judged, closing),
    )


def _notes(request: FitRequest, reach: Reach, judged: Judged, closing: tuple[str, ...] | None) -> tuple[str, ...]:
    profile, notes = request.profile, []
    inner = np.linspace(FIT_SEARCH.ends, 1 - FIT_SEARCH.ends, 60) * profile.height
    widths = 2 * profile.mean_half_width(inner)
    if reach.thinnest > widths.min() * FIT_SEARCH.too_thin:
        notes.append(
            f"The outline is {_mm(widths.min())} wide at {_mm(inner[widths.argmin()])}; your smallest "
            f"cluster of {reach.count} is {_mm(reach.thinnest)} wide."
        )
    if reach.widest * FIT_SEARCH.too_thin < widths.max():
        notes.append(
            f"The outline is {_mm(widths.max())} wide at {_mm(inner[widths.argmax()])}; your largest "
            f"cluster of {reach.count} is {_mm(reach.widest)} wide."
        )
    off = judged.span - profile.height
    if closing is not None:
        notes.extend(closing)
    elif abs(off) > SCORE.free_height_mm:
        notes.append(f"The height comes no nearer than {_mm(abs(off))} {'above' if off > 0 else 'below'} the target.")
    if request.row_count is not None and len(judged.rows) != request.row_count:
        notes.append(f"{request.row_count} rows cannot be stacked to this height.")
    for nominal, have in request.stock:
        used = sum(1 for row in judged.rows for slot in row.slots if slot.nominal_in == nominal)
        if used > have:
            notes.append(f"It takes {used} balloons of {nominal:g}″; there are {have}.")
    if not judged.robust:
        notes.append("Brittle: a little off in sizing or packing, and a row changes its place. Size carefully.")
    return tuple(notes)


def _mm(value: float) -> str:
    return format_length(round(float(value)))


def why_impossible(request: FitRequest) -> str:
    """Why no row of the allowed balloons can follow the outline, in a sentence."""
    profile: Profile = request.profile
    widths: list[tuple[float, int]] = []
    for count in request.counts:
        choices = allowed_choices(request, count)
        if choices is not None:
            widths.append((float(choices.widest.min()), count))
    if not widths:
        return "None of the chosen balloon sizes has a usable sized diameter on your sizer."
    smallest, count = min(widths)
    if smallest > profile.widest * FIT_SEARCH.too_thin:
        return (
            f"The outline is only {format_length(profile.widest)} wide at its widest; your smallest "
            f"cluster of {count} is {format_length(round(smallest))} wide."
        )
    return f"Nothing you chose fits under {format_length(profile.height)}: try smaller balloons or a taller outline."
