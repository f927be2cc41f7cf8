"""A piece of which some rows are built: what every way out of trouble starts from."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from itertools import accumulate

from kakushi.building.remedies import (
    Remedy,
    RescueOption,
)
from kakushi.building.rows import used_balloons
from kakushi.building.steps import steps_of, steps_of_copy
from kakushi.colour.layer_table import kind_of
from kakushi.model.errors import BadInput
from kakushi.model.groups import Direction, Group, Row, RowsGroup, rows_groups
from kakushi.model.memo import Cancelled, stop_if
from kakushi.model.piece import Piece, with_rows
from kakushi.model.roles import BalloonRole
from kakushi.model.used import Used, merged
from kakushi.model.values import replace
from kakushi.packing.groups.rows import packing_of_rows
from kakushi.packing.strands import Laid
from kakushi.plan.geometry import packing_of
from kakushi.plan.pipeline import plan
from kakushi.plan.values import PiecePlan, Plan


class HalfBuilt:
    """State shared by all ways out: a piece of a planned job of which the first `built` rows of its steps stand.

    `place`: the group (among all groups) whose rows are planned again: that of the next row to be built, or of the last
    one that stands. `first`: index of its first row among all rows. `stands`: indices of the rows that stand. Raises
    BadInput.
    """

    def __init__(self, whole: Plan, piece_plan: PiecePlan, built: int, cancelled: Cancelled) -> None:
        self.whole, self.plan, self.studio, self.cancelled = whole, piece_plan, whole.studio, cancelled
        self.piece = piece_plan.piece
        count = len(self.piece.rows)
        if not count:
            raise BadInput(f"“{self.piece.name}” has no rows.", "piece")
        if not 0 <= built <= count:
            raise BadInput(f"“{self.piece.name}” has {count} rows; {built} cannot be built.", "built")
        order = rows_in_order(whole, piece_plan)
        self.stands, self.to_come = order[:built], order[built:]
        at_hand = order[built] if built < count else order[-1]
        firsts = accumulate((len(group.rows) for _, group in rows_groups(self.piece.groups)), initial=0)
        self.first, (self.place, self.group) = next(
            (first, placed)
            for first, placed in zip(firsts, rows_groups(self.piece.groups), strict=False)
            if first <= at_hand < first + len(placed[1].rows)
        )
        self._keys = {self.piece.rows[index].key for index in self.stands}

    @property
    def is_downward(self) -> bool:
        """Whether the group at hand is built from the top down."""
        return self.group.built is Direction.DOWN

    @property
    def ends_below(self) -> bool:
        """Whether the group at hand hangs, so that its lowest point is where it ends.

        One that stands on the floor and is built from the top ends where its top is held.
        """
        return self.is_downward and self.group.anchor.kind == "hanging below"

    @property
    def laid(self) -> Laid | None:
        """The group at hand as the strand it is; None for a straight one."""
        return dict(self.plan.assembly.strands).get(self.place)

    @property
    def built_here(self) -> tuple[Row, ...]:
        """Rows of the group at hand that stand, foot first."""
        return tuple(row for row in self.group.rows if row.key in self._keys)

    @property
    def left(self) -> tuple[Row, ...]:
        """Rows of the group at hand that are not yet built, in the order of building."""
        return tuple(row for k in self.group.build_order() if (row := self.group.rows[k]).key not in self._keys)

    def with_left(self, rows: Sequence[Row]) -> Piece:
        """The piece with other rows beyond those that stand, in the order of building."""
        here = self.built_here
        return with_rows(self.piece, (*reversed(rows), *here) if self.is_downward else (*here, *rows), self.place)

    def learn_packing(self, tau: float) -> None:
        """Pack the piece with the force measured on the group at hand; groups begun before it keep theirs."""
        usual = packing_of(self.piece, self.studio)
        groups = list(self.piece.groups)
        for place, group in rows_groups(self.piece.groups):
            if any(row.key in self._keys for row in group.rows):
                groups[place] = replace(group, learnt_tau=packing_of_rows(group, usual).tau)
        self.group = replace(self.group, learnt_tau=None)
        groups[self.place] = self.group
        self.piece = replace(self.piece, learnt_tau=tau, groups=tuple(groups))

    def planned(self, piece: Piece, colours: Sequence[Sequence[str]] = ()) -> tuple[Piece, PiecePlan]:
        """The plan of an edited piece. Built rows stay as they look, and with `colours` so do the rows to come.

        Where the layers would colour them anew, because a pattern is stretched or rows turn a little, they are painted.
        """
        stop_if(self.cancelled)
        planned = self._plan(piece)
        lines = colours or self.plan.colouring
        wanted = {
            row.key: line for row, line in zip(self.piece.rows, lines, strict=False) if colours or row.key in self._keys
        }
        # A free mix would be solved anew round a painted place: all that is to stay as it is is painted then.
        is_mixed = any(kind_of(layer).mixes for layer in piece.layers if layer.shown)
        changes = {
            (index, slot): {"colour": then}
            for index, (row, now) in enumerate(zip(piece.rows, planned.colouring, strict=True))
            for slot, (shown, then) in enumerate(zip(now, wanted.get(row.key, now), strict=True))
            if shown != then or (is_mixed and row.key in wanted)
        }
        if changes:
            if not piece.paint_shown:
                # Paint that is hidden would come out with the new one: what does not show is taken off.
                cleared = {(k, n): {"colour": None} for k, row in enumerate(piece.rows) for n in range(row.count)}
                piece = replace(with_slots(piece, cleared), paint_shown=True)
            piece = with_slots(piece, changes)
            planned = self._plan(piece)
        return piece, planned

    def _plan(self, piece: Piece) -> PiecePlan:
        job = replace(self.whole.job, pieces=(piece,))
        return plan(job, self.studio, self.cancelled).pieces[0]

    def way(
        self,
        remedy: Callable[[PiecePlan], Remedy],
        piece: Piece,
        noticed: float,
        minutes: float = 0.0,
        colours: Sequence[Sequence[str]] = (),
    ) -> RescueOption:
        """A way by its edited piece; `colours` of its rows, where they are known."""
        edited, planned = self.planned(piece, colours)
        uses = self.uses(planned)
        more = int(sum(use.count for use in uses) - sum(use.count for use in self.uses(self.plan)))
        rows = len(edited.rows) - len(self.piece.rows)
        minutes += rows * self.studio.working_rates.row_s / 60 + more * self.studio.working_rates.inflate_s / 60
        return RescueOption(remedy(planned), edited, planned, uses, more, minutes, noticed)

    def stay(self, remedy: Remedy, noticed: float, balloons: int = 0, minutes: float = 0.0) -> RescueOption:
        """A way that leaves the plan as it is."""
        return RescueOption(remedy, None, self.plan, self.uses(self.plan), balloons, minutes, noticed)

    def uses(self, planned: PiecePlan) -> tuple[Used, ...]:
        """Balloons of the rows not yet built, those of other groups too."""
        used = [
            use
            for row, line in zip(planned.piece.rows, planned.colouring, strict=True)
            if row.key not in self._keys
            for use in used_balloons(row.slots, tuple(line), BalloonRole.ROW, self.whole.job)
        ]
        return tuple(sorted(merged(used), key=lambda use: (use.kind, use.seen)))


def with_slots(piece: Piece, changes: Mapping[tuple[int, int], Mapping[str, object]]) -> Piece:
    """A piece with some slots changed, by row (among all rows) and slot, from 0."""
    groups: list[Group] = []
    first = 0
    for group in piece.groups:
        if isinstance(group, RowsGroup):
            rows = [
                replace(
                    row,
                    slots=tuple(replace(s, **changes.get((first + k, n), {})) for n, s in enumerate(row.slots)),
                )
                for k, row in enumerate(group.rows)
            ]
            first += len(rows)
            groups.append(replace(group, rows=tuple(rows)))
        else:
            groups.append(group)
    return replace(piece, groups=tuple(groups))


def rows_in_order(whole: Plan, design: PiecePlan) -> tuple[int, ...]:
    """Indices of the rows of a design in the order in which the steps of the job lay them."""
    key = design.piece.key
    main = whole.piece(key) or design
    copies = range(len(main.piece.copies))
    copy = next((n for n in copies if main.of_copy(n).piece.groups == design.piece.groups), 0)
    return tuple(step.row.index for step in steps_of_copy(steps_of(whole), key, copy) if step.row is not None)
