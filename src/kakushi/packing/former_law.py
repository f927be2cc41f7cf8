"""Packings measured while necks were strings: what they stood for, fitted again to the law of today.

The former law had necks twenty times as stiff as skins and longer slacks, so its packing forces mean nothing now. The
stacks that were measured do; where none was kept, the height that the former law gave a usual stack stands for one.
"""

from __future__ import annotations

import dataclasses
from collections.abc import Sequence

from kakushi.model.errors import BadInput
from kakushi.model.units import inches
from kakushi.packing.calibration import PackingCalibration, TestStack, calibrate_packing
from kakushi.packing.law import LAW
from kakushi.packing.settle import settle
from kakushi.packing.stack import Packing, equal_row

_FORMER_LAW = dataclasses.replace(LAW, neck=20.0)
"""The law of jobs saved by early versions: a neck five times as stiff."""
# Shares of nominal and of nominal less sized, and the most of sized, in the former neck slack.
_NOMINAL_SLACK, _UNFILLED_SLACK, _MAX_SLACK = 0.10, 0.35, 0.35
# Eleven-inch quads on a 25 mm pole.
_NOMINAL_IN, _DIAMETER_MM, _COUNT, _ROWS, _POLE_RADIUS_MM = 11.0, 230.0, 4, 10, 12.5


def fitted_again(tau: float, slack: float, stacks: Sequence[TestStack]) -> PackingCalibration:
    """A packing of the former law (its `tau` and `slack`) fitted to today's, by its `stacks` where they can be used."""
    if stacks:
        try:
            return calibrate_packing(stacks)
        except BadInput:
            # Stacks of several kinds, or none that can have been measured: its own height speaks for it.
            pass
    return calibrate_packing([_usual_stack(tau, slack)])


def _usual_stack(tau: float, slack: float) -> TestStack:
    """A stack as tall as the former law made it."""
    necks = _NOMINAL_SLACK * inches(_NOMINAL_IN) + _UNFILLED_SLACK * (inches(_NOMINAL_IN) - _DIAMETER_MM)
    row = equal_row(_COUNT, _DIAMETER_MM, min(slack * necks, _MAX_SLACK * _DIAMETER_MM))
    column = settle([row] * _ROWS, Packing(tau, _POLE_RADIUS_MM, law=_FORMER_LAW))
    # Before balloons were swollen, a height was that of the sized spheres.
    height = float((column.centres[:, 2] + column.radii).max() - (column.centres[:, 2] - column.radii).min())
    return TestStack(_ROWS, _COUNT, _NOMINAL_IN, _DIAMETER_MM, height, None, _POLE_RADIUS_MM)
