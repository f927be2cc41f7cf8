"""Numbers that steer the choice of rows: how the outline is cut up, what is charged, how far is looked.

Scores and costs are shares of the outline's area. Values without another source were set by trial on the outlines of
`docs/accuracy.md` and are assumptions for others.
"""

from __future__ import annotations

from dataclasses import dataclass


@dataclass(frozen=True, slots=True)
class RowProgrammeSettings:
    """The row dynamic programme (`shape.row_programme`) and its penalties per change of row."""

    # mm. Heights of knots are told apart that finely: finer bins cost time.
    bin_mm: float = 10.0
    # mm. The outline is tabulated that finely: the precision a hand has.
    table_mm: float = 1.0
    # Ways kept per bin of height; a narrower beam cost match and brought no time.
    beam: int = 16
    # Shares of the outline's width between which a row may lie: others never pay in a neighbour.
    near_width: tuple[float, ...] = (0.80, 1.22)
    # A row reaches that many half-widths up: longer bands need not be looked up.
    rise_per_half_width: float = 1.3
    # Kinds up to which nothing is left out beforehand: so few cost no time.
    few_kinds: int = 8
    # How much further from the outline's width rows may lie when their number is fixed.
    fixed_rows_spread: float = 1.8
    # Neighbouring diameters beyond which the next-but-one rows touch (FIELD: about 1.6 : 1).
    ratio_limit: float = 1.6
    # Per change of size: one more sizer setting must bring a thousandth of the area.
    change_penalty: float = 0.0010
    # Times (ratio - 1)²: even steps win where they cost no match.
    step_penalty: float = 0.0030
    # Times the ratio beyond the usual limit: soft, since waists and spacers go there on purpose.
    ratio_penalty: float = 0.02
    # The same for a limit that was asked for: kept wherever any stack can keep it.
    asked_ratio_penalty: float = 0.4
    # Times (ratio - 1)² at full wish for even steps: as much as a row's worth of match.
    even_steps_penalty: float = 0.15
    # Share of a pinned row's own rise that no other knot may enter.
    pin_zone: float = 0.9
    # Times 1 - fill: of two balloons of one diameter the fuller looks rounder.
    soft_fill_penalty: float = 0.0010
    # Nominal sizes kept for one diameter: the fullest and, for stock, one more.
    nominals_per_diameter: int = 2
    # mm. A stack may end that much too tall before its last row is nudged down.
    overshoot_mm: float = 60.0
    # Of the upper diameter: a smaller rise means that the row is swallowed.
    shallow: float = 0.3
    # mm. Heights so near count as reached: less than the rises are known to.
    height_dead_band_mm: float = 5.0
    # Per mm beyond that: 25 mm too short cost as much as a hundredth of the area.
    height_penalty_per_mm: float = 0.0004


ROW_PROGRAMME = RowProgrammeSettings()


@dataclass(frozen=True, slots=True)
class ScoreSettings:
    """How a settled stack is judged (`shape.judge`)."""

    # mm. Off by less, a height is as wished: a hand sizes no better.
    free_height_mm: float = 8.0
    # Per mm beyond that: 10 mm cost a hundredth of match.
    per_mm: float = 0.001
    # Per mm within it, so that of equal matches the nearer height wins.
    per_small_mm: float = 0.0001
    # Of the smaller neighbour: a smaller rise means that a row was swallowed.
    shallow_rise: float = 0.3
    # More than any match can make up for: it cannot be built.
    swallowed_penalty: float = 0.5
    # A row that wants to dome can be held, but should be worth five hundredths of match.
    domed_penalty: float = 0.05
    # Of the packing force: a stack is tried packed that much looser before it is trusted.
    looser: float = 0.9
    # mm. And with every balloon that much smaller: usual careless sizing.
    sized_off_mm: float = 2.0
    # Share of the height by which it may then differ from what the change of size explains.
    robust_share: float = 0.04


SCORE = ScoreSettings()


@dataclass(frozen=True, slots=True)
class FitSearchSettings:
    """How far the fit looks around its first choice (`shape.fit`)."""

    # Shares by which all rises are shifted to begin from other stacks of nearly the height.
    rise_sweep: tuple[float, ...] = (-0.006, 0.006)
    # Times that the programme begins from disturbed rises, and standard deviation of that: it ends in other stacks.
    disturbed: int = 3
    disturbed_by: float = 0.012
    # Best distinct stacks that are tuned.
    tuned: int = 3
    # Of score: stacks so much behind the best are not.
    worth_tuning: float = 0.02
    # Sound stacks after which correcting rises has shown all it can.
    corrections: int = 5
    # Stacks settled for that at most, since each takes time.
    max_corrections: int = 9
    # Of score: counts so much behind the best are not refined.
    worth_refining: float = 0.006
    # Best stacks asked whether they are robust: the answer takes two settlings each.
    robust_tries: int = 4
    # Of score: a robust stack so little behind the best is taken.
    robust_costs: float = 0.015
    # Of the penalties per change: tuning may add sizes the programme found too dear.
    tuning_penalty: float = 0.5
    # Cheapest sets of sizes that are settled under a cap: the programme orders them by costs that settling corrects.
    sets_settled: int = 6
    # Rounds of moving whole sizes after that, since each settles several stacks.
    set_rounds: int = 2
    # Rounds of raising the price of a size of which there are too few.
    stock_rounds: int = 8
    # Price of a row of such a size in the first round; it doubles.
    stock_penalty: float = 0.004
    # Shares of the height at both ends that say nothing of an outline's width.
    ends: float = 0.06
    # An outline that much beyond the widest or thinnest cluster is told about.
    too_thin: float = 1.15


FIT_SEARCH = FitSearchSettings()


@dataclass(frozen=True, slots=True)
class SetSearchSettings:
    """The search for few sizes (`shape.sizes`)."""

    # Rounds of exchanging single sizes of a set at most; it stops where none betters it.
    exchange_rounds: int = 4
    # Sizes tried in place of one, spread over those that are near.
    exchanged: int = 7
    # Log-ratios within which sizes are tried: wide first, then near.
    reaches: tuple[float, ...] = (0.12, 0.04)


SET_SEARCH = SetSearchSettings()


@dataclass(frozen=True, slots=True)
class TuningSettings:
    """Changes of single rows after settling (`shape.tuning`)."""

    # Rounds in which several changes are settled.
    rounds: int = 2
    # Further rounds while each still betters the score.
    more_rounds: int = 4
    # Promising stacks settled a round.
    tries: int = 3
    # Of score: so much less than nothing may be promised by changes that are settled all the same.
    unsure: float = 0.004
    # Share of its diameter by which a row may change: larger jumps are no longer first order.
    reach: float = 0.16
    # Next sizes looked at, smaller and larger.
    sizes_each_way: int = 1
    # Rows changed together: what they do is reckoned one by one and added up.
    max_changed: int = 4
    # Sides that rank changes; the judge looks from all.
    few_sides: int = 5
    # mm. Ways that reach heights so near count as one.
    alike_mm: float = 3.0
    # Ways kept a row while they are combined.
    ranked: int = 40
    # Rows up to which a stack is searched through around the best.
    small_rows: int = 7
    # Rounds of that.
    small_rounds: int = 2
    # Stacks settled a round.
    small_tries: int = 40
    # Share of the height within which a stack's predicted span must lie.
    small_span: float = 0.15
    # Stacks up to which all are looked at.
    small_all: int = 2500


TUNING = TuningSettings()


@dataclass(frozen=True, slots=True)
class RiseCorrectionSettings:
    """What settled stacks teach about rises (`shape.rises`)."""

    # Log-ratio of neighbours from which a change is steep and teaches only about its like.
    steep: float = 0.2
    # Log-ratio over which steep changes are alike.
    kernel: float = 0.12
    # Weight of the usual factor beside what was seen.
    prior_weight: float = 0.15
    # Log-ratio around a swallowed pair within which pairs are refused.
    refused_within: float = 0.05


RISE_CORRECTION = RiseCorrectionSettings()


@dataclass(frozen=True, slots=True)
class StraightSettings:
    """Rows of one size for straight outlines (`shape.straight`)."""

    # Of the mean width: more than that is a taper somebody drew.
    within: float = 0.02
    # Shares of the height at both ends that say nothing of an outline's width.
    ends: float = 0.03
    # Heights at which the width is looked at.
    samples: int = 60
    # Of the outline's width: kinds of row off by more are not tried.
    near_width: float = 0.15
    # Of the height: ends off by more are not tried.
    near_height: float = 0.15
    # Stacks settled a count.
    settled: int = 14
    # Of match per mm: of sizes about as wide the one whose rows end nearest the height is taken.
    per_mm: float = 0.004


STRAIGHT = StraightSettings()
