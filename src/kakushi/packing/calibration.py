"""How *you* pack: packing force and neck slack fitted to measured test stacks.

The two are strongly tied to each other (a wider ring sits lower, so does a tighter one), and a
diameter wrong by 2 mm biases both: judge a calibration by the height it predicts for a long column.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from kakushi.model.arrays import Floats
from kakushi.model.errors import BadInput, Length
from kakushi.model.joints import JointKind
from kakushi.model.units import inches
from kakushi.packing.settle import settle
from kakushi.packing.stack import LOOSE, TIGHT, Packing, equal_row
from kakushi.packing.uniform import uniform_stacks

HEIGHT_SD, WIDTH_SD, DIAMETER_SD = 3.5, 4.5, 0.9
"""Standard deviations, mm, of a tape against a stack: height, width, and the diameter that all its balloons share."""
PRIOR_TAU = math.sqrt(LOOSE * TIGHT)
"""τ expected before a stack is measured: half-way, in its log, between loose and tight."""
PRIOR_TAU_SD = math.log(TIGHT / LOOSE) / 2
"""Log of τ: loose and tight are one standard deviation away, so that stacks decide and not what is usual."""
PRIOR_SLACK_SD = 0.3
"""Log of the neck slack over the usual one. Assumed: necks differ by about a third between makes."""
_TAUS = (0.01, 0.03, 0.09, 0.25, 0.55, 0.9, 1.2, 1.5, 1.8, 2.2, 2.8)
"""τ, at a wrapped joint, at which stacks are settled: from laid on to harder than anybody presses, closer where height
follows it."""
_SLACKS = (0.5, 0.85, 1.35, 2.2)
"""Factors on the neck slack at which stacks are settled: three standard deviations of the prior either way."""
_FINE = 81
"""Points each way, in the logs of τ and slack, at which what is settled is interpolated and weighed."""
_REPEAT = 0.003
"""Share of its height by which one column of the same hands differs from the next. Assumed: a row pressed a little
harder or less in three, on twenty rows."""
LONG_ROWS = 20
_LONG_NOMINAL_IN, _LONG_FILLS = 11.0, (0.65, 0.75, 0.85)
"""Rows, nominal size (in) and fills of the columns whose height tells how good a calibration is."""
MIN_ROWS, MAX_ROWS = 2, 60
"""Rows of a test stack: one has no rise, more than sixty nobody stacks."""


@dataclass(frozen=True, slots=True)
class TestStack:
    """A measured stack of equal rows, lengths mm; no `width` when it was not measured; `joint`: how rows were held.

    `diameter` from a template held to the finished balloons, not the sizer's mark.
    """

    rows: int
    count: int
    nominal_in: float
    diameter: float
    height: float
    width: float | None = None
    pole_radius: float = 0.0
    joint: JointKind = JointKind.WRAPPED

    __test__ = False


@dataclass(frozen=True, slots=True)
class PackingCalibration:
    """Fitted packing force tau and slack over the default at a kind of joint, with standard deviations.

    `height_percent`: standard deviation of a long column's height, in percent, all in;
    `misses` height measured less height fitted per stack, mm.
    """

    joint: JointKind
    tau: float
    slack: float
    tau_sd: float
    slack_sd: float
    height_percent: float
    misses: tuple[float, ...]


def stack_size(stack: TestStack, tau: float, slack: float) -> tuple[float, float]:
    """Height and width, mm, that the model predicts for a test stack; tau and slack at its kind of joint."""
    packing = Packing(tau, stack.pole_radius, slack, joint=stack.joint)
    necks = packing.neck_slack(stack.nominal_in, stack.diameter, stack.count)
    geometry = settle([equal_row(stack.count, stack.diameter, necks, stack.joint)] * stack.rows, packing)
    out = geometry.local.out + geometry.shape_radii
    inner = (geometry.row_of > 0) & (geometry.row_of < stack.rows - 1) if stack.rows > 2 else np.ones_like(out, bool)
    return geometry.top - geometry.bottom, float(2 * out[inner].mean())


def calibrate_packing(stacks: Sequence[TestStack]) -> PackingCalibration:
    """Fit tau and slack to one or more stacks; all pool into one answer.

    Each stack is settled over a grid of tau and slack; what was measured weighs every point between (Bayes: normal
    errors of tape and diameter, weak normal priors on ln tau and ln slack at that kind of joint). Means and standard
    deviations are taken over that, so that they hold where height follows tau steeply or not at all. The tau that is
    told gives the stacks their expected height. Raises BadInput for stacks that cannot have been measured, or not
    together.
    """
    if not stacks:
        raise BadInput("Measure at least one test stack.", "stack")
    for stack in stacks:
        _check(stack)
    joint = stacks[0].joint
    if any(stack.joint is not joint for stack in stacks):
        raise BadInput("Stacks of one packing are held by one kind of joint; keep others under a name of their own.")
    grid = _Grid.at(joint)
    sizes = [grid.sizes(stack) for stack in stacks]
    weights = grid.weights(stacks, sizes)
    # Columns of other sizes follow tau and slack otherwise than the stacks do: the doubt of several is told.
    long = grid.long_columns(stacks[0].pole_radius)
    (_, tau_sd), (slack, slack_sd) = grid.means(weights)
    # The tau at which the stacks that were measured are as tall as they are expected to be.
    together = np.sum([height for height, _ in sizes], axis=0)
    tau = grid.tau_for(together, slack, float((weights * together).sum()))
    # About the heights that will be told, not about their means: the two differ where height falls suddenly.
    planned = grid.at_point(long, tau, slack)
    variances = (weights * (long / planned[:, None, None] - 1) ** 2).sum(axis=(1, 2))
    return PackingCalibration(
        joint=joint,
        tau=tau,
        slack=slack,
        tau_sd=tau_sd,
        slack_sd=slack_sd,
        height_percent=100 * math.sqrt(float(variances.max()) + _REPEAT**2),
        misses=tuple(stack.height - stack_size(stack, tau, slack)[0] for stack in stacks),
    )


@dataclass(frozen=True, slots=True, eq=False)
class _Grid:
    """Points (t, s) of ln tau and ln slack at a kind of joint, both rising; `coarse`: those at which is settled."""

    joint: JointKind
    coarse: tuple[Floats, Floats]
    fine: tuple[Floats, Floats]
    prior: Floats

    @classmethod
    def at(cls, joint: JointKind) -> _Grid:
        usual = Packing(1.0).for_joint(joint)
        coarse = np.log(np.array(_TAUS) * usual.tau), np.log(np.array(_SLACKS) * usual.slack)
        fine = np.linspace(coarse[0][0], coarse[0][-1], _FINE), np.linspace(coarse[1][0], coarse[1][-1], _FINE)
        off = (
            (fine[0] - math.log(PRIOR_TAU * usual.tau)) / PRIOR_TAU_SD,
            (fine[1] - math.log(usual.slack)) / PRIOR_SLACK_SD,
        )
        return cls(joint, coarse, fine, -0.5 * (off[0][:, None] ** 2 + off[1][None, :] ** 2))

    def sizes(self, stack: TestStack) -> Floats:
        """Height and width of a stack at every fine point, (2, t, s) mm."""
        settled = np.array([[stack_size(stack, *np.exp([t, s])) for s in self.coarse[1]] for t in self.coarse[0]])
        return self._between(settled)

    def long_columns(self, pole_radius: float) -> Floats:
        """Heights of long columns of eleven-inch quads, by how full they are, at every fine point, (f, t, s) mm."""
        diameters = np.array(_LONG_FILLS) * inches(_LONG_NOMINAL_IN)
        necks = np.array([
            [Packing(1.0, pole_radius, math.exp(s), joint=self.joint).neck_slack(_LONG_NOMINAL_IN, float(d), 4)
             for d in diameters]
            for s in self.coarse[1]
        ])  # fmt: skip
        each, shape = np.tile(diameters, len(necks)), (len(necks), len(diameters))
        rises = [
            uniform_stacks(4, each, necks.ravel(), Packing(math.exp(t), pole_radius, joint=self.joint)).rise
            for t in self.coarse[0]
        ]
        heights = np.array([rise.reshape(shape) * (LONG_ROWS - 1) + diameters for rise in rises])
        return self._between(heights)

    def _between(self, settled: Floats) -> Floats:
        """Values at the coarse points, (T, S, q), at the fine ones, (q, t, s)."""
        from scipy.interpolate import PchipInterpolator  # noqa: PLC0415 - only needed here

        # Along both ways in turn, without overshooting where it suddenly falls.
        along = PchipInterpolator(self.coarse[0], settled)(self.fine[0])
        return np.moveaxis(PchipInterpolator(self.coarse[1], along, axis=1)(self.fine[1]), 2, 0)

    def weights(self, stacks: Sequence[TestStack], sizes: Sequence[Floats]) -> Floats:
        """How likely every fine point is by stacks and their `sizes`, (t, s), together 1."""
        told = self.prior.copy()
        for stack, (height, width) in zip(stacks, sizes, strict=True):
            # A diameter that is off makes a stack taller and wider alike.
            taller, wider = height / stack.diameter * DIAMETER_SD, width / stack.diameter * DIAMETER_SD
            off = stack.height - height
            if stack.width is None:
                told -= 0.5 * off**2 / (HEIGHT_SD**2 + taller**2) + 0.5 * np.log(HEIGHT_SD**2 + taller**2)
                continue
            across = stack.width - width
            hh, ww, hw = HEIGHT_SD**2 + taller**2, WIDTH_SD**2 + wider**2, taller * wider
            det = hh * ww - hw**2
            told -= 0.5 * (ww * off**2 - 2 * hw * off * across + hh * across**2) / det + 0.5 * np.log(det)
        likely = np.exp(told - told.max())
        return np.asarray(likely / likely.sum())

    def means(self, weights: Floats) -> tuple[tuple[float, float], tuple[float, float]]:
        """Mean and standard deviation of tau, then of slack; means of their logs."""
        found = []
        for axis, logs in enumerate(self.fine):
            share = weights.sum(axis=1 - axis)
            mean = float((share * logs).sum())
            sd = math.sqrt(float((share * (logs - mean) ** 2).sum()))
            found.append((math.exp(mean), math.exp(mean) * sd))
        return found[0], found[1]

    def at_point(self, heights: Floats, tau: float, slack: float) -> Floats:
        """Heights (f, t, s) of columns at a tau and slack, (f,) mm."""
        row = int(np.argmin(np.abs(self.fine[0] - math.log(tau))))
        return np.asarray(heights[:, row, int(np.argmin(np.abs(self.fine[1] - math.log(slack))))])

    def tau_for(self, heights: Floats, slack: float, wanted: float) -> float:
        """The tau at which a column of those `heights` (t, s) is as tall as `wanted`, mm, at a factor on the slack."""
        at = int(np.argmin(np.abs(self.fine[1] - math.log(slack))))
        # Heights fall as tau rises.
        return float(np.exp(np.interp(-wanted, -heights[:, at], self.fine[0])))


def _check(stack: TestStack) -> None:
    if not MIN_ROWS <= stack.rows <= MAX_ROWS:
        raise BadInput(f"A test stack has {MIN_ROWS} to {MAX_ROWS} rows.", "rows")
    if not 2 <= stack.count <= 8:
        raise BadInput("A row of a test stack has 2 to 8 balloons.", "count")
    low, high = stack.diameter * (1 + 0.25 * (stack.rows - 1)), stack.diameter * stack.rows * 1.1
    if not low <= stack.height <= high:
        raise BadInput(
            "{rows} rows of {size} balloons stand between {low} and {high} tall; {got} cannot be right.",
            "height",
            rows=stack.rows,
            size=Length(stack.diameter),
            low=Length(low),
            high=Length(high),
            got=Length(stack.height),
        )
    if stack.width is not None and not stack.diameter <= stack.width <= 4 * stack.diameter:
        raise BadInput("A width of {width} cannot be right for these balloons.", "width", width=Length(stack.width))
