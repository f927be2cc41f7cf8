"""A simulated local forecast: the same date always has the same made-up weather. No network."""

from __future__ import annotations

import datetime as dt
import math
import random
from dataclasses import dataclass
from typing import Protocol


@dataclass(frozen=True, slots=True)
class Forecast:
    """Weather of one day: strongest gust (m/s), highest temperature (°C), share of sun (0 to 1), and who says so."""

    gust_mps: float
    temperature_c: float
    sun: float
    source: str


class ForecastService(Protocol):
    """Whatever can tell the weather of a day at the place of the event."""

    def forecast(self, day: dt.date) -> Forecast | None:
        """The forecast for a day; None where there is none. May raise ForecastFailed."""


class ForecastFailed(Exception):
    """The service did not answer sensibly; the message says why."""


class SimulatedForecast:
    """Made-up weather of a northern harbour, seeded by the date."""

    def __init__(self, seed: int = 1) -> None:
        self._seed = seed

    def forecast(self, day: dt.date) -> Forecast:
        """The made-up weather of a day."""
        chance = random.Random(f"{self._seed} {day.isoformat()}")
        # Warmest at the end of July.
        season = math.cos(2 * math.pi * (day.timetuple().tm_yday - 208) / 365.25)
        return Forecast(
            gust_mps=round(chance.weibullvariate(6.5, 2.2) + 1.0, 1),
            temperature_c=round(11 + 9 * season + chance.gauss(0, 3), 1),
            sun=round(min(max(chance.betavariate(1.6, 1.4), 0.0), 1.0), 2),
            source="simulated forecast, made up for practice",
        )


def forecast_for(service: ForecastService, day: dt.date | None) -> Forecast | None:
    """What a service says about a day, checked. Raises ForecastFailed for weather that cannot be."""
    forecast = service.forecast(day) if day is not None else None
    if forecast is None:
        return None
    sensible = 0 <= forecast.gust_mps <= 120 and -60 <= forecast.temperature_c <= 60 and 0 <= forecast.sun <= 1
    if not sensible:
        raise ForecastFailed("The forecast makes no sense and was not used.")
    return forecast
