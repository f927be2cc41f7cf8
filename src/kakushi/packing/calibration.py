"""How *you* pack: packing force and neck slack fitted to measured test stacks.

The two are strongly tied to each other (a wider ring sits lower, so does a tighter one), and a
diameter wrong by 2 mm biases both: judge a calibration by the height it predicts for a long column.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from kakushi.model.arrays import Floats
from kakushi.model.errors import BadInput, Length
from kakushi.model.joints import JointKind
from kakushi.packing.settle import settle
from kakushi.packing.stack import SNUG, TIGHT, Packing, equal_row

# mm. Standard deviations of a tape against a stack: height, width, and each balloon's diameter.
HEIGHT_SD, WIDTH_SD, DIAMETER_SD = 4.0, 5.0, 1.0
# Log of tau over snug packing at the stack's kind of joint: it only settles what the stacks leave open.
PRIOR_TAU_SD = 0.7
# Log of the neck slack over the usual one. Assumed: necks differ by about a third between makes.
PRIOR_SLACK_SD = 0.35
# tau and slack beyond which nobody packs; the solver is trusted between them.
LOW, HIGH = (0.002, 0.03), (2 * TIGHT, 3.0)
# Rows of the column whose height tells how good a calibration is.
LONG_ROWS = 20
# Rows of a test stack: one has no rise, more than sixty nobody stacks.
MIN_ROWS, MAX_ROWS = 2, 60


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

    Least squares on heights and widths over their measuring errors, with weak priors (ln tau and ln slack about
    snug packing at that kind of joint) that settle what the stacks leave open; standard
    deviations from the normal matrix at the optimum. A diameter's error enters as DIAMETER_SD.
    Raises BadInput for stacks that cannot have been measured, or not together.
    """
    from scipy.optimize import least_squares  # noqa: PLC0415 - large, and only needed here

    if not stacks:
        raise BadInput("Measure at least one test stack.", "stack")
    for stack in stacks:
        _check(stack)
    joint = stacks[0].joint
    if any(stack.joint is not joint for stack in stacks):
        raise BadInput("Stacks of one packing are held by one kind of joint; keep others under a name of their own.")
    usual = Packing(SNUG).for_joint(joint)
    prior = np.log([usual.tau, usual.slack])
    height_sds = [np.hypot(HEIGHT_SD, DIAMETER_SD * stack.rows * 0.8) for stack in stacks]

    def residuals(logs: Floats) -> Floats:
        tau, slack = np.exp(logs)
        terms = [(logs[0] - prior[0]) / PRIOR_TAU_SD, (logs[1] - prior[1]) / PRIOR_SLACK_SD]
        for stack, sd in zip(stacks, height_sds, strict=True):
            height, width = stack_size(stack, tau, slack)
            terms.append((height - stack.height) / sd)
            if stack.width is not None:
                terms.append((width - stack.width) / WIDTH_SD)
        return np.array(terms)

    best = least_squares(residuals, prior, bounds=(np.log(LOW), np.log(HIGH)), diff_step=1e-3, xtol=1e-6)
    covariance = np.linalg.inv(best.jac.T @ best.jac)
    tau, slack = np.exp(best.x)
    sds = np.sqrt(np.diag(covariance)) * [tau, slack]
    misses = tuple(stack.height - stack_size(stack, tau, slack)[0] for stack in stacks)
    return PackingCalibration(
        joint=joint,
        tau=float(tau),
        slack=float(slack),
        tau_sd=float(sds[0]),
        slack_sd=float(sds[1]),
        height_percent=_height_percent(stacks[0], best.x, covariance),
        misses=misses,
    )


def _height_percent(stack: TestStack, logs: Floats, covariance: Floats) -> float:
    """Uncertainty of a long column's height from that of the two parameters, percent."""
    long = TestStack(
        rows=LONG_ROWS,
        count=stack.count,
        nominal_in=stack.nominal_in,
        diameter=stack.diameter,
        height=1.0,
        width=None,
        pole_radius=stack.pole_radius,
        joint=stack.joint,
    )
    step = 0.02
    heights = [
        stack_size(long, *np.exp(logs + step_of))[0] for step_of in ([step, 0], [-step, 0], [0, step], [0, -step])
    ]
    slope = np.array([heights[0] - heights[1], heights[2] - heights[3]]) / (2 * step)
    return float(100 * np.sqrt(slope @ covariance @ slope) / np.mean(heights))


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
