"""Every step of a job in the right order, with what each waits for, uses up and takes: the job's one ledger.

Supplies, materials, price, schedule and labels are sums over these steps (`workshop`).
"""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterable, Iterator, Sequence
from dataclasses import replace
from functools import lru_cache
from itertools import count
from typing import Any

from kakushi.building.beforehand import CUT, DRY, inflating_step, steps_for_poles
from kakushi.building.copy_ends import is_upright, packing_up, setting_up
from kakushi.building.frame_steps import chain_steps, joint_steps
from kakushi.building.materials import (
    GLUE,
    base_name,
    beginning_uses,
    by_rules,
    cap_balloon,
    closing_uses,
    core_uses,
    frame_uses,
    joint_uses,
    slack_uses,
    wrap_uses,
)
from kakushi.building.order_of_work import build_order, in_order_of_work
from kakushi.building.own_order import in_own_order
from kakushi.building.part_steps import PutOn, is_on_group, parts_in_order, put_on
from kakushi.building.poles import pole_cuts, sections_of, sections_used
from kakushi.building.rows import LaidRow, Tied, ball_colours, laid_rows, tied_inside, used_balloons
from kakushi.building.step import (
    BendingStrand,
    Capping,
    Fact,
    Looking,
    PuttingOn,
    RoomForMore,
    SlidingOn,
    Step,
    StepKind,
    ThreadingBall,
    TyingCluster,
    TyingRows,
    Waiting,
    WrappingPole,
)
from kakushi.building.stuffed import outer_of, stuffed_colours
from kakushi.building.tying import balloon_of
from kakushi.colour.tying import Balloon, in_bunches
from kakushi.dress.kind import STRIPS
from kakushi.dress.table import kind_of
from kakushi.model.groups import (
    BallGroup,
    BarePoleGroup,
    Direction,
    LinkFrameGroup,
    RowsGroup,
    Slot,
)
from kakushi.model.parts import Cap, Fillers, Hung, Weight
from kakushi.model.piece import Copy
from kakushi.model.roles import BalloonRole
from kakushi.model.used import Used, balloons, merged
from kakushi.plan.advice import pole_range
from kakushi.plan.strands import base_places, marks_of
from kakushi.plan.values import PiecePlan, Plan

_LOOKS_FROM = 6
"""Rows from which a piece is looked at while it is built; shorter ones are looked at when they are done."""
_LOOK_MINUTES, _GLUE_MINUTES = 2.0, 3.0
"""Minutes for a look round a piece, and for gluing in a pole. Assumed until they are measured."""
_CAP_MINUTES, _NECKS_MINUTES, _PACK_MINUTES, _TIE_MINUTES = 1.0, 2.0, 10.0, 1.0
"""Minutes to pull on a cap, tuck in necks, pack a copy, tie two rows. Assumed until they are measured."""


@lru_cache(maxsize=4)
def steps_of(plan: Plan) -> tuple[Step, ...]:
    """Build the steps of a job: once for the whole job, then copy by copy in the order of the pieces."""
    return _JobSteps(plan).all()


def steps_of_copy(steps: Iterable[Step], piece: int, copy: int) -> list[Step]:
    """The steps of one copy (from 0) of a piece (key), in their order."""
    return [step for step in steps if (step.piece, step.copy) == (piece, copy)]


class _JobSteps:
    """Collects the steps of a job."""

    def __init__(self, plan: Plan) -> None:
        self.plan, self.studio = plan, plan.studio
        self.poles = tuple(pole_cuts(plan))
        self.runs = count(1)
        """Numbers of the runs of rows, each taken once."""

    def all(self) -> tuple[Step, ...]:
        steps = [*steps_for_poles(self.plan, self.poles)]
        for piece_plan in self.plan.pieces:
            own = iter(piece_plan.own_copies)
            for number, copy in enumerate(piece_plan.piece.copies):
                label, design = next(own) if copy.groups is not None else ("", piece_plan)
                steps += _CopySteps(self, piece_plan, design, label, number, copy).all()
        steps = in_order_of_work(steps)
        job = by_rules({"job": 1.0}, self.studio.rules)
        if job and steps:
            steps[0] = replace(steps[0], uses=(*steps[0].uses, *job))
        return tuple(steps)


class _CopySteps:
    """Collects the steps of one copy."""

    def __init__(
        self, job: _JobSteps, piece_plan: PiecePlan, design: PiecePlan, label: str, number: int, copy: Copy
    ) -> None:
        self._job, self._plan, self._studio, self._rates = job, job.plan, job.studio, job.studio.working_rates
        self._whole, self._design, self._label, self._number, self._copy = piece_plan, design, label, number, copy
        self._key = f"{piece_plan.piece.key}.{number}"
        self._steps: list[Step] = []
        self._keys_of_rows: dict[int, str] = {}
        self._ready: list[str] = []
        """Keys of what makes the foot ready."""
        self._dressed = set[tuple[int, int]]()
        """Parts and clusters that are put on while their group is on the table, by key and place."""
        self._lasts: list[str] = []
        """Keys of the last step of each group: then all rows stand."""

    def all(self) -> list[Step]:
        inflated = f"{self._key}.inflate"
        self._ready = self._base()
        self._groups(self._ready, inflated)
        self._parts()
        self._finish()
        per_balloon = by_rules({"balloon": 1.0}, self._studio.rules)
        steps = [self._with_rules(step, per_balloon) for step in self._steps]
        if inflating := inflating_step(self._steps, inflated, self._plan):
            # What holds the piece is made ready before balloons are: it may have to dry.
            ready = sum(1 for step in steps if step.kind in (StepKind.BASE, StepKind.GLUE, StepKind.WAIT))
            inflating = replace(inflating, piece=self._whole.piece.key, copy=self._number)
            steps = [*steps[:ready], inflating, *steps[ready:]]
        else:
            steps = [replace(step, after=tuple(key for key in step.after if key != inflated)) for step in steps]
        return in_own_order(steps, self._whole.piece.step_order)

    def _with_rules(self, step: Step, per_balloon: Sequence[Used]) -> Step:
        balloon_count = sum(use.count for use in step.uses if use.is_balloon)
        added = [used.times(balloon_count) for used in per_balloon if balloon_count]
        if not added and len(step.uses) < 2 and all(use.count for use in step.uses):
            return step
        return replace(step, uses=merged([*step.uses, *added]))

    def _add(self, name: str, kind: StepKind, fact: Fact, after: Iterable[str], **rest: Any) -> str:
        """Add a step; its key. `rest`: other fields of a step."""
        key = f"{self._key}.{name}"
        piece, copy = self._whole.piece.key, self._number
        self._steps.append(Step(key, kind, fact, tuple(dict.fromkeys(after)), piece, copy, **rest))
        return key

    # --- foot -----------------------------------------------------------------------------------

    def _base(self) -> list[str]:
        """What the first balloons wait for."""
        design, rules = self._design, self._studio.frame_rules
        frame = design.piece.frame
        screwed = sections_of(design.piece, self._studio)
        uses = [*frame_uses(design, self._studio), *core_uses(design, self._studio)]
        uses += sections_used(design.piece, self._studio)
        if base := base_name(design.piece, self._studio):
            places = base_places(design.piece, design.assembly) if frame.base.is_under else [(0.0, 0.0)]
            uses.append(Used(item=base, count=len(places)))
        after = [CUT] if frame.has_pole and self._job.poles and frame.pole_length_mm and not screwed else []
        if frame.painted and frame.has_pole:
            after = [DRY]
        fact = setting_up(design.piece, screwed)
        key = self._add("base", StepKind.BASE, fact, after, minutes=self._rates.set_up_s / 60, uses=tuple(uses))
        if frame.base.kind != "foam":
            return [key]
        glue = (Used(item=GLUE, count=rules.glue_g, unit="g"),) if rules.glue_g else ()
        glued = self._add("glue", StepKind.GLUE, None, [key], minutes=_GLUE_MINUTES, uses=glue)
        return [self._add("set", StepKind.WAIT, Waiting("glue"), [glued], wait_minutes=60 * rules.glue_dry_h)]

    # --- groups ----------------------------------------------------------------------------------

    def _groups(self, ready: list[str], inflated: str) -> None:
        """What hangs from the top first, then from the foot up, bare pole between them last.

        `ready`: keys of what makes the pole ready; what is built on the table waits for it only to be slid on.
        """
        base = [*ready, inflated]
        groups = self._design.piece.groups
        wraps = dict(wrap_uses(self._design, self._studio, self._plan.job))
        every = list(laid_rows(self._design, self._label, self._plan))
        balls = dict(self._balls())
        order = build_order(groups)
        threaded: list[str] = []
        top = max((place for place in order if every[place] or place in balls), default=None)
        keys: dict[int, str] = {}
        for place in order:
            group = groups[place]
            # What stands on another group waits for it; nothing is threaded past what is on the pole above.
            after = [keys[place - 1]] if group.anchor.kind == "floor" and place - 1 in keys else list(base)
            after += threaded
            if isinstance(group, RowsGroup) and every[place]:
                on_table, ends_pole = group.on_table, place == top
                begin = [inflated] if on_table else after
                last = self._rows(every[place], group, begin, ends_pole=ends_pole and not on_table)
                if group.strand is not None:
                    last = self._bent(place, group, last)
                keys[place] = self._slid_on(place, last, after, ends_pole) if on_table else last
            elif isinstance(group, BallGroup):
                if place == top and not group.on_table:
                    after = self._cap(after, keeps_row=False)
                last = self._ball(place, *balls[place], [inflated] if group.on_table else after, group.on_table)
                keys[place] = self._slid_on(place, last, after, place == top) if group.on_table else last
                threaded = [keys[place]]
            elif isinstance(group, LinkFrameGroup):
                keys[place] = self._frame_of_links(place, group, [inflated])
            elif isinstance(group, BarePoleGroup) and place in wraps:
                fact, minutes = WrappingPole(group.strands, group.wrap, group.clockwise), self._rates.row_s / 60
                # The strands begin inside the clusters beside it.
                beside = [keys[other] for other in (place - 1, place + 1) if other in keys] or after
                uses = (wraps[place],)
                keys[place] = self._add(f"wrap.{place}", StepKind.WRAP, fact, beside, minutes=minutes, uses=uses)
        if top is None:
            base = self._cap(base, keeps_row=False)
        keys |= {len(groups) + number: key for number, key in enumerate(self._ties())}
        self._lasts = list(keys.values()) or base

    def _frame_of_links(self, place: int, group: LinkFrameGroup, after: list[str]) -> str:
        """Chains alike tied together, then joint by joint from the foot up; the key of the last step."""
        fallback, job = self._design.fallback, self._plan.job
        per_link = self._rates.bunch_s(2) / 2 / 60
        before = [
            self._add(f"{place}.{each.name}", StepKind.LINK, each.fact, after, minutes=per_link * each.links,
                      uses=each.uses)
            for each in chain_steps(group, fallback, job)
        ]  # fmt: skip
        for each in joint_steps(group, fallback, job):
            before = [
                self._add(f"{place}.{each.name}", StepKind.LINK, each.fact, before, minutes=_TIE_MINUTES,
                          uses=each.uses, tied=each.tied)
            ]  # fmt: skip
        return before[0]

    def _bent(self, place: int, group: RowsGroup, last: str) -> str:
        """A strand is bent, and its ends joined where it is closed; the key of that step."""
        laid, piece = dict(self._design.assembly.strands)[place], self._design.piece
        assert group.strand is not None
        closing = (group.rows[0].joint or piece.joint) if laid.curve.is_closed else None
        slack = slack_uses(group, piece, laid)
        slack_mm = laid.slack_mm if slack else 0.0
        fact = BendingStrand(len(group.rows), tuple(marks_of(group, laid)), closing, group.strand.stands, slack_mm,
                             group.strand.core == "line")  # fmt: skip
        uses = (*(closing_uses(group, piece, laid.closing_mm) if closing else ()), *slack)
        minutes = self._rates.row_s / 60 * (1 + len(fact.marks))
        return self._add(f"strand.{place}", StepKind.STRAND, fact, [last], minutes=minutes, uses=uses)

    def _ties(self) -> Iterator[str]:
        """Rows tied to rows that are no neighbours, and to what holds them; the keys of those steps."""
        at = {row.key: index for index, row in enumerate(self._design.piece.rows)}
        bends = [step.key for step in self._steps if isinstance(step.fact, BendingStrand)]
        for number, tie in enumerate(self._design.piece.ties):
            if tie.row not in at or (tie.other is not None and tie.other not in at):
                continue
            other = None if tie.other is None else at[tie.other]
            waits = [self._keys_of_rows[index] for index in (at[tie.row], other) if index in self._keys_of_rows]
            # What is to be bent yet is tied loosely before, everything else once it has its shape.
            after = waits if tie.loose else [*waits, *bends]
            fact = TyingRows(at[tie.row], other, tie.mount, tie.loose)
            uses = (Used(item=STRIPS, count=1.0, unit="pcs"),)
            yield self._add(f"tie.{number}", StepKind.STRAND, fact, after, minutes=_TIE_MINUTES, uses=uses)

    def _slid_on(self, place: int, last: str, after: list[str], ends_pole: bool) -> str:
        """A group from the table, dressed there, is slid on the pole; the key of that step."""
        group, low_mm = self._design.piece.groups[place], self._design.assembly.spans[place][0]
        on_group = [
            each
            for part in parts_in_order(self._design, self._plan)
            # What hangs is tied on once the group is where it stays, after the clusters that hide its strips.
            if not isinstance(part, Cap | Hung)
            for each in put_on(part, self._design, self._plan)
            if is_on_group(each, self._design, place)
        ]
        dressed = [self._put_on(each, [last]) for each in on_group]
        self._dressed.update((each.part.key, each.place) for each in on_group)
        if ends_pole:
            after = self._cap(after, keeps_row=False)
        rows = len(group.rows) if isinstance(group, RowsGroup) else 0
        needed = [last, *dressed, *after]
        minutes = self._rates.row_s / 60
        return self._add(f"slide.{place}", StepKind.SLIDE, SlidingOn(rows, low_mm), needed, minutes=minutes)

    def _balls(self) -> Iterator[tuple[int, tuple[tuple[Slot, ...], tuple[str, ...], float]]]:
        """Slots and colours of each ball and the height of its middle, mm, by the place of its group."""
        colours, geometries = iter(ball_colours(self._design)), iter(self._design.assembly.balls)
        for place, group in enumerate(self._design.piece.groups):
            if isinstance(group, BallGroup):
                yield place, (group.slots, next(colours), float(next(geometries).centres[:, 2].mean()))

    def _ball(
        self,
        place: int,
        slots: tuple[Slot, ...],
        colours: tuple[str, ...],
        middle: float,
        after: list[str],
        on_table: bool,
    ) -> str:
        job = self._plan.job
        bunches = in_bunches(tuple(map(balloon_of, slots, colours)))
        tied: list[Tied] = [(BalloonRole.BALL, tuple(sorted(bunch)), 1) for bunch in bunches]
        inside = tied_inside(slots, colours, job)
        return self._add(
            f"ball.{place}",
            StepKind.BALL,
            ThreadingBall(tuple(Counter(colours).items()), None if on_table else middle, bool(inside)),
            after,
            minutes=self._rates.row_s / 60,
            uses=used_balloons(slots, colours, BalloonRole.BALL, job),
            tied=(*tied, *inside),
        )

    def _rows(self, rows: list[LaidRow], group: RowsGroup, below: list[str], ends_pole: bool) -> str:
        """Rows one on the other in their order; the key of the last one. `ends_pole`: one is at the pole's end."""
        joints, piece = joint_uses(self._design), self._design.piece
        per_row, per_joint = (by_rules({per: 1.0}, self._studio.rules) for per in ("row", "joint"))
        looks: dict[int, Looking] = {}
        if len(rows) >= _LOOKS_FROM:
            upright = is_upright(self._design.piece)
            looks = {len(rows) // 3: Looking("third", upright), len(rows) // 2: Looking("half", upright)}
        before, run, placed = below, 0, set[int]()
        highest = max(row.ref.index for row in rows) if ends_pole else -1
        alike: tuple[object, ...] | None = None
        for number, row in enumerate(rows, 1):
            if row.alike != alike:
                run, alike = next(self._job.runs), row.alike
            placed.add(row.ref.index)
            # Joints to the rows above and below that are there already.
            first = row.ref.index - row.ref.in_group
            joined = [
                upper
                for upper in (row.ref.index, row.ref.index + 1)
                if first < upper < first + len(group.rows) and {upper, upper - 1} <= placed
            ]
            if row.ref.index == highest and group.built is Direction.UP:
                before = self._cap(self._one_more(before, before_last=True), keeps_row=True)
            begun = () if row.fact.begins is None else beginning_uses(group.rows[row.ref.in_group], piece, self._studio)
            uses = (*row.uses, *begun, *per_row, *(u for upper in joined for u in (*joints.get(upper, ()), *per_joint)))
            key = self._add(
                f"row.{row.ref.key}",
                StepKind.ROW,
                row.fact,
                before,
                minutes=self._rates.row_s / 60,
                uses=uses,
                row=row.ref,
                run=run,
                laid=row.laid,
                places=row.spots,
                tied=row.tied,
            )
            before = [key]
            self._keys_of_rows[row.ref.index] = key
            if number in looks:
                self._look(f"rows.{row.ref.key}", looks[number], before)
        if ends_pole and group.built is not Direction.UP:
            # Built from the top, the end of the pole is covered when its rows have found their places.
            self._cap(self._one_more(before, before_last=False), keeps_row=True)
        return before[0]

    def _look(self, name: str, fact: Looking | RoomForMore, after: Iterable[str]) -> str:
        return self._add(f"look.{name}", StepKind.LOOK, fact, after, minutes=_LOOK_MINUTES)

    # --- parts -----------------------------------------------------------------------------------

    def _cap(self, before: list[str], *, keeps_row: bool) -> list[str]:
        """The cap on the pole's end, before what is laid or slid over it; the keys that what follows waits for."""
        design = self._design
        frame, caps = design.piece.frame, [part for part in design.piece.parts if isinstance(part, Cap)]
        keys = [self._put_on(each, before) for cap in caps for each in put_on(cap, design, self._plan)]
        if caps or not (frame.has_pole and frame.capped):
            return [*before, *keys]
        nominal, colour = cap_balloon(design, self._plan.pieces)
        colour = outer_of(colour, stuffed_colours(self._plan.job))
        uses = (balloons(1, nominal, colour, BalloonRole.CAP, seen=False),)
        tied = ((BalloonRole.CAP, (Balloon(nominal, 0.0, colour),), 1),)
        key = self._add(
            "cap", StepKind.CAP, Capping(nominal, keeps_row), before, minutes=_CAP_MINUTES, uses=uses, tied=tied
        )
        return [*before, key]

    def _one_more(self, before: list[str], *, before_last: bool) -> list[str]:
        """A question at the last row of a pole that may take one more; what comes next waits for it."""
        design = self._design
        pole = pole_range(design.piece, design.geometry, design.packing, self._studio)
        if pole is None or pole[1].most <= pole[0]:
            return before
        rows, on_pole = pole
        return [self._look("more", RoomForMore(rows, on_pole.fewest, on_pole.most, before_last), before)]

    def _parts(self) -> None:
        piece, keys = self._design.piece, dict[int, str]()
        parts = [part for part in parts_in_order(self._design, self._plan) if not isinstance(part, Cap)]
        if piece.rows and not piece.dressing.necks_out:
            self._add("necks", StepKind.NECKS, None, self._lasts, minutes=_NECKS_MINUTES)
        first_filler = next((part for part in parts if isinstance(part, Fillers)), None)
        # Words wait for their balloon, a head for its body.
        for part in sorted(parts, key=lambda part: getattr(part, "on", None) is not None):
            if part is first_filler:
                self._look("fillers", Looking("fillers", is_upright(self._design.piece)), self._lasts)
            for each in put_on(part, self._design, self._plan):
                if (each.part.key, each.place) in self._dressed:
                    continue
                first = [keys[each.on]] if each.on in keys else []
                keys.setdefault(part.key, self._put_on(each, [*self._needs_of(each), *first]))

    def _needs_of(self, each: PutOn) -> list[str]:
        """What a part waits for: the rows that hold it, and all of them where it is at none."""
        row = each.fact.row if isinstance(each.fact, PuttingOn | TyingCluster) else None
        if isinstance(each.part, Weight) and (row is None or not each.part.height_mm):
            # It lies on the foot: nothing has to stand for that.
            return self._ready
        if row is None or kind_of(each.part).standing(each.part):
            return self._lasts
        # It is tied between its row and the next one.
        return [self._keys_of_rows[index] for index in (row, row + 1) if index in self._keys_of_rows]

    def _put_on(self, each: PutOn, after: Iterable[str]) -> str:
        return self._add(
            f"part.{each.part.key}.{each.place}",
            each.kind,
            each.fact,
            after,
            minutes=self._rates.part_s / 60 * each.share,
            uses=each.uses,
            part=(each.part.key, each.place),
            ties=each.ties,
            tied=each.tied,
        )

    def _finish(self) -> None:
        """Final look, and packing."""
        needed = {key for step in self._steps for key in step.after}
        ends = [step.key for step in self._steps if step.key not in needed]
        looked = self._look("last", Looking("last", is_upright(self._design.piece)), ends)
        self._add("pack", StepKind.PACK, packing_up(self._plan.job), [looked], minutes=_PACK_MINUTES)
