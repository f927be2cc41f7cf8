"""How full a balloon may be: the catalogue's range, less what heat and sun will add."""

from __future__ import annotations

from dataclasses import dataclass

from kakushi.model.catalogue import NominalSize

ROOM_C = 20.0
SUN_WARMS_K = 8.0
SUN_WARMS_DARK_K = 18.0
STIFF, LIMP = 0.88, 0.60


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


def climate_words(size: NominalSize, climate: Climate) -> str:
    """How full balloons of a nominal size may be sized indoors for that climate."""
    if climate == USUAL:
        return f"For a room of {ROOM_C:.0f} °C: at most {size.fill_high:.0%} of nominal."
    light, dark = largest_fill(size, climate, dark=False), largest_fill(size, climate, dark=True)
    where = f"{climate.temperature_c:.0f} °C{' in the sun' if climate.sunny else ' out of the sun'}"
    if f"{light:.0%}" == f"{dark:.0%}":
        return f"For {where}, sized indoors: at most {light:.0%} of nominal."
    return f"For {where}, sized indoors: light colours at most {light:.0%}, dark ones {dark:.0%} of nominal."


def fill_words(fill: float, size: NominalSize, climate: Climate, dark: bool) -> str:
    """Advice on a fill ratio, empty where there is nothing to say."""
    most = largest_fill(size, climate, dark)
    if fill > size.fill_high + 1e-6:
        return f"over {size.fill_high:.0%}: likely to pop"
    if fill > most + 1e-6:
        return f"too full for {climate.temperature_c:.0f} °C{' and sun' if climate.sunny else ''}: at most {most:.0%}"
    if fill < size.fill_low - 1e-6:
        return f"under {size.fill_low:.0%}: long neck, pear-shaped"
    if fill > STIFF:
        return "stiff"
    return "limp" if fill < LIMP else ""
