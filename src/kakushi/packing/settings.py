"""Numbers that steer the solvers: they change how soon a balance is found, not which forces hold there."""

from __future__ import annotations

from dataclasses import dataclass


@dataclass(frozen=True, slots=True)
class NewtonSettings:
    """Newton's method (`packing.newton`). D is the mean diameter, stiffnesses are over p·D."""

    # Largest unbalanced force over p·D² at rest: far below what a hand can do.
    tolerance: float = 1e-9
    # Steps before it is given up and told.
    max_iterations: int = 200
    # Of D: no balloon moves further against its knot in one step, or contacts are jumped over.
    step_cap: float = 0.2
    # Stiffness added where a matrix must only just be positive definite.
    slight: float = 1e-6
    # Stiffness that inverse iteration begins to shift by; as soft as the softest mode that matters.
    first_shift: float = 0.02
    # Factor of the next shift, where that one was not enough.
    shift_grows: float = 1.7
    # Factor of damping after a step that could not be solved.
    stiffer: float = 10.0
    # Times that it is raised before there is no step.
    max_stiffened: int = 14
    # Soft modes looked for at once; what is left shows after the next descent.
    modes: int = 4
    # Inverse iterations for them.
    mode_iterations: int = 8
    # Seed of the vectors they begin from.
    modes_seed: int = 5
    # Factor by which damping falls after a good step.
    faster: float = 20.0
    # And after one that followed a failed step: the next would fail as well if it fell fast.
    slower: float = 4.0


NEWTON = NewtonSettings()


@dataclass(frozen=True, slots=True)
class PlacingSettings:
    """Rows placed one by one (`packing.placing`)."""

    # Turns begun from each way, spread over a slot.
    shares: int = 8
    # Radians: turns of rows below that count as the same.
    alike_turn: float = 0.02
    # Residual force over p·D² while balances are compared: enough to tell one from another.
    tolerance: float = 1e-5
    # Newton steps for that.
    max_iterations: int = 60
    # Share by which an energy must be lower to count.
    lower_by: float = 2e-3
    # Of half a slot, off half a slot: a turn within it follows the twist.
    follows: float = 1.2


PLACING = PlacingSettings()


@dataclass(frozen=True, slots=True)
class TurnsSettings:
    """Where settling begins (`packing.turns`)."""

    # Turns within a slot whose touching rise is looked at.
    tried: int = 24
    # Radians off a symmetric turn, so that no start is a saddle.
    off_symmetry: float = 0.01
    # Rows of so few slide over each other.
    few_balloons: int = 3
    # Ratio from which they do.
    unequal: float = 1.5


TURNS = TurnsSettings()
