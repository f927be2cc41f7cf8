"""Inflators behind a small interface, and two simulated ones to practise and calibrate with.

A device answers to `set_setting`, `start` and `stop` and reports events when it is polled. Nothing it reports is
trusted: `run_once` bounds the wait and refuses what cannot be.
"""

from __future__ import annotations

import math
import random
from collections.abc import Callable
from dataclasses import dataclass
from enum import StrEnum
from typing import Protocol


class EventKind(StrEnum):
    """What a device can report."""

    STARTED = "started"
    FINISHED = "finished"
    STOPPED = "stopped"
    DROPPED = "connection lost"


@dataclass(frozen=True, slots=True)
class NozzleEvent:
    """An event at a nozzle, in seconds on the device's clock; a simulated device adds the diameter (mm)."""

    kind: EventKind
    nozzle: int
    at: float
    diameter_mm: float | None = None


class InflatorDevice(Protocol):
    """A pump or timed inflator."""

    @property
    def name(self) -> str:
        """What it is called."""

    @property
    def nozzles(self) -> int:
        """How many balloons it fills at once."""

    @property
    def step(self) -> float:
        """Finest setting: s, or strokes."""

    def set_setting(self, value: float) -> None:
        """Set the time (s) or strokes. Raises DeviceFailed."""

    def start(self) -> None:
        """Begin to fill. Raises DeviceFailed."""

    def stop(self) -> None:
        """Stop at once; never raises."""

    def poll(self) -> list[NozzleEvent]:
        """Events since the last poll. Raises DeviceFailed."""


class DeviceFailed(Exception):
    """A device did not do what it was asked; the message says what happened and what to do."""


@dataclass(frozen=True, slots=True)
class Character:
    """How a simulated device behaves.

    Dead time or volume (in settings), air per setting (mm³), scatter (mm), drift per fill (share), exponent of
    the skin, how often (share) it drops its connection.
    """

    offset: float
    flow: float
    scatter: float
    drift: float = 0.0
    exponent: float = 1 / 3
    drops: float = 0.0


class _Simulated:
    """What both simulated devices share; `clock` tells seconds, so that tests need not wait."""

    nozzles = 1
    step = 0.5
    name = "simulated"
    _seconds_per_setting = 1.0

    def __init__(self, character: Character, clock: Callable[[], float], seed: int = 1) -> None:
        self._character, self._clock = character, clock
        self._random = random.Random(seed)
        self._setting = 0.0
        self._fills = 0
        self._started: float | None = None
        self._told: list[NozzleEvent] = []

    def set_setting(self, value: float) -> None:
        """Set strokes or seconds, rounded to the device's step."""
        if not math.isfinite(value) or value <= 0:
            raise DeviceFailed("The setting has to be more than nothing.")
        self._setting = round(value / self.step) * self.step

    def start(self) -> None:
        """Begin to fill."""
        if self._started is not None:
            raise DeviceFailed("It is already running; stop it first.")
        if self._random.random() < self._character.drops:
            self._told.append(NozzleEvent(EventKind.DROPPED, 0, self._clock()))
            return
        self._started = self._clock()
        self._told += [NozzleEvent(EventKind.STARTED, n, self._started) for n in range(self.nozzles)]

    def stop(self) -> None:
        """Stop at once."""
        if self._started is not None:
            self._told += [NozzleEvent(EventKind.STOPPED, n, self._clock()) for n in range(self.nozzles)]
            self._started = None

    def poll(self) -> list[NozzleEvent]:
        """Events since the last poll."""
        if self._started is not None and self._clock() - self._started >= self._setting * self._seconds_per_setting:
            self._told += [
                NozzleEvent(EventKind.FINISHED, n, self._clock(), self.diameter(self._setting))
                for n in range(self.nozzles)
            ]
            self._started = None
            self._fills += 1
        told, self._told = self._told, []
        return told

    def diameter(self, setting: float) -> float:
        """One balloon filled at a setting, mm, with the device's scatter and drift."""
        c = self._character
        flowing = max(setting - c.offset, 0.0) * c.flow * (1 + c.drift * self._fills)
        return max(float(flowing**c.exponent) + self._random.gauss(0, c.scatter), 0.0)


class SimulatedTwinTimer(_Simulated):
    """A timed inflator with two nozzles, set in hundredths of a second."""

    nozzles = 2
    step = 0.01
    name = "simulated twin-nozzle timer"


class SimulatedPump(_Simulated):
    """A hand pump counted in half strokes; a stroke takes 0.8 s."""

    step = 0.5
    name = "simulated hand pump"
    _seconds_per_setting = 0.8


PRACTICE_TIMER = Character(offset=0.05, flow=9.0e6, scatter=2.0, drift=0.0005)
"""An invented timed inflator for practice: offset s, flow mm³/s, scatter mm, drift per balloon."""
PRACTICE_PUMP = Character(offset=0.3, flow=1.5e6, scatter=2.5)
"""An invented hand pump for practice: offset strokes, flow mm³/stroke, scatter mm."""


def run_once(
    device: InflatorDevice,
    setting: float,
    most_seconds: float,
    clock: Callable[[], float],
    wait: Callable[[float], None],
) -> list[float]:
    """Fill once and return the diameters (mm) the device tells, one per nozzle at most.

    Always stopped at the end. Raises DeviceFailed when it hangs, drops out, or tells what cannot be.
    """
    device.set_setting(setting)
    begun = clock()
    diameters: dict[int, float] = {}
    try:
        device.start()
        while len(diameters) < device.nozzles:
            if clock() - begun > most_seconds:
                raise DeviceFailed(f"“{device.name}” did not finish within {most_seconds:.0f} s and was stopped.")
            for event in device.poll():
                _take(event, diameters, device)
            wait(0.01)
    finally:
        device.stop()
    return [diameters[nozzle] for nozzle in sorted(diameters)]


def _take(event: NozzleEvent, diameters: dict[int, float], device: InflatorDevice) -> None:
    if event.kind is EventKind.DROPPED:
        raise DeviceFailed(f"“{device.name}” lost its connection; nothing was kept of this fill.")
    if event.kind is EventKind.STOPPED:
        raise DeviceFailed(f"“{device.name}” was stopped before it finished.")
    if event.kind is not EventKind.FINISHED:
        return
    diameter = event.diameter_mm
    if not 0 <= event.nozzle < device.nozzles or diameter is None or not 10 <= diameter <= 2000:
        raise DeviceFailed(f"“{device.name}” reported what cannot be; nothing was kept of this fill.")
    diameters[event.nozzle] = diameter
