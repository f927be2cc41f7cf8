"""How full a balloon may be: the catalogue's range, less what heat and sun will add."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal, NamedTuple

from kakushi.model.catalogue import NominalSize
from kakushi.model.job import Brief
from kakushi.sim.forecast import Forecast

ROOM_C = 20.0
"""Temperature of the room where balloons are sized, °C."""
SUN_WARMS_K = 8.0
"""Degrees by which sun warms the gas in a light balloon. Assumed; low winds, midsummer."""
SUN_WARMS_DARK_K = 18.0
"""The same in a dark balloon."""
STIFF = 0.97
"""Fill ratio from which a balloon feels stiff and is fragile; up to 0.95 is everyday practice indoors."""
SUNNY = 0.4
"""Share of sunshine in a forecast from which balloons count as standing in the sun."""
_HAIR = 1e-6
"""Tolerance of a fill ratio against a limit: rounding only."""


@dataclass(frozen=True, slots=True)
class Climate:
    """Where a balloon will stand: air temperature (°C) and whether in the sun."""

    temperature_c: float = ROOM_C
    sunny: bool = False


USUAL = Climate()


def growth(climate: Climate, dark: bool) -> float:
    """Factor by which a balloon sized indoors (20 °C) grows in diameter: (T/T₀)^(1/3), gas law at equal pressure.

    In the sun the air inside is taken 8 K warmer than outside, 18 K in dark colours.
    """
    warmer = (SUN_WARMS_DARK_K if dark else SUN_WARMS_K) if climate.sunny else 0.0
    kelvin = climate.temperature_c + warmer + 273.15
    return float((kelvin / (ROOM_C + 273.15)) ** (1 / 3))


def largest_fill(size: NominalSize, climate: Climate, dark: bool) -> float:
    """Highest advised fill ratio when sized indoors, so that it stays within its range where it stands."""
    return size.fill_high / max(growth(climate, dark), 1.0)


class FillAdvice(NamedTuple):
    """Advice on the fill of a balloon: may pop, too full for the weather, pear-shaped or stiff.

    `limit`: the fill ratio that it passes.
    """

    what: Literal["pops", "too full", "pear", "stiff"]
    limit: float
    climate: Climate


def fill_advice(fill: float, size: NominalSize, climate: Climate, dark: bool) -> FillAdvice | None:
    """Advice on a fill ratio; None where there is nothing to say."""
    most = largest_fill(size, climate, dark)
    if fill > size.fill_high + _HAIR:
        return FillAdvice("pops", size.fill_high, climate)
    if fill > most + _HAIR:
        return FillAdvice("too full", most, climate)
    if fill < size.fill_low - _HAIR:
        return FillAdvice("pear", size.fill_low, climate)
    return FillAdvice("stiff", STIFF, climate) if fill >= STIFF - _HAIR else None


def climate_of(brief: Brief, forecast: Forecast | None) -> Climate:
    """Heat and sun the balloons will stand in; a usual room indoors or without a forecast."""
    if brief.place == "indoors" or forecast is None:
        return USUAL
    return Climate(forecast.temperature_c, forecast.sun >= SUNNY)
