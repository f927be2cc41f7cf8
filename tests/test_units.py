"""Lengths as people type and read them."""

from __future__ import annotations

import pytest
from hypothesis import given
from hypothesis import strategies as st

from kakushi.model.errors import BadInput
from kakushi.model.quantities import LENGTH
from kakushi.model.units import (
    UnitSystem,
    format_inches,
    format_length,
    inches,
)

METRIC, INCHES = UnitSystem.METRIC, UnitSystem.INCHES


@pytest.mark.parametrize(
    ("text", "bare", "mm"),
    [
        ("210", METRIC, 2100),
        ("210", INCHES, inches(210)),
        ("2.1 m", INCHES, 2100),
        ("2,1m", METRIC, 2100),
        ("1.68 m", METRIC, 1680),
        ("2100mm", METRIC, 2100),
        ("6'10\"", METRIC, inches(82)),
        ("6′ 10½″", METRIC, inches(82.5)),
        ("5 ft 6 in", METRIC, inches(66)),
        ("66 in", METRIC, inches(66)),
        ("8 1/2", INCHES, inches(8.5)),
        ("8½″", METRIC, inches(8.5)),
        ("21 cm", INCHES, 210),
        ("-3 cm", METRIC, -30),
        ("−⅛″", METRIC, inches(-0.125)),
        ("6'", METRIC, inches(72)),
    ],
)
def test_reads_what_people_type(text: str, bare: UnitSystem, mm: float) -> None:
    assert LENGTH.read(text, bare, "height") == pytest.approx(mm)


@pytest.mark.parametrize("text", ["", "tall", "2.1 parsecs", "1/0", "--3", "3'4'5", "1e3", "nan", "inf", "9" * 400])
def test_refuses_what_is_no_length(text: str) -> None:
    with pytest.raises(BadInput) as caught:
        LENGTH.read(text, METRIC, "height")
    assert "height" in str(caught.value)
    assert len(str(caught.value)) < 200


@pytest.mark.parametrize("text", ["0", "-2 m", "1 km", "1000 m"])
def test_a_height_out_of_reach_names_the_limits(text: str) -> None:
    with pytest.raises(BadInput, match="between 20 cm and 2000 cm"):
        LENGTH.read_between(text, 200, 20_000, METRIC, "height")


@given(st.integers(-800, 8000), st.sampled_from(list(UnitSystem)))
def test_what_is_shown_reads_back(eighths: int, system: UnitSystem) -> None:
    mm = inches(eighths / 8)
    step = 0.05 * 10 if system is METRIC else 1e-6
    assert LENGTH.read(format_length(mm, system), system, "height") == pytest.approx(mm, abs=step + 1e-9)


def test_sizes_are_said_as_on_a_sizer() -> None:
    assert format_inches(inches(8.5)) == "8½″"
    assert format_inches(inches(0.25)) == "¼″"
    assert format_inches(inches(5)) == "5″"
    assert format_length(inches(122.5), INCHES) == "10′2½″"
