"""Quick answers agree with the planner, and become the piece they speak of."""

from __future__ import annotations

import pytest

from kakushi.model.catalogue import Studio
from kakushi.model.job import Job
from kakushi.model.units import UnitSystem
from kakushi.plan.pipeline import plan
from kakushi.words.quick_answers import quick_words
from kakushi.workshop.quick_answers import QuickQuestion, answers_to, quick_piece


@pytest.mark.parametrize(("count", "size", "tall"), [(4, 215.0, 2000.0), (5, 180.0, 1500.0), (3, 250.0, 900.0)])
def test_answers_are_those_of_the_planner(count, size, tall) -> None:
    asked = QuickQuestion(count=count, diameter_mm=size, height_mm=tall, have=28, columns=2)
    found = answers_to(asked, Studio())
    piece = quick_piece(1, asked, found, "rope")
    planned = plan(Job(pieces=(piece,)), Studio()).pieces[0]
    assert planned.assembly.top == pytest.approx(found.height_mm, abs=0.5)
    rise = found.more_mm - found.height_mm
    assert abs(found.height_mm - tall) <= rise / 2 + 1
    assert abs(found.last_height_mm - tall) <= abs(found.height_mm - tall)
    assert found.balloons == 2 * count * found.rows
    assert found.have_rows * count + found.have_left == 28
    assert list(found.cone) == sorted(found.cone, reverse=True)
    assert found.cone_mm == pytest.approx(tall, rel=0.08)
    assert found.water_g is None or found.water_g > 0
    told = list(quick_words(asked, found, UnitSystem.METRIC))
    assert len(told) == 6
    assert all(words.endswith(".") for _, words in told)
