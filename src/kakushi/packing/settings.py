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
class BalanceSearchSettings:
    """The search among several balances (`packing.search`)."""

    # Equal turns of all joints begun from, spread over a slot.
    shares: int = 24
    # Turns begun from that change sides from joint to joint.
    alternating: int = 4
    # Random turns begun from, and their mirror images.
    random: int = 4
    # Rounds of shaking and turning before the lowest is taken.
    rounds: int = 12
    # Shaken copies of the lowest a round.
    shakes: int = 8
    # Of a diameter (standard deviation): enough to leave a hollow, not to leave the row.
    shake: float = 0.12
    # Shares of a slot that one joint is turned to: hollows lie about a third apart.
    flips: tuple[float, ...] = (-0.35, 0.0, 0.35, 0.65, 1.0, 1.35)
    # Share of a slot: a turn so small would fall back.
    near_flip: float = 0.16
    # Turned copies a round; the joints take turns where there are more.
    max_flipped: int = 48
    # Of D: what is above a turned joint is lifted clear of it.
    lift: float = 0.1
    # Share by which an energy must be lower to count.
    lower_by: float = 1e-5
    # Residual force over p·D² while searching: enough to rank.
    tolerance: float = 1e-3
    # Newton steps while searching.
    max_iterations: int = 60
    # Seed of the random turns.
    seed: int = 20
    # Seed of the shakes.
    shake_seed: int = 4


BALANCE_SEARCH = BalanceSearchSettings()


@dataclass(frozen=True, slots=True)
class TurnsSettings:
    """Where settling begins (`packing.turns`)."""

    # Turns within a slot whose touching rise is looked at.
    tried: int = 24
    # Radians off a symmetric turn, so that no start is a saddle.
    off_symmetry: float = 0.01
    # Rows of a short stack that stands for a long one.
    sample_rows: int = 5
    # Best turns that are settled as such stacks.
    settled: int = 6
    # Rows beyond an open joint that it can move.
    rows_around: int = 3
    # Rows of so few slide over each other.
    few_balloons: int = 3
    # Ratio from which they do.
    unequal: float = 1.5
    # Residual force over p·D² at which short stacks are compared.
    ranking_tolerance: float = 1e-4
    # Newton steps for that.
    ranking_iterations: int = 90


TURNS = TurnsSettings()
