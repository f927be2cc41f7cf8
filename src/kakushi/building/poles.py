"""Poles of a whole job: how each kind is cut from stock, what that takes, and the paint."""

from __future__ import annotations

from collections import Counter, defaultdict
from collections.abc import Collection, Iterator, Sequence
from dataclasses import dataclass
from typing import Literal, NamedTuple

from kakushi.model.catalogue import Studio
from kakushi.model.errors import BadInput
from kakushi.model.piece import Piece
from kakushi.model.used import Used
from kakushi.model.workshop import ItemRule, PoleKind
from kakushi.plan.values import PiecePlan, Plan
from kakushi.stand.cutting import Bar, CutList, cut_list, same_bars
from kakushi.stand.frame import paint_cans, sections

PAINT = "spray paint"


@dataclass(frozen=True, slots=True)
class PoleCuts:
    """The cut list of one kind of pole: lengths (mm) wanted with their number, and why there is none.

    `longest_stock_mm`: the longest length it is sold in, where it is sold in lengths.
    """

    pole: str
    wanted: tuple[tuple[float, int], ...]
    cuts: CutList
    problem: Literal["", "no kind", "too long"] = ""
    longest_stock_mm: float = 0.0


def pole_kind(piece: Piece, studio: Studio) -> PoleKind | None:
    """The catalogue's kind of a piece's pole, or None."""
    return next((kind for kind in studio.poles if kind.name == piece.frame.pole_name), None)


class Sections(NamedTuple):
    """Sections a pole is screwed together from: their number, their length and the excess length, mm."""

    number: int
    section_mm: float
    over_mm: float


def sections_of(piece: Piece, studio: Studio) -> Sections | None:
    """The sections of a piece's pole; None for one that is cut, or of no chosen length."""
    frame, kind = piece.frame, pole_kind(piece, studio)
    if not (frame.has_pole and frame.pole_length_mm and kind and kind.section_mm):
        return None
    count = sections(frame.pole_length_mm, kind.section_mm)
    return Sections(count, kind.section_mm, count * kind.section_mm - frame.pole_length_mm)


def sections_used(piece: Piece, studio: Studio) -> Iterator[Used]:
    """Sections that one copy takes: they are screwed together, never cut."""
    screwed = sections_of(piece, studio)
    if screwed is not None:
        yield Used(item=stock_name(piece.frame.pole_name, screwed.section_mm), count=screwed.number)


def pole_cuts(plan: Plan) -> Iterator[PoleCuts]:
    """The cut list of every kind of pole in a plan that is cut."""
    wanted: dict[str, Counter[float]] = defaultdict(Counter)
    kinds: dict[str, PoleKind] = {}
    for piece_plan in plan.pieces:
        frame, kind = piece_plan.piece.frame, pole_kind(piece_plan.piece, plan.studio)
        if not frame.has_pole or not frame.pole_length_mm or (kind and kind.section_mm):
            continue
        name = kind.name if kind else f"pole {frame.pole_diameter_mm:.0f} mm"
        if kind:
            kinds[name] = kind
        for length, copies in _lengths_of(piece_plan):
            wanted[name][length] += copies
    for name, lengths in wanted.items():
        yield _cuts_of(name, lengths, kinds.get(name), plan.studio.frame_rules.kerf_mm)


def _lengths_of(piece_plan: PiecePlan) -> Iterator[tuple[float, int]]:
    """Length of the pole of each design of a piece, mm, and how many copies have it; none where none is chosen."""
    usual = piece_plan.piece.frame.pole_length_mm
    for _, copies, design in piece_plan.built:
        if length := design.piece.frame.pole_length_mm or usual:
            yield length, copies


def _cuts_of(name: str, lengths: Counter[float], kind: PoleKind | None, kerf: float) -> PoleCuts:
    listed = tuple(sorted(lengths.items(), reverse=True))
    if kind is None:
        return PoleCuts(name, listed, CutList((), True), "no kind")
    longest = max(kind.stock_mm)
    try:
        return PoleCuts(name, listed, cut_list(lengths, kind.stock_mm, kerf), longest_stock_mm=longest)
    except BadInput:
        return PoleCuts(name, listed, CutList((), True), "too long", longest)


class PolesShown(NamedTuple):
    """Poles as they are drawn: a heading, and stock lengths with their cuts, those that are alike counted."""

    name: str
    bars: tuple[tuple[Bar, int], ...]


def poles_to_cut(poles: Sequence[PoleCuts]) -> tuple[PolesShown, ...]:
    """Where stock lengths are cut; lengths without a cut list each by itself."""
    found = []
    for pole in poles:
        whole = tuple((Bar(length, (length,), 0.0), count) for length, count in pole.wanted)
        found.append(PolesShown(pole.pole, tuple(same_bars(pole.cuts.bars)) or whole))
    return tuple(found)


def poles_to_paint(plan: Plan, names: Collection[str]) -> tuple[PolesShown, ...]:
    """The poles of pieces (by name), each by itself, with how many there are."""
    found = []
    for piece_plan in plan.pieces:
        frame = piece_plan.piece.frame
        if piece_plan.piece.name in names and frame.painted and frame.pole_length_mm:
            lengths: Counter[float] = Counter()
            for length, copies in _lengths_of(piece_plan):
                lengths[length] += copies
            bars = tuple((Bar(length, (length,), 0.0), count) for length, count in lengths.items())
            found.append(PolesShown(piece_plan.piece.name, bars))
    return tuple(found)


def pole_materials(poles: tuple[PoleCuts, ...]) -> Iterator[Used]:
    """Stock lengths that the cut lists take."""
    for pole in poles:
        for stock, bars in sorted(Counter(bar.stock for bar in pole.cuts.bars).items(), reverse=True):
            yield Used(item=stock_name(pole.pole, stock), count=bars)


def stock_name(pole: str, stock_mm: float) -> str:
    """A length of a pole as it is named on the lists."""
    return f"{pole}, {stock_mm / 1000:g} m"


def pole_prices(plan: Plan) -> Iterator[ItemRule]:
    """Prices of poles by their length, and of paint."""
    for kind in plan.studio.poles:
        for stock in kind.stock_mm:
            yield ItemRule(item=stock_name(kind.name, stock)[:80], price=kind.price_per_m * stock / 1000)
    yield ItemRule(item=PAINT, price=plan.studio.frame_rules.can_price)


def paint_needed(plan: Plan) -> Iterator[Used]:
    """Cans of paint for all painted poles."""
    lengths: dict[float, list[float]] = defaultdict(list)
    for piece_plan in plan.pieces:
        frame = piece_plan.piece.frame
        if frame.painted and frame.has_pole and frame.pole_length_mm:
            for length, copies in _lengths_of(piece_plan):
                lengths[frame.pole_diameter_mm] += [length] * copies
    rules = plan.studio.frame_rules
    # The spare cans are for the job, not for every diameter of pole.
    cans = sum(paint_cans(of, diameter, rules) - rules.spare_cans for diameter, of in lengths.items())
    if lengths:
        yield Used(item=PAINT, count=cans + rules.spare_cans, unit="cans")
