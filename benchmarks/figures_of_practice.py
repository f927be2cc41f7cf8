"""The figures of practice and what the model gives for them; with --scan, what other constants would give.

Run from the checkout: python benchmarks/figures_of_practice.py [--scan]

`tests/test_practice.py` holds every figure to its range.
"""

from __future__ import annotations

import argparse
from collections.abc import Callable
from dataclasses import dataclass, replace
from typing import NamedTuple

import numpy as np

from kakushi.model.groups import Twist
from kakushi.model.joints import JointKind
from kakushi.model.units import inches
from kakushi.packing import stack
from kakushi.packing.law import Law
from kakushi.packing.release import domed_after_knock, last_row_comes_up
from kakushi.packing.settle import settle
from kakushi.packing.stack import LOOSE, SNUG, TIGHT, Geometry, Packing, StackRow, default_slack, equal_row
from kakushi.sight.core_seen import core_seen

POLE_MM = 12.5
"""Radius of a 25 mm pole."""
FILLS = (0.80, 0.83, 0.87)
"""Sized over nominal of the figures' quads."""
SIX_FILLS = (0.5, 0.58, 0.67)
"""A half to two thirds: rows of six are well underfilled."""


def row(count: int, fill: float, packing: Packing, nominal_in: float = 11.0) -> StackRow:
    """A row of equal balloons of a nominal size, filled to a share of it."""
    d = fill * inches(nominal_in)
    return equal_row(count, d, packing.neck_slack(nominal_in, d, count), packing.joint)


def rise(column: Geometry, ends: int = 1) -> float:
    """Mean rise from knot to knot, mm, leaving out the end rows."""
    return float(np.diff(column.knots)[ends:-ends].mean())


def snug(law: Law = stack.LAW, tau: float = SNUG) -> Packing:
    """Wrapped on a 25 mm pole and pushed down."""
    return Packing(tau, POLE_MM, law=law)


def quad_rises(packing: Packing) -> list[float]:
    """Rise over diameter of quads, for each fill."""
    return [rise(settle([row(4, fill, packing)] * 10, packing)) / (fill * inches(11)) for fill in FILLS]


def rows_to_the_foot(packing: Packing) -> list[float]:
    """Rows of eleven-inch quads sized to nine inches in a foot of height."""
    fill = 9 / 11
    return [12 * 25.4 / rise(settle([row(4, fill, packing)] * 10, packing))]


def pole_seen(packing: Packing) -> list[tuple[float, float]]:
    """Mean and largest share of the pole seen in snug quads, for each fill."""
    seen = [core_seen(settle([row(4, fill, packing)] * 10, packing), POLE_MM, [range(10)]) for fill in FILLS]
    return [(s.mean, s.worst) for s in seen]


def tied_rises(joint: JointKind, tau: float, packing: Packing) -> list[float]:
    """Rise over diameter of quads without a pole, held by line or ribbon, for each fill."""
    hands = replace(packing, tau=tau, pole_radius=0.0).for_joint(joint)
    return [rise(settle([row(4, fill, hands)] * 10, hands)) / (fill * inches(11)) for fill in FILLS]


def hole(joint: JointKind, fill: float, packing: Packing) -> float:
    """Width of the hole in the middle of the first quad of a column without a pole, over d."""
    hands = replace(packing, pole_radius=0.0).for_joint(joint)
    d = fill * inches(11)
    column = settle([row(4, fill, hands)] * 6, hands)
    return float(2 * (column.local.out[column.of_row(0)] - d / 2).min() / d)


def two_and_two_rises(twist: Twist, packing: Packing) -> list[float]:
    """Rise over the large diameter of rows of two large and two small (0.6 of them), in both orders of slots."""
    large, small = 0.83 * inches(11), 0.6 * 0.83 * inches(11)
    slack = {large: default_slack(11, large, packing.slack), small: default_slack(6, small, packing.slack)}
    rises = []
    for sizes in ((large, small, large, small), (large, large, small, small)):
        mixed = StackRow(sizes, tuple(slack[d] for d in sizes))
        rises.append(rise(settle([mixed] * 10, packing, twist=twist)) / large)
    return rises


def square_spacers(packing: Packing) -> list[float]:
    """How far large quads lie off square above each other, degrees, with quads of 0.4 of their size between."""
    large, small = row(4, 0.83, packing), row(4, 0.4 * 0.83 * 11 / 5, packing, 5.0)
    turns = settle([large, small] * 3 + [large], packing).turns[::2]
    off = np.degrees(np.diff(turns)) % 90
    return [float(np.minimum(off, 90 - off).max())]


class LetGo(NamedTuple):
    """What rows do when hands let go: those that stay flat, and whether the last one wants to come up."""

    flat: tuple[bool, ...]
    comes_up: bool


def let_go(count: int, rows: int, fill: float, packing: Packing) -> LetGo:
    """A column of equal rows, knocked and let go."""
    column = [row(count, fill, packing)] * rows
    held = settle(column, packing)
    lies = held.flat & ~domed_after_knock(column, packing, held)
    return LetGo(tuple(bool(flat) for flat in lies), bool(lies[-1]) and last_row_comes_up(column, packing, held))


def sixes_as_practised(packing: Packing) -> list[float]:
    """Shares of fills at which a lone six domes, sixes under two further rows hold, the last one wants to come up."""
    lone = [not any(let_go(6, 1, fill, packing).flat) for fill in SIX_FILLS]
    under_two = [all(let_go(6, rows, fill, packing).flat[:-2]) for fill in SIX_FILLS for rows in (3, 4, 6)]
    last = [let_go(6, rows, fill, packing).comes_up for fill in SIX_FILLS for rows in (3, 6)]
    return [float(np.mean(each)) for each in (lone, under_two, last)]


def quads_as_practised(packing: Packing) -> list[float]:
    """Share of columns of one to five quads that lie flat, knocked or not, and whose last row stays down."""
    found = [let_go(4, rows, fill, packing) for fill in FILLS for rows in (1, 2, 3, 4, 5)]
    return [float(np.mean([all(f.flat) and not f.comes_up for f in found]))]


def uneven_widths(packing: Packing) -> list[float]:
    """How uneven rows of six are seen from different sides (widest over narrowest, less 1), over that of quads."""
    uneven = []
    for count, fill in ((4, 0.83), (6, 0.6)):
        column = settle([row(count, fill, packing)] * 3, packing)
        middle = column.of_row(1)
        angles = np.linspace(0, np.pi, 180, endpoint=False)
        sideways = np.stack([np.cos(angles), np.sin(angles)], axis=1)
        across, radii = sideways @ column.centres[middle, :2].T, column.shape_radii[middle]
        widths = (across + radii).max(axis=1) - (across - radii).min(axis=1)
        uneven.append(float(widths.max() / widths.min() - 1))
    return [uneven[1] / uneven[0]]


@dataclass(frozen=True)
class Figure:
    """A figure of practice: its words, the range every value must lie in, and what the default packings give."""

    words: str
    low: float
    high: float
    measure: Callable[[Packing], list[float]]


FIGURES = (
    Figure("quads snug on a pole: rise over d", 0.68, 0.76, quad_rises),
    Figure("11-inch quads sized to 9 inches: rows to the foot", 1.75, 2.1, rows_to_the_foot),
    Figure("pole seen in them, mean", 0.0, 0.01, lambda p: [mean for mean, _ in pole_seen(p)]),
    Figure("pole seen in them, worst side", 0.0, 0.03, lambda p: [worst for _, worst in pole_seen(p)]),
    Figure(
        "quads tied on line, loose and snug: rise over d", 0.88, 1.0,
        lambda p: tied_rises(JointKind.LINE_EIGHT, LOOSE, p) + tied_rises(JointKind.LINE_EIGHT, p.tau, p),
    ),
    Figure(
        "quads wound loosely with ribbon: rise over d", 0.88, 1.0, lambda p: tied_rises(JointKind.RIBBON, LOOSE, p)
    ),
    Figure(
        "quads, ribbon round every balloon, not pushed down: rise over d", 0.93, 1.0,
        lambda p: tied_rises(JointKind.RIBBON, p.tau, p) + tied_rises(JointKind.RIBBON, TIGHT, p),
    ),
    Figure(
        "hole of a quad on line or ribbon, over d", 0.39, 0.43,
        lambda p: [hole(joint, fill, p) for joint in (JointKind.LINE_EIGHT, JointKind.RIBBON) for fill in FILLS],
    ),
    Figure(
        "two large and two small: rise over large d", 0.45, 0.52,
        lambda p: two_and_two_rises(Twist.RIGHT, p) + two_and_two_rises(Twist.FREE, p),
    ),
    Figure("quads of 0.4 between large ones: degrees off square", 0.0, 5.0, square_spacers),
    Figure("a lone six domes; under two rows it holds; the last comes up", 1.0, 1.0, sixes_as_practised),
    Figure("one to five quads lie flat, knocked or not", 1.0, 1.0, quads_as_practised),
    Figure("a six looks round beside a quad: unevenness of width over the quad's", 0.0, 0.5, uneven_widths),
)  # fmt: skip


def table(packing: Packing) -> str:
    """The figures with what the model gives, as a table in Markdown."""
    lines = ["| figure | practice | model |", "|---|---|---|"]
    for figure in FIGURES:
        values = figure.measure(packing)
        told = f"{min(values):.3g}" if max(values) - min(values) < 5e-4 else f"{min(values):.3g} to {max(values):.3g}"
        missed = "" if figure.low <= min(values) and max(values) <= figure.high else " (outside)"
        span = f"{figure.low:g}" if figure.low == figure.high else f"{figure.low:g} to {figure.high:g}"
        lines.append(f"| {figure.words} | {span} | {told}{missed} |")
    return "\n".join(lines)


def scan() -> None:
    """Other constants: neck stiffness, rest slack and packing force around those chosen."""
    chosen = stack.NOMINAL_SLACK, stack.UNFILLED_SLACK
    for neck in (2.0, 4.0, 8.0, 20.0):
        for slack in (chosen, (0.05, 0.35), (0.10, 0.35)):
            for tau in (0.3, 1.0, SNUG, TIGHT):
                stack.NOMINAL_SLACK, stack.UNFILLED_SLACK = slack
                print(f"\nneck {neck:g}, slack {slack[0]:g} N + {slack[1]:g} (N - d), tau {tau:g}\n")
                print(table(snug(Law(neck=neck), tau)))
    stack.NOMINAL_SLACK, stack.UNFILLED_SLACK = chosen


def main() -> None:
    """Print the table, or many."""
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("--scan", action="store_true", help="try other constants")
    if parser.parse_args().scan:
        scan()
    else:
        print(table(snug()))


if __name__ == "__main__":
    main()
