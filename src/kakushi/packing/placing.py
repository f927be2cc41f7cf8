"""How far each row is turned on the row below where several turns are possible: rows are placed one by one.

Where sizes differ within rows, or counts are small, a row finds several balances on the row below. As a builder does,
each row is laid on what is there already in a number of turns, all are settled side by side, and the lowest in energy
is kept before the next row comes: pressed rows do not move again. What follows settles with every row free.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from itertools import pairwise

import numpy as np

from kakushi.model import errors
from kakushi.model.arrays import Floats
from kakushi.model.groups import Twist
from kakushi.model.memo import Cancelled, never, remembered
from kakushi.packing.newton import minimise_many
from kakushi.packing.problem import ROWS_IN_REACH, build_problem
from kakushi.packing.settings import PLACING
from kakushi.packing.stack import Packing, StackRow, angle_of
from kakushi.packing.turns import is_open, likely_turn, start_state, turns_up


@dataclass(frozen=True, slots=True, eq=False)
class _Seat:
    """Place of a row: height of its knot above the lowest row's, mm, angle of slot 1, radians, and its balloons.

    `balloons` (n, 3) mm, seen from the knot, turned so that slot 1 is at the front.
    """

    knot: float
    angle: float
    balloons: Floats


@dataclass(frozen=True, slots=True, eq=False)
class PlacedRows:
    """Rows placed one by one: unknowns (n,) near their balance, turn of each row on the row below (m - 1,), radians."""

    state: Floats
    steps: Floats


def placed_rows(
    rows: Sequence[StackRow], packing: Packing, twist: Twist = Twist.FREE, cancelled: Cancelled = never
) -> PlacedRows:
    """Rows (at least one) placed one by one, slot 1 of the first at the front.

    Joints that are not open have their likely turn, pinned ones their own. With a `twist` hands hold each row as it
    was turned while the next ones come. Raises `errors.Cancelled` soon after `cancelled()` answers True.
    """
    seats = _seats(rows[:1], packing, start_state(build_problem(rows[:1], packing), rows[:1], packing, np.zeros(1)))
    laid = list(rows[:1])
    for index, (low, high) in enumerate(pairwise(rows), 1):
        if cancelled():
            raise errors.Cancelled
        first = max(index - ROWS_IN_REACH, 0)
        steps = np.diff([seat.angle for seat in seats[first:]])
        # Rounded, so that columns which hardly differ are placed alike, and what repeats is worked out once.
        below = tuple((np.round(steps / PLACING.alike_turn) * PLACING.alike_turn).tolist())
        turn = None if is_open(low, high) else likely_turn(low, high, packing)
        on_top = _placed((*laid[first:], high), below, turn, packing, twist, cancelled=cancelled)
        foot = seats[first]
        seats[first:] = [replace(s, knot=s.knot + foot.knot, angle=s.angle + foot.angle) for s in on_top]
        held = turn is None and twist is not Twist.FREE
        laid.append(replace(high, turn=seats[-1].angle - seats[-2].angle) if held else high)
    return PlacedRows(_state_of(rows, packing, seats), np.diff([seat.angle for seat in seats]))


def _seats(rows: Sequence[StackRow], packing: Packing, state: Floats) -> list[_Seat]:
    """Place of each row in `state` (n,)."""
    problem = build_problem(rows, packing)
    seats = []
    for row in range(len(rows)):
        at = problem.balloon_at[problem.row_of == row]
        x, y, z = state[at], state[at + 1], state[at + 2] - state[problem.knot_at[row]]
        angle = float(angle_of(x[0], y[0]))
        c, s = np.cos(angle), np.sin(angle)
        seats.append(_Seat(float(state[problem.knot_at[row]]), angle, np.stack([c * x + s * y, c * y - s * x, z], 1)))
    return seats


def _state_of(rows: Sequence[StackRow], packing: Packing, seats: Sequence[_Seat]) -> Floats:
    problem = build_problem(rows, packing)
    state: Floats = np.zeros(problem.size)
    for row, seat in enumerate(seats):
        at, (x, y, z) = problem.balloon_at[problem.row_of == row], seat.balloons.T
        c, s = np.cos(seat.angle), np.sin(seat.angle)
        state[problem.knot_at[row]] = seat.knot
        state[at], state[at + 1], state[at + 2] = c * x - s * y, s * x + c * y, seat.knot + z
    return state


@remembered(4096)
def _placed(
    rows: tuple[StackRow, ...],
    below: tuple[float, ...],
    turn: float | None,
    packing: Packing,
    twist: Twist,
    *,
    cancelled: Cancelled,
) -> list[_Seat]:
    """Settle `rows`, the first at the front: the last one on the others, which are turned by the steps `below`.

    It is begun at `turn`, radians, or where that is None in several turns.
    """
    tried = np.array([turn]) if turn is not None else _turns_tried(rows[-1], twist)
    begun = np.array([turns_up(rows, np.array([*below, turn])) for turn in tried])
    problems = [build_problem(rows, packing, turns=turns) for turns in begun]
    if all(row.turn is None for row in rows[1:]):
        problems = [problems[0]] * len(problems)
    starts = np.array(
        [start_state(problem, rows, packing, turns) for problem, turns in zip(problems, begun, strict=True)]
    )
    states, reached = minimise_many(problems, starts, PLACING.tolerance, PLACING.max_iterations, cancelled)
    one = problems[0]
    firsts = one.balloon_at[one.slot_of == 0]
    angles = angle_of(states[:, firsts], states[:, firsts + 1])
    turns = tried + np.angle(np.exp(1j * (angles[:, -1] - angles[:, -2] - tried)))
    best = _chosen(turns, reached, twist, rows[-1].count, below)
    seats = _seats(rows, packing, states[best])
    # Full turns are kept, joint by joint: rows count them, angles cannot.
    steps = [*below, float(turns[best])]
    settled = np.diff([seat.angle for seat in seats])
    ups = np.concatenate([[0.0], np.cumsum(steps + np.angle(np.exp(1j * (settled - steps))))])
    return [replace(seat, knot=seat.knot - seats[0].knot, angle=float(up)) for seat, up in zip(seats, ups, strict=True)]


def _chosen(turns: Floats, reached: Floats, twist: Twist, count: int, below: tuple[float, ...]) -> int:
    """Which of several balances is kept: one of the lowest, and of those the one that hands would turn to."""
    half = np.pi / count
    energies = reached
    if twist is not Twist.FREE:
        # A row that slipped over its neighbours no longer follows the twist.
        follows = np.abs(turns - (half if twist is Twist.RIGHT else -half)) < PLACING.follows * half
        energies = np.where(follows, energies, energies + np.abs(energies).max()) if follows.any() else energies
    lowest = energies <= energies.min() + PLACING.lower_by * abs(energies.min())
    # Of balances that hardly differ hands go on turning the same way, and turn as far as before, else half a slot.
    direction = float(np.sign(below[-1])) if below else 1.0
    usual = abs(below[-1]) if below else half
    near = np.round(np.abs(np.abs(turns) - usual) / PLACING.alike_turn)
    return int(min(np.flatnonzero(lowest), key=lambda k: (np.sign(turns[k]) != direction, near[k], k)))


def _turns_tried(row: StackRow, twist: Twist) -> Floats:
    """Starting turns of a row, (t,) radians: a share of a slot one way, the other way, or both."""
    slot = 2 * np.pi / row.count
    share = (np.arange(PLACING.shares) + 0.5) / PLACING.shares
    match twist:
        case Twist.RIGHT:
            return share * slot
        case Twist.LEFT:
            return -share * slot
        case _:
            return np.concatenate([share, -share]) * slot
