"""Ways out when a build goes wrong: planned again from what stands, never touching a row that is built.

Every way is an edited piece with what planning it gives; ways come in the order of how little the client will notice.
"""

from __future__ import annotations

import math
from collections import Counter
from collections.abc import Callable, Iterator, Mapping, Sequence
from dataclasses import dataclass

from kakushi.build.step import BALLOON, Use
from kakushi.model.catalogue import Studio
from kakushi.model.errors import BadInput
from kakushi.model.groups import Direction, Row, RowsGroup, Slot, first_rows_group
from kakushi.model.limits import LARGEST_DIAMETER_MM, SMALLEST_DIAMETER_MM
from kakushi.model.memo import Cancelled, never, stop_if
from kakushi.model.piece import Piece, SeenSides, free_row_key, with_rows
from kakushi.model.units import format_length, format_nominal
from kakushi.model.values import replace
from kakushi.packing.groups.rows import settled
from kakushi.packing.stack import Packing, stack_row
from kakushi.plan.geometry import assembly_of, column_target_mm, packing_of
from kakushi.plan.pipeline import plan
from kakushi.plan.values import PiecePlan, Plan

Kind = tuple[float, str]
"""Nominal size, in, and colour key of a balloon."""
_TAU_LOW, _TAU_HIGH = 0.02, 6.0
"""Packing forces looked among: looser than laid on, tighter than any hand presses."""
_ROUNDS = 6
"""Plans tried for one way: the height is nearly linear in the sizes, two would do on most pieces."""
_RISE = 0.72
"""Of a diameter: how much higher a row makes a column, to begin with."""
_SMALLER_LAST = 0.75
"""Of the row below it: a last row that small closes a column rather than going on with it."""
_MOST_WAYS = 6
_REDO_MINUTES, _BUY_MINUTES = 2.0, 30.0
"""To untie and lay one row again; to fetch something from a shop. Assumed."""


@dataclass(frozen=True, slots=True, eq=False)
class Way:
    """One way out: what is done, the edited piece (None: the plan stays), its plan, what it costs.

    `uses`: balloons of the rows not yet built. `balloons` and `minutes` more than before; `noticed`: how much the
    client sees of it, 0 for nothing.
    """

    words: str
    piece: Piece | None
    planned: PiecePlan
    uses: tuple[Use, ...]
    balloons: int
    minutes: float
    noticed: float

    @property
    def height_mm(self) -> float:
        """The height it ends at."""
        return self.planned.measured_height_mm

    @property
    def match(self) -> float | None:
        """Mean match with the outline."""
        return self.planned.match.mean if self.planned.match else None


class _Job:
    """A piece of a planned job with so many rows built, and what ways out of it have in common."""

    def __init__(self, whole: Plan, piece_plan: PiecePlan, built: int, cancelled: Cancelled) -> None:
        self.whole, self.plan, self.studio, self.cancelled = whole, piece_plan, whole.studio, cancelled
        self.piece = piece_plan.piece
        place = first_rows_group(self.piece.groups)
        group = self.piece.groups[place] if place is not None else None
        if place is None or not isinstance(group, RowsGroup) or not group.rows:
            raise BadInput(f"“{self.piece.name}” has no rows.", "piece")
        if group.built is not Direction.UP:
            raise BadInput("Rows built from the top or from both ends are not planned again yet.", "direction")
        if not 0 <= built <= len(group.rows):
            raise BadInput(f"“{self.piece.name}” has {len(group.rows)} rows; {built} cannot be built.", "built")
        self.place, self.rows, self.built = place, group.rows, built
        self.others = tuple(row for k, row in enumerate(self.piece.rows) if row.key not in {r.key for r in group.rows})

    @property
    def left(self) -> tuple[Row, ...]:
        """Rows not yet built."""
        return self.rows[self.built :]

    def with_left(self, rows: Sequence[Row], piece: Piece | None = None) -> Piece:
        """The piece with other rows above the built ones."""
        return with_rows(piece or self.piece, (*self.rows[: self.built], *rows), self.place)

    def planned(self, piece: Piece, colours: Sequence[Sequence[str]] = ()) -> tuple[Piece, PiecePlan]:
        """The plan of an edited piece. Built rows stay as they look, and with `colours` so do the rows to come.

        Where the layers would colour them anew, because a pattern is stretched or rows turn a little, they are painted.
        """
        stop_if(self.cancelled)
        found = self._plan(piece)
        wanted = colours or self.plan.colouring[: self.built]
        if any(tuple(now) != tuple(then) for now, then in zip(found.colouring, wanted, strict=False)):
            rows = _first_rows(piece)
            painted = tuple(
                replace(row, slots=tuple(replace(s, colour=c) for s, c in zip(row.slots, line, strict=True)))
                for row, line in zip(rows, wanted, strict=False)
            )
            piece = with_rows(piece, (*painted, *rows[len(painted) :]), self.place)
            found = self._plan(piece)
        return piece, found

    def _plan(self, piece: Piece) -> PiecePlan:
        job = replace(self.whole.job, pieces=(piece,))
        return plan(job, self.studio, self.cancelled).pieces[0]

    def way(
        self,
        words: Callable[[PiecePlan], str],
        piece: Piece,
        noticed: float,
        minutes: float = 0.0,
        colours: Sequence[Sequence[str]] = (),
    ) -> Way:
        """A way by its edited piece; `colours` of all its rows, where they are known."""
        edited, found = self.planned(piece, colours)
        uses = self._uses(found)
        before = sum(use.count for use in self._uses(self.plan))
        more = int(sum(use.count for use in uses) - before)
        rows = len(_first_rows(edited)) - len(self.rows)
        minutes += rows * self.studio.rates.row_s / 60 + more * self.studio.rates.inflate_s / 60
        return Way(words(found), edited, found, uses, more, minutes, noticed)

    def stay(self, words: str, noticed: float, balloons: int = 0, minutes: float = 0.0) -> Way:
        """A way that leaves the plan as it is."""
        return Way(words, None, self.plan, self._uses(self.plan), balloons, minutes, noticed)

    def _uses(self, found: PiecePlan) -> tuple[Use, ...]:
        counted: Counter[Kind] = Counter()
        for row, line in list(zip(found.piece.rows, found.colouring, strict=True))[self.built :]:
            counted.update((slot.nominal_in, colour) for slot, colour in zip(row.slots, line, strict=True))
        return tuple(Use(BALLOON, count, nominal, colour) for (nominal, colour), count in sorted(counted.items()))


def _first_rows(piece: Piece) -> tuple[Row, ...]:
    place = first_rows_group(piece.groups)
    group = piece.groups[place] if place is not None else None
    return group.rows if isinstance(group, RowsGroup) else ()


# --- ends too high or too low --------------------------------------------------------------------


def aimed_again(
    whole: Plan, piece_plan: PiecePlan, built: int, knot_mm: float | None, cancelled: Cancelled = never
) -> list[Way]:
    """Ways for the rows above the `built` ones to end at the wished height.

    `knot_mm`: height above the floor of the knot of the last row built, as measured; None: as planned. Raises BadInput
    for what cannot be, `errors.Cancelled`.
    """
    job = _Job(whole, piece_plan, built, cancelled)
    if knot_mm is not None:
        job.piece = replace(job.piece, learnt_tau=learnt_tau(piece_plan, built, knot_mm, job.studio))
    ways = [way for way in _aims(job) if way is not None]
    return sorted(ways, key=lambda way: (abs(_error(way)) > job.studio.sizer.step_mm / 2, way.noticed))[:_MOST_WAYS]


def learnt_tau(piece_plan: PiecePlan, built: int, knot_mm: float, studio: Studio) -> float:
    """The packing force with which `built` rows have their last knot at a height, mm. Raises BadInput.

    The first row stands where it stands however it is packed: two rows at least tell something.
    """
    piece = piece_plan.piece
    rows = _first_rows(piece)[:built]
    if built < 2:
        raise BadInput("Build two rows before you measure: one alone does not tell how you pack.", "built")
    base = piece_plan.assembly.spans[first_rows_group(piece.groups) or 0][0]
    packing, joint = packing_of(piece, studio), piece.joint

    def knot_at(tau: float) -> float:
        stack = tuple(stack_row(row, packing, joint) for row in rows)
        geometry = settled(stack, Packing(tau, packing.pole_radius, packing.slack, joint=packing.joint), 0.0)
        return base - geometry.bottom + float(geometry.knots[-1])

    low, high = knot_at(_TAU_HIGH), knot_at(_TAU_LOW)
    if not low - 0.02 * low <= knot_mm <= high + 0.02 * high:
        raise BadInput(
            f"The knot of row {built} can lie between {format_length(low)} and {format_length(high)}: "
            f"{format_length(knot_mm)} was measured elsewhere, or rows were missed.",
            "height",
        )
    a, b = math.log(_TAU_LOW), math.log(_TAU_HIGH)
    for _ in range(24):
        middle = (a + b) / 2
        # Pressed harder it lies lower.
        if knot_at(math.exp(middle)) > knot_mm:
            a = middle
        else:
            b = middle
    return math.exp((a + b) / 2)


def _saying(words: str) -> Callable[[PiecePlan], str]:
    return lambda _found: words


def _error(way: Way) -> float:
    return way.planned.height_error_mm


def _aims(job: _Job) -> Iterator[Way | None]:
    left = job.left
    if not left:
        yield job.stay("All rows are built: see what the topper or the foot can give.", 0.0)
        return
    yield _resized(job, left, "the same rows", 0.0)
    more = replace(left[-1], key=free_row_key(job.piece))
    yield _resized(job, (*left, more), "one row more", 1.0)
    small = replace(more, slots=tuple(_shrunk(slot, _SMALLER_LAST, job.studio) for slot in more.slots))
    yield _resized(job, (*left, small), "a smaller last row more", 1.5)
    if len(left) > 1:
        yield _resized(job, left[:-1], "one row fewer", 1.0)


def _shrunk(slot: Slot, factor: float, studio: Studio) -> Slot:
    """A slot that much smaller, on the sizer, of the smallest nominal size that reaches it."""
    wanted = max(slot.diameter_mm * factor, SMALLEST_DIAMETER_MM)
    sizes = [size for size in studio.nominals if size.smallest_mm <= wanted <= size.largest_mm]
    nominal = slot.nominal_in if any(size.nominal_in == slot.nominal_in for size in sizes) else None
    if nominal is None and sizes:
        nominal = min(size.nominal_in for size in sizes)
    return replace(slot, nominal_in=nominal or slot.nominal_in, diameter_mm=studio.sizer.stepped(wanted, 0))


def _resized(job: _Job, left: Sequence[Row], what: str, noticed: float) -> Way | None:
    """Rows not yet built resized step by step, evenly, until the column ends where it must."""
    steps, tried = 0, {}
    slope = _RISE * job.studio.sizer.step_mm
    for _ in range(_ROUNDS):
        stop_if(job.cancelled)
        if steps not in tried:
            tried[steps] = _miss(job, _stepped(left, steps, job.studio))
        error = tried[steps]
        nearer = steps - round(error / slope)
        if nearer == steps or nearer in tried:
            break
        steps = nearer
    best = min(tried, key=lambda each: (abs(tried[each]), abs(each)))
    for beside in (best - 1, best + 1):
        if beside not in tried:
            tried[beside] = _miss(job, _stepped(left, beside, job.studio))
    best = min(tried, key=lambda each: (abs(tried[each]), abs(each)))
    rows = _stepped(left, best, job.studio)
    changed = sum(1 for before, now in zip(left, rows, strict=True) if before.slots != now.slots)
    per_row = abs(best) / max(len(left), 1)
    most = max(abs(now.diameter_mm - before.diameter_mm) for before, now in zip(left, rows, strict=True))

    def words(found: PiecePlan) -> str:
        sizes = "as planned" if not changed else (
            f"{changed} of the {len(left)} rows to come {'larger' if best > 0 else 'smaller'} by up to {most:.0f} mm"
        )  # fmt: skip
        end = f"ends at {format_length(found.measured_height_mm)} of {format_length(found.piece.target_height_mm)}"
        far = abs(found.height_error_mm) > job.studio.sizer.step_mm / 2
        why = ": its balloons reach no farther" if far else ""
        return f"{what.capitalize()}, {sizes}: {end}{why}."

    return job.way(words, job.with_left(rows), noticed + per_row, minutes=0.0)


def _stepped(rows: Sequence[Row], steps: int, studio: Studio) -> list[Row]:
    """Rows some sizer steps larger or smaller altogether, shared out evenly, within the reach of their balloons."""
    many = len(rows)
    shares = [math.floor((k + 1) * steps / many) - math.floor(k * steps / many) for k in range(many)]
    return [
        replace(row, slots=tuple(_resized_slot(slot, share, studio) for slot in row.slots)) if share else row
        for row, share in zip(rows, shares, strict=True)
    ]


def _resized_slot(slot: Slot, steps: int, studio: Studio) -> Slot:
    size = studio.nominal(slot.nominal_in)
    able = (studio.sizer.diameters(size) if size else []) or [slot.diameter_mm]
    low, high = min(able[0], slot.diameter_mm), max(able[-1], slot.diameter_mm)
    return replace(slot, diameter_mm=min(max(studio.sizer.stepped(slot.diameter_mm, steps), low), high))


def _miss(job: _Job, left: Sequence[Row]) -> float:
    """Height reached less height wished, mm."""
    piece = job.with_left(left)
    assembly = assembly_of(piece, piece.groups, job.studio, job.cancelled)
    return assembly.top - column_target_mm(piece, assembly)


# --- short of something --------------------------------------------------------------------------


def short_of(
    whole: Plan, piece_plan: PiecePlan, built: int, left: Mapping[Kind, int], cancelled: Cancelled = never
) -> list[Way]:
    """Ways to go on with so many balloons `left` of some kinds; of others there is enough.

    Raises BadInput for what cannot be, `errors.Cancelled`.
    """
    job = _Job(whole, piece_plan, built, cancelled)
    needed = Counter({(use.nominal_in, use.colour): int(use.count) for use in job._uses(piece_plan)})
    lacking = {kind: needed[kind] - have for kind, have in left.items() if needed[kind] > have}
    if not lacking:
        return [job.stay("There is enough: go on as planned.", 0.0)]
    ways: list[Way] = []
    for kind, many in lacking.items():
        ways += _for_lack_of(job, kind, many, left)
    return sorted(ways, key=lambda way: way.noticed)[: _MOST_WAYS + len(lacking)]


def _for_lack_of(job: _Job, kind: Kind, many: int, left: Mapping[Kind, int]) -> Iterator[Way]:
    nominal, colour = kind
    name = f"{format_nominal(nominal)} {job.whole.job.colour(colour).name}"
    places = [
        (k, slot)
        for k, row in enumerate(job.left, job.built)
        for slot, (each, key) in enumerate(zip(row.slots, job.plan.colouring[k], strict=True))
        if (each.nominal_in, key) == kind
    ]
    yield from _other_nominals(job, kind, many, places)
    others = _other_colours(job, kind, left)
    if not others:
        yield _bought(job, name, many)
        return
    hidden = sorted(places, key=lambda place: (-_unseen(job, *place), -place[0]))
    if job.piece.seen_sides is not SeenSides.ALL_ROUND:
        yield _recoloured(job, hidden[:many], others, 1.0, f"{name}: {many} on the side nobody sees")
    # The end of a pattern is less missed than a gap in it: the last ones go, and what ends them is the other colour.
    last = sorted(places, key=lambda place: (-place[0], place[1]))[:many]
    rows = sorted({k + 1 for k, _ in last})
    where = f"row {rows[0]}" if len(rows) == 1 else f"rows {rows[0]} to {rows[-1]}"
    yield _recoloured(job, last, others, 2.0, f"{name} ends early: {many} in {where}")
    spread = [places[round((n + 0.5) * len(places) / many - 0.5)] for n in range(many)]
    yield _recoloured(job, spread, others, 3.0, f"{name}: {many}, spread over the rows to come,")
    yield _bought(job, name, many)


def _bought(job: _Job, name: str, many: int) -> Way:
    return job.stay(
        f"Fetch {many} more {name}, from a shop or the spares: nobody will notice.", 0.9, many, _BUY_MINUTES
    )


def _other_nominals(job: _Job, kind: Kind, many: int, places: Sequence[tuple[int, int]]) -> Iterator[Way]:
    """The same colour and diameter out of another nominal size, in whole rows where that is enough."""
    nominal, colour = kind
    last = sorted(places, key=lambda place: (-place[0], place[1]))[:many]
    for size in job.studio.nominals:
        if size.nominal_in == nominal:
            continue
        sized = [job.rows[k].slots[slot].diameter_mm for k, slot in last]
        if not all(size.smallest_mm - 0.1 <= diameter <= size.largest_mm + 0.1 for diameter in sized):
            continue
        chosen = set(last)
        left = [
            replace(
                row,
                slots=tuple(
                    replace(s, nominal_in=size.nominal_in) if (k, slot) in chosen else s
                    for slot, s in enumerate(row.slots)
                ),
            )
            for k, row in enumerate(job.left, job.built)
        ]
        name = job.whole.job.colour(colour).name
        said = f"{many} × {format_nominal(size.nominal_in)} {name} sized as the {format_nominal(nominal)} ones"
        # Farther from the nominal size it looks softer or stiffer.
        noticed = 0.2 + abs(math.log(size.nominal_in / nominal))
        words = _saying(f"Take {said}: the same size and colour.")
        yield job.way(words, job.with_left(left), noticed, colours=job.plan.colouring[: len(job.rows)])


def _other_colours(job: _Job, kind: Kind, left: Mapping[Kind, int]) -> list[str]:
    """Colours of the piece that may take the place of one, those used most first."""
    nominal, colour = kind
    counted = Counter(key for line in job.plan.colouring for key in line)
    return [key for key, _ in counted.most_common() if key != colour and left.get((nominal, key), 1) > 0]


def _recoloured(job: _Job, places: Sequence[tuple[int, int]], others: Sequence[str], noticed: float, said: str) -> Way:
    """Some slots in another colour: the one that fewest of their neighbours have."""
    painted: dict[tuple[int, int], str] = {}
    for k, slot in places:
        line = job.plan.colouring[k]
        beside = Counter((line[slot - 1], line[(slot + 1) % len(line)]))
        painted[k, slot] = min(others, key=lambda key: (beside[key], others.index(key)))
    left = [
        replace(row, slots=tuple(replace(s, colour=painted.get((k, n), s.colour)) for n, s in enumerate(row.slots)))
        for k, row in enumerate(job.left, job.built)
    ]
    names = " and ".join(dict.fromkeys(job.whole.job.colour(key).name for key in painted.values()))
    colours = [list(line) for line in job.plan.colouring[: len(job.rows)]]
    for (k, slot), key in painted.items():
        colours[k][slot] = key
    words = _saying(f"{said} in {names} instead.")
    return job.way(words, job.with_left(left), noticed + 0.02 * len(places), colours=colours)


def _unseen(job: _Job, row: int, slot: int) -> float:
    """How far a slot looks away from where somebody sees it, 0 to 1."""
    surface = job.plan.surface
    angle = float(surface.angles[surface.firsts[row] + slot])
    seen = [0.0] if job.piece.seen_sides is SeenSides.FRONT else [0.0, math.pi]
    return min((1 - math.cos(angle - side)) / 2 for side in seen)


# --- wrong colour, wrong size, another end -----------------------------------------------------------


def wrong_colour(
    whole: Plan, piece_plan: PiecePlan, built: int, row: int, slot: int, colour: str, cancelled: Cancelled = never
) -> list[Way]:
    """Ways when a built row (from 0) has a `colour` in a slot that is not the planned one. Raises BadInput."""
    job = _Job(whole, piece_plan, built, cancelled)
    if not 0 <= row < built or not 0 <= slot < job.rows[row].count:
        raise BadInput(f"Row {row + 1}, slot {slot + 1} is not built.", "row")
    line = job.plan.colouring[row]
    planned, there = (job.whole.job.colour(key).name for key in (line[slot], colour))
    if line[slot] == colour:
        return [job.stay(f"Row {row + 1}, slot {slot + 1} is {there}, as planned.", 0.0)]
    ways = []
    mirror = [other for other, key in enumerate(line) if key == colour]
    if mirror:
        nearest = min(mirror, key=lambda other: min(abs(other - slot), len(line) - abs(other - slot)))
        words = (
            f"If slot {nearest + 1} has the {planned} one, exchange the two: untie both necks and tie them crosswise."
        )
        ways.append(job.stay(words, 0.2, 0, _REDO_MINUTES))
    untie = (
        f"Untie slot {slot + 1} of row {row + 1}: a knot pulled twice over the same way opens again. Put {planned} in."
    )
    ways.append(job.stay(untie, 0.1 + 0.3 * (built - 1 - row), 1, _REDO_MINUTES * (built - row)))
    ways.append(job.stay(f"Leave it: one {there} among {planned}.", 2.0))
    if job.left:
        ways += _meant(job, row, slot, colour)
    return sorted(ways, key=lambda way: way.noticed)


def _meant(job: _Job, row: int, slot: int, colour: str) -> Iterator[Way]:
    """The rows to come have the same colour at the same side, so that it looks meant."""
    surface = job.plan.surface
    angle = float(surface.angles[surface.firsts[row] + slot])
    left = []
    for k, each in enumerate(job.left, job.built):
        angles = surface.angles[surface.firsts[k] : surface.firsts[k + 1]]
        nearest = min(range(each.count), key=lambda n: -math.cos(float(angles[n]) - angle))
        painted = tuple(replace(s, colour=colour) if n == nearest else s for n, s in enumerate(each.slots))
        left.append(replace(each, slots=painted if (k - row) % 2 == 0 else each.slots))
    name = job.whole.job.colour(colour).name
    yield job.way(
        lambda _: f"Make it look meant: {name} on that side in every other row to come.", job.with_left(left), 1.5
    )


def wrong_size(
    whole: Plan, piece_plan: PiecePlan, built: int, row: int, diameter_mm: float, cancelled: Cancelled = never
) -> list[Way]:
    """Ways when a built row (from 0) has another size than planned: how it looks, or redone. Raises BadInput."""
    job = _Job(whole, piece_plan, built, cancelled)
    if not 0 <= row < built:
        raise BadInput(f"Row {row + 1} is not built.", "row")
    if not SMALLEST_DIAMETER_MM <= diameter_mm <= LARGEST_DIAMETER_MM:
        raise BadInput(f"No balloon is {format_length(diameter_mm)} across.", "size")
    mine = job.rows[row]
    now = replace(mine, slots=tuple(replace(slot, diameter_mm=diameter_mm) for slot in mine.slots))
    rows = (*job.rows[:row], now, *job.rows[row + 1 :])
    _, found = job.planned(with_rows(job.piece, rows, job.place))
    off = found.height_mm - job.plan.height_mm
    match = (found.match.mean - job.plan.match.mean) if found.match and job.plan.match else 0.0
    words = (
        f"Live with it: the piece ends {format_length(abs(off))} {'higher' if off > 0 else 'lower'}, "
        f"the match changes by {match:+.1%}."
    )
    live = Way(words, None, found, job._uses(found), 0, 0.0, 0.3 + 20 * max(-match, 0.0))
    again = built - row
    redo = job.stay(
        f"Redo row {row + 1}" + (f" and the {again - 1} above it." if again > 1 else "."),
        0.5, mine.count, again * (_REDO_MINUTES + job.studio.rates.row_s / 60),
    )  # fmt: skip
    return sorted((live, redo), key=lambda way: way.noticed)
