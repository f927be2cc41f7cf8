"""Lengths as people type and read them."""

from __future__ import annotations

import datetime as dt
from contextlib import suppress

import pytest
from hypothesis import given
from hypothesis import strategies as st

from kakushi.model.errors import BadInput
from kakushi.model.job import Job
from kakushi.model.quantities import (
    ANGLE,
    COUNT,
    DATE,
    HOUR_OF_DAY,
    HOURS,
    LENGTH,
    MASS,
    MINUTES,
    SHARE,
    SPEED,
    TIME_OF_DAY,
    Quantity,
)
from kakushi.model.units import (
    UnitSystem,
    format_height,
    format_inches,
    format_length,
    inches,
)
from kakushi.words.wording import Wording, mass_words

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


@pytest.mark.parametrize(("text", "mm"), [("1,234", None), ("12,345 mm", None), ("0,125 m", 125), ("1,2345 m", 1234.5)])
def test_thousands_that_may_be_thousandths_are_refused(text: str, mm: float | None) -> None:
    if mm is not None:
        assert LENGTH.read(text, METRIC, "height") == pytest.approx(mm)
        return
    with pytest.raises(BadInput, match="two ways"):
        LENGTH.read(text, METRIC, "height")


@pytest.mark.parametrize("text", ["", "tall", "2.1 parsecs", "1/0", "--3", "3'4'5", "1e3", "nan", "inf", "9" * 400])
def test_refuses_what_is_no_length(text: str) -> None:
    with pytest.raises(BadInput) as caught:
        LENGTH.read(text, METRIC, "height")
    assert str(caught.value).startswith("Height: “")
    assert len(str(caught.value)) < 200


@pytest.mark.parametrize("text", ["0", "-2 m", "1 km", "1000 m"])
def test_a_height_out_of_reach_names_the_limits(text: str) -> None:
    with pytest.raises(BadInput, match="between 20 cm and 2000 cm"):
        LENGTH.read_between(text, 200, 20_000, METRIC, "height")


@given(st.floats(0, 6000), st.sampled_from(list(UnitSystem)))
def test_a_height_is_told_as_a_tape_reads_it(mm: float, system: UnitSystem) -> None:
    told = LENGTH.read(format_height(mm, system), system, "height")
    step = inches(0.5) if system is INCHES else 10.0 if mm >= 1000 else 5.0
    assert told == pytest.approx(mm, abs=step / 2 + 1e-6)
    assert told / step == pytest.approx(round(told / step), abs=1e-6)


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


@pytest.mark.parametrize(
    ("grams", "system", "words"),
    [(850, METRIC, "850 g"), (1750, METRIC, "1.8 kg"), (100, INCHES, "4 oz"), (1500, INCHES, "3 lb 5 oz"),
     (453.59237, INCHES, "1 lb"), (18_000, INCHES, "40 lb")],
)  # fmt: skip
def test_a_mass_is_said_in_the_units_shown_and_rounded_up(grams: float, system: UnitSystem, words: str) -> None:
    assert mass_words(grams, system).replace("\N{NO-BREAK SPACE}", " ") == words


@pytest.mark.parametrize(
    ("kind", "text", "system", "value"),
    [
        (LENGTH, "2m10", METRIC, 2100), (MASS, "1,5 kg", METRIC, 1500), (MASS, "4,5", METRIC, 4500),
        (MASS, "3 lb 5 oz", METRIC, 53 * 28.349523125), (MASS, "2", INCHES, 907.18474),
        (MINUTES, "1 h 30", METRIC, 90),
        (MINUTES, "45", METRIC, 45), (HOURS, "36", METRIC, 36), (SHARE, "80 %", METRIC, 0.8),
        (SHARE, "80", METRIC, 0.8),
        (ANGLE, "−30°", METRIC, -30), (COUNT, "12", METRIC, 12), (SPEED, "36 km/h", METRIC, 10),
        (HOUR_OF_DAY, "8", METRIC, 8), (HOUR_OF_DAY, "8.30", METRIC, 8.5), (HOUR_OF_DAY, "8:30 pm", METRIC, 20.5),
        (HOUR_OF_DAY, "24:00", METRIC, 24), (TIME_OF_DAY, "9h05", METRIC, dt.time(9, 5)),
        (DATE, "5 Jun 2027", METRIC, dt.date(2027, 6, 5)), (DATE, "June 5, 2027", METRIC, dt.date(2027, 6, 5)),
        (DATE, "2027-06-05", METRIC, dt.date(2027, 6, 5)), (DATE, "5.6.2027", METRIC, dt.date(2027, 6, 5)),
    ],
)  # fmt: skip
def test_every_kind_of_quantity_is_read(kind: Quantity, text: str, system: UnitSystem, value: object) -> None:
    read = kind.read(text, system, "quantity")
    assert read == (pytest.approx(value) if isinstance(value, float) else value)
    assert kind.read(kind.show(read, system), system, "quantity") == (
        pytest.approx(read, rel=0.01) if isinstance(read, float | int) else read
    )


@pytest.mark.parametrize(
    ("kind", "text"),
    [
        (LENGTH, "2m1"), (LENGTH, "2m150"), (LENGTH, "5'14\""), (LENGTH, "1.000,5"), (LENGTH, "²"), (MASS, "4 lb 3 kg"),
        (COUNT, "4,5"), (COUNT, "1,000"), (COUNT, "1.0"), (MINUTES, "1:75"), (SHARE, "8 kg"), (HOUR_OF_DAY, "25:00"),
        (HOUR_OF_DAY, "8:75"), (TIME_OF_DAY, "24:00"), (DATE, "5/6/2027"), (DATE, "31 Feb 2027"), (DATE, "1 Jun 99999"),
        (DATE, "² Jun 2027"),
    ],
)  # fmt: skip
def test_what_can_be_read_in_two_ways_is_refused(kind: Quantity, text: str) -> None:
    with pytest.raises(BadInput):
        kind.read(text, METRIC, "quantity")


@given(st.text(max_size=60))
def test_no_text_does_harm(text: str) -> None:
    for kind in (LENGTH, MASS, COUNT, MINUTES, HOUR_OF_DAY, TIME_OF_DAY, DATE, SHARE):
        with suppress(BadInput):
            kind.read(text, METRIC, "quantity")


@pytest.mark.parametrize(
    ("grams", "system", "words"),
    [(54.3, METRIC, "54 g"), (1250, METRIC, "1.25 kg"), (54.3, INCHES, "1.9 oz"), (1250, INCHES, "2 lb 12 oz")],
)
def test_a_known_mass_is_said_as_it_is(grams: float, system: UnitSystem, words: str) -> None:
    assert Wording(Job(), system).mass(grams) == words
