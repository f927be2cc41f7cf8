"""Quick answers in sentences."""

from __future__ import annotations

from collections.abc import Iterator
from itertools import groupby

from kakushi.model.units import UnitSystem, format_diameter, format_height, format_length, format_nominal
from kakushi.words.wording import counted, mass_words
from kakushi.workshop.quick_answers import QuickAnswers, QuickQuestion


def quick_words(
    asked: QuickQuestion, found: QuickAnswers, units: UnitSystem, unit: str = ""
) -> Iterator[tuple[str, str]]:
    """Questions with their answers. `unit`: of the inflator's setting."""
    tall, size = format_length(asked.height_mm, units), format_diameter(asked.diameter_mm, units)
    each = f"{asked.count} × {format_nominal(asked.nominal_in)} to {size}"
    told = f"{counted(found.rows, 'row')} of {each}: {format_height(found.height_mm, units)}."
    told += f" One more row ends at {format_height(found.more_mm, units)}."
    if found.last_mm is not None:
        last = format_diameter(found.last_mm, units)
        told += f" With a last row of {last} it ends at {format_height(found.last_height_mm, units)}."
    yield f"How many rows for {tall}?", told
    columns = "" if asked.columns == 1 else f" for {counted(asked.columns, 'column')}"
    yield f"How many duplets{columns}?", f"{counted(found.duplets, 'duplet')}: {counted(found.balloons, 'balloon')}."
    if asked.have:
        left = f", {counted(found.have_left, 'balloon')} left" if found.have_left else ""
        high = format_height(found.have_mm, units)
        yield f"I have {counted(asked.have, 'balloon')}: how tall?", f"{counted(found.have_rows, 'row')}, {high}{left}."
    spans = [(format_diameter(mm, units), len(list(run))) for mm, run in groupby(found.cone)]
    sizes = ", ".join(f"{many} × {said}" if many > 1 else said for said, many in spans)
    yield "Which sizes for a cone?", f"From the foot: {sizes}; {format_height(found.cone_mm, units)} tall."
    wide = format_length(2 * found.foot_mm, units)
    if found.water_g is None:
        water = f"No weight is enough on a foot {wide} across: take a wider one."
    else:
        water = f"On a foot {wide} across it must weigh {mass_words(found.water_g, units)}: as much water, or sand."
    yield "How heavy must the foot be?", water
    setting = found.setting.setting
    answer = f"{setting:g} {unit}." if setting is not None else "Make a few trials with your inflator in Prep first."
    yield f"What setting for {size}?", answer
