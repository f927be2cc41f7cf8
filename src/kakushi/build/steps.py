"""Every step of a job in the right order, with what each waits for and uses up.

All uses of all steps together are what the supplies and materials lists say.
"""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Sequence
from dataclasses import replace
from functools import lru_cache

from kakushi.build.part_steps import parts_in_order, put_on
from kakushi.build.row_words import INNER_NECK
from kakushi.build.rows import LaidRow, ball_colours, ball_words, has_inner, laid_rows, used_balloons
from kakushi.build.step import BALLOON, Balloon, Laid, RowRef, Spot, Step, StepKind, Use
from kakushi.dress.table import kind_of
from kakushi.model.groups import BallGroup, BarePoleGroup, RowsGroup
from kakushi.model.parts import Fillers
from kakushi.model.piece import Copy
from kakushi.model.units import format_length
from kakushi.model.workshop import Per
from kakushi.plan.advice import pole_range
from kakushi.plan.values import PiecePlan, Plan
from kakushi.prep.materials import Material, by_rules
from kakushi.prep.supplies import cap_of
from kakushi.production.materials import (
    GLUE,
    PoleCuts,
    base_name,
    core_materials,
    counted_in,
    joint_materials,
    paint_needed,
    pole_cuts,
    pole_materials,
    wrap_materials,
)

CUT, PAINT, DRY = "cut", "paint", "dry"
"""Keys of the steps that are done once for the whole job."""
_LOOKS_FROM = 6
"""Rows: shorter pieces are looked at once they are done."""
_PER_COPY: tuple[Per, ...] = ("copy", "metre of pole", "metre of height", "pole joint")
_LOOK_MINUTES, _CUT_MINUTES, _PAINT_MINUTES, _PACK_MINUTES = 2.0, 5.0, 5.0, 10.0
"""A look round a piece; a cut; a pole painted once; a copy packed. Assumed, until they are measured."""


@lru_cache(maxsize=4)
def steps_of(plan: Plan) -> tuple[Step, ...]:
    """The steps of a job: what is done once, then copy by copy in the order of the pieces."""
    return _Steps(plan).all()


def steps_of_copy(steps: Iterable[Step], piece: int, copy: int) -> list[Step]:
    """The steps of one copy (from 0) of a piece (key), in their order."""
    return [step for step in steps if (step.piece, step.copy) == (piece, copy)]


def copy_key(piece: int, copy: int) -> str:
    """What the keys of a copy's steps begin with."""
    return f"{piece}.{copy}"


class _Steps:
    """Collects the steps of a job."""

    def __init__(self, plan: Plan) -> None:
        self._plan, self._studio, self._rules = plan, plan.studio, plan.studio.frame_rules
        self._rates = plan.studio.rates
        self._poles = tuple(pole_cuts(plan))
        self._run = 0

    def all(self) -> tuple[Step, ...]:
        steps = [*self._once()]
        for piece_plan in self._plan.pieces:
            own = iter(piece_plan.own_copies)
            for number, copy in enumerate(piece_plan.piece.copies):
                label, design = next(own) if copy.groups is not None else ("", piece_plan)
                steps += _Copy(self, piece_plan, design, label, number, copy).steps()
        job = _uses_of(by_rules({"job": 1.0}, self._studio.rules))
        if job and steps:
            steps[0] = replace(steps[0], uses=(*steps[0].uses, *job))
        return tuple(steps)

    def next_run(self) -> int:
        """A number no run of rows has yet."""
        self._run += 1
        return self._run

    @property
    def plan(self) -> Plan:
        """The plan the steps are for."""
        return self._plan

    @property
    def has_cuts(self) -> bool:
        """Whether poles are cut or laid out for the job."""
        return bool(self._poles)

    def _once(self) -> Iterator[Step]:
        """Poles cut, wiped and painted for all pieces together."""
        if self._poles:
            cuts = sum(many for pole in self._poles for _, many in pole.wanted)
            words = " ".join(_cut_words(pole) for pole in self._poles)
            yield Step(
                CUT, StepKind.CUT, words, minutes=_CUT_MINUTES * cuts, uses=_uses_of(pole_materials(self._poles))
            )
        painted = [p for p in self._plan.pieces if p.piece.frame.painted and p.piece.frame.has_pole]
        if not painted:
            return
        names = ", ".join(f"“{piece_plan.piece.name}”" for piece_plan in painted)
        coats = "once" if self._rules.coats == 1 else f"{self._rules.coats} times"
        poles = sum(len(piece_plan.piece.copies) for piece_plan in painted)
        yield Step(
            PAINT,
            StepKind.PAINT,
            f"Wipe the poles of {names} clean and paint them {coats}, thinly, out of doors or in moving air, "
            "with a mask.",
            (CUT,) if self._poles else (),
            minutes=_PAINT_MINUTES * poles * self._rules.coats,
            uses=_uses_of(paint_needed(self._plan)),
        )
        yield Step(DRY, StepKind.WAIT, "Let the paint dry.", (PAINT,), wait_minutes=60 * self._rules.paint_dry_h)


def _cut_words(pole: PoleCuts) -> str:
    lengths = ", ".join(f"{many} × {format_length(length)}" for length, many in pole.wanted)
    if pole.problem:
        return f"Cut {pole.pole}: {lengths}. {pole.problem}"
    return f"Cut {pole.pole}: {lengths}; smooth the ends."


def _uses_of(materials: Iterable[Material]) -> tuple[Use, ...]:
    return tuple(Use(material.item, material.amount, unit=material.unit) for material in materials if material.amount)


def _merged(uses: Iterable[Use]) -> tuple[Use, ...]:
    """Uses of the same thing as one."""
    counted: dict[tuple[str, float | None, str | None, str], float] = {}
    for use in uses:
        key = (use.item, use.nominal_in, use.colour, use.unit)
        counted[key] = counted.get(key, 0.0) + use.count
    return tuple(
        Use(item, int(count) if item == BALLOON else count, nominal, colour, unit)
        for (item, nominal, colour, unit), count in counted.items()
    )


class _Copy:
    """The steps of one copy."""

    def __init__(
        self, job: _Steps, piece_plan: PiecePlan, design: PiecePlan, label: str, number: int, copy: Copy
    ) -> None:
        self._job, self._plan, self._studio = job, job.plan, job.plan.studio
        self._whole, self._design, self._label, self._number, self._copy = piece_plan, design, label, number, copy
        self._key = copy_key(piece_plan.piece.key, number)
        self._rates = self._studio.rates
        self._steps: list[Step] = []

    def steps(self) -> list[Step]:
        base = self._base()
        lasts = self._groups(base)
        done = self._cap(lasts)
        self._parts(done, lasts)
        self._finish()
        per_balloon = by_rules({"balloon": 1.0}, self._studio.rules)
        return [self._with_rules(step, per_balloon) for step in self._steps]

    def _with_rules(self, step: Step, per_balloon: Sequence[Material]) -> Step:
        many = sum(use.count for use in step.uses if use.item == BALLOON)
        added = [Use(each.item, each.amount * many, unit=each.unit) for each in per_balloon if many]
        return replace(step, uses=_merged([*step.uses, *added]))

    def _add(
        self,
        name: str,
        kind: StepKind,
        words: str,
        after: Iterable[str],
        *,
        minutes: float = 0.0,
        wait_minutes: float = 0.0,
        uses: Iterable[Use] = (),
        row: RowRef | None = None,
        run: int | None = None,
        laid: Laid | None = None,
        places: tuple[Spot, ...] = (),
        part: tuple[int, int] | None = None,
        ties: tuple[tuple[Balloon, ...], ...] = (),
    ) -> str:
        key = f"{self._key}.{name}"
        self._steps.append(
            Step(
                key, kind, words, tuple(dict.fromkeys(after)), self._whole.piece.key, self._number, minutes,
                wait_minutes, row, run, tuple(uses), laid, places, part, ties,
            )
        )  # fmt: skip
        return key

    # --- foot -----------------------------------------------------------------------------------

    def _base(self) -> list[str]:
        """What the first balloons wait for."""
        frame = self._design.piece.frame
        counted = counted_in(self._design, self._studio)
        rules = by_rules({per: counted[per] for per in _PER_COPY}, self._studio.rules)
        uses = [*_uses_of(rules), *_uses_of(core_materials(self._design, self._studio))]
        if base := base_name(self._design.piece, self._studio):
            uses.append(Use(base, 1.0))
        after = [CUT] if frame.has_pole and self._job.has_cuts and frame.pole_length_mm else []
        if frame.painted and frame.has_pole:
            after = [DRY]
        words = [f"Stand {self._base_words()} level where it is built; mark the front on it."]
        if counted["pole joint"]:
            words.insert(0, "Screw the sections together and tape the joints.")
        key = self._add("base", StepKind.BASE, " ".join(words), after, minutes=self._rates.set_up_s / 60, uses=uses)
        rules_of = self._studio.frame_rules
        if frame.base.kind != "foam":
            return [key]
        glue = [Use(GLUE, rules_of.glue_g, unit="g")] if rules_of.glue_g else []
        glued = self._add("glue", StepKind.GLUE, "Glue the pole into the foam, upright.", [key], minutes=3, uses=glue)
        waited = self._add("set", StepKind.WAIT, "Let the glue set.", [glued], wait_minutes=60 * rules_of.glue_dry_h)
        return [waited]

    def _base_words(self) -> str:
        frame = self._design.piece.frame
        if frame.has_pole:
            return "the pole in its base" if frame.base.is_there else "the pole"
        return "the line on its weight" if frame.kind == "line" else "the foot"

    # --- groups ----------------------------------------------------------------------------------

    def _groups(self, base: list[str]) -> list[str]:
        """Rows, balls and wrapped pole from the foot up; keys that the parts wait for."""
        piece, lasts, below = self._design.piece, [], list(base)
        every = list(laid_rows(self._design, self._label, self._plan))
        balls = iter(zip(ball_colours(self._design), self._design.assembly.balls, strict=True))
        wraps = dict(wrap_materials(self._design, self._studio, self._plan.job))
        for place, group in enumerate(piece.groups):
            # What is held at a height stands on nothing but the pole; on it is threaded after what is below.
            if isinstance(group, RowsGroup) and group.rows:
                below = [self._rows(every[place], group, below)]
            elif isinstance(group, BallGroup):
                colours, ball = next(balls)
                words = ball_words(group, colours, float(ball.centres[:, 2].mean()), self._plan.job)
                if has_inner(group.slots, colours, self._plan.job):
                    words += f" {INNER_NECK}"
                uses = used_balloons(group.slots, colours, self._plan.job)
                below = [
                    self._add(f"ball.{place}", StepKind.BALL, words, below, minutes=self._rates.row_s / 60, uses=uses)
                ]
            elif isinstance(group, BarePoleGroup) and place in wraps:
                words = f"Wrap the bare pole with {group.strands} {'strand' if group.strands == 1 else 'strands'}"
                words += f" of modelling balloons as a {group.wrap}."
                uses = _uses_of([wraps[place]])
                below = [
                    self._add(f"wrap.{place}", StepKind.WRAP, words, below, minutes=self._rates.row_s / 60, uses=uses)
                ]
            else:
                continue
            lasts = below
        return lasts or base

    def _rows(self, rows: list[LaidRow], group: RowsGroup, below: list[str]) -> str:
        """Rows one on the other in their order; the key of the last one."""
        joints = joint_materials(self._design)
        per_row, per_joint = (by_rules({per: 1.0}, self._studio.rules) for per in ("row", "joint"))
        looks = {len(rows) // 3: "A third is done", len(rows) // 2: "Half-way"} if len(rows) >= _LOOKS_FROM else {}
        before, run, placed = below, 0, set[int]()
        alike: tuple[object, ...] | None = None
        for number, row in enumerate(rows):
            if row.alike != alike:
                run, alike = self._job.next_run(), row.alike
            placed.add(row.ref.index)
            # Joints to the rows above and below that are there already.
            first = row.ref.index - row.ref.in_group
            joined = [
                upper
                for upper in (row.ref.index, row.ref.index + 1)
                if first < upper < first + len(group.rows) and {upper, upper - 1} <= placed
            ]
            uses = [*row.uses, *_uses_of(per_row)]
            for upper in joined:
                uses += [*_uses_of(joints.get(upper, ())), *_uses_of(per_joint)]
            before = [
                self._add(
                    f"row.{row.ref.key}",
                    StepKind.ROW,
                    f"Row {row.ref.index + 1}: {row.words}",
                    before,
                    minutes=self._rates.row_s / 60,
                    uses=uses,
                    row=row.ref,
                    run=run,
                    laid=row.laid,
                    places=row.spots,
                )
            ]
            if number + 1 in looks:
                self._look(f"rows.{row.ref.key}", looks[number + 1], "colours in order, no gap, upright", before)
        return before[0]

    def _look(self, name: str, when: str, at: str, after: Iterable[str]) -> str:
        words = f"{when}: step back and look from all sides that are seen: {at}. Take a photograph."
        return self._add(f"look.{name}", StepKind.LOOK, words, after, minutes=_LOOK_MINUTES)

    # --- parts -----------------------------------------------------------------------------------

    def _cap(self, lasts: list[str]) -> list[str]:
        """The cap on the pole end, which also resists the last row; what toppers wait for."""
        design = self._design
        lasts = self._one_more(lasts)
        cap = cap_of(design.piece.groups, design.colouring, design.piece.parts, design.piece.frame, design.fallback)
        if cap is None:
            return lasts
        words = (
            f"Pull an uninflated {cap.nominal_in:g}-inch balloon over the pole end; it also keeps the last row down."
        )
        uses = [Use(BALLOON, cap.count, cap.nominal_in, cap.colour)]
        return [self._add("cap", StepKind.CAP, words, lasts, minutes=1, uses=uses)]

    def _one_more(self, lasts: list[str]) -> list[str]:
        """A question once all rows are on a pole that may take one more."""
        design = self._design
        found = pole_range(design.piece, design.geometry, design.packing, self._studio)
        if found is None or found[1].most <= found[0]:
            return lasts
        rows, on_pole = found
        words = (
            f"The pole takes {on_pole.fewest} to {on_pole.most} rows, and {rows} are on: does one more fit? "
            "Then make it as the last one, or smaller; else go on."
        )
        return [self._add("look.more", StepKind.LOOK, words, lasts, minutes=_LOOK_MINUTES)]

    def _parts(self, done: list[str], lasts: list[str]) -> None:
        piece, keys = self._design.piece, dict[int, str]()
        parts = parts_in_order(self._design, self._plan)
        if any(isinstance(part, Fillers) for part in parts):
            self._look("fillers", "Before the fillers", "where pole, knots or necks show", lasts)
        if piece.rows and not piece.dressing.necks_out:
            self._add("necks", StepKind.NECKS, "Tuck the necks in between the balloons.", lasts, minutes=2)
        minutes = self._rates.part_s / 60
        # Words wait for their balloon, a head for its body.
        waiting = sorted(parts, key=lambda part: getattr(part, "on", None) is not None)
        for part in waiting:
            after = done if kind_of(part).step in ("topper", "cap") else lasts
            for each in put_on(part, self._design, self._plan):
                first = [keys[each.on]] if each.on in keys else []
                key = self._add(
                    f"part.{part.key}.{each.place}",
                    each.kind,
                    each.words,
                    [*after, *first],
                    minutes=minutes * each.share,
                    uses=each.uses,
                    part=(part.key, each.place),
                    ties=each.ties,
                )
                keys.setdefault(part.key, key)

    def _finish(self) -> None:
        """A last look, and what is packed."""
        every = [step.key for step in self._steps]
        needed = {key for step in self._steps for key in step.after}
        ends = [key for key in every if key not in needed]
        looked = self._look("last", "Before leaving", "colours, gaps, lean, left and right, necks", ends)
        brief = self._plan.job.brief
        if brief.handover == "delivered":
            words = "Pack it for the way: a bag over it, held against falling, spares already sized in their own bag."
        else:
            words = "Ready to be collected: a bag over it, spares already sized in their own bag."
        self._add("pack", StepKind.PACK, words, [looked], minutes=_PACK_MINUTES)
