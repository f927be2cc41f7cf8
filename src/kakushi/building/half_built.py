"""A piece of which some rows are built: what every way out of trouble starts from."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence

from kakushi.building.remedies import (
    Remedy,
    RescueOption,
)
from kakushi.building.rows import used_balloons
from kakushi.model.errors import BadInput
from kakushi.model.groups import Direction, Group, Row, RowsGroup, first_rows_group, rows_groups
from kakushi.model.memo import Cancelled, stop_if
from kakushi.model.piece import Piece, with_rows
from kakushi.model.roles import BalloonRole
from kakushi.model.used import Used, merged
from kakushi.model.values import replace
from kakushi.plan.pipeline import plan
from kakushi.plan.values import PiecePlan, Plan


class HalfBuilt:
    """State shared by all ways out: a piece of a planned job with some rows of its first group built."""

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
            where = (
                f"“{self.piece.name}” has"
                if len(rows_groups(self.piece.groups)) < 2
                else (f"The first group of rows of “{self.piece.name}”, which is planned again, has")
            )
            raise BadInput(f"{where} {len(group.rows)} rows; {built} cannot be built.", "built")
        self.place, self.rows, self.built = place, group.rows, built

    @property
    def left(self) -> tuple[Row, ...]:
        """Rows of the group not yet built."""
        return self.rows[self.built :]

    def with_left(self, rows: Sequence[Row]) -> Piece:
        """The piece with other rows above the built ones."""
        return with_rows(self.piece, (*self.rows[: self.built], *rows), self.place)

    def planned(self, piece: Piece, colours: Sequence[Sequence[str]] = ()) -> tuple[Piece, PiecePlan]:
        """The plan of an edited piece. Built rows stay as they look, and with `colours` so do the rows to come.

        Where the layers would colour them anew, because a pattern is stretched or rows turn a little, they are painted.
        """
        stop_if(self.cancelled)
        planned = self._plan(piece)
        wanted = colours or self.plan.colouring[: self.built]
        changes = {
            (row, slot): {"colour": then}
            for row, (now, line) in enumerate(zip(planned.colouring, wanted, strict=False))
            for slot, (shown, then) in enumerate(zip(now, line, strict=True))
            if shown != then
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
        minutes += rows * self.studio.rates.row_s / 60 + more * self.studio.rates.inflate_s / 60
        return RescueOption(remedy(planned), edited, planned, uses, more, minutes, noticed)

    def stay(self, remedy: Remedy, noticed: float, balloons: int = 0, minutes: float = 0.0) -> RescueOption:
        """A way that leaves the plan as it is."""
        return RescueOption(remedy, None, self.plan, self.uses(self.plan), balloons, minutes, noticed)

    def uses(self, planned: PiecePlan) -> tuple[Used, ...]:
        """Balloons of the rows not yet built, those of other groups too."""
        rows = list(zip(planned.piece.rows, planned.colouring, strict=True))[self.built :]
        used = [
            use for row, line in rows for use in used_balloons(row.slots, tuple(line), BalloonRole.ROW, self.whole.job)
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


def rows_of_first_group(piece: Piece) -> tuple[Row, ...]:
    """Rows of the first group of rows; none where there is no such group."""
    place = first_rows_group(piece.groups)
    group = piece.groups[place] if place is not None else None
    return group.rows if isinstance(group, RowsGroup) else ()
