"""A check in words."""

from __future__ import annotations

import math

from kakushi.check.measure import Measured
from kakushi.check.values import Result
from kakushi.model.units import UnitSystem, format_length

_LEAST_LEAN = math.radians(1.0)
"""Less nobody can tell from a photograph."""


def measured_words(found: Measured, units: UnitSystem) -> str:
    """A measured piece in a sentence; what was not seen is left out."""
    share = f"{abs(found.share - 1) * 100:.0f} % {'larger' if found.share > 1 else 'smaller'} than planned"
    same = "as planned" if abs(found.share - 1) < _SAME else share
    parts = [f"{format_length(found.height_mm, units)} ± {found.height_off_mm:.0f} mm high, {same}"]
    if math.isfinite(found.rise_mm):
        parts.append(f"rows rise {format_length(found.rise_mm, units)} ± {found.rise_off_mm:.0f} mm each")
    if math.isfinite(found.width_mm):
        parts.append(f"the widest row is {format_length(found.width_mm, units)} wide")
    return "; ".join(parts) + "."


_SAME = 0.01


def result_words(result: Result) -> list[str]:
    """What a check found, a line each: the photograph, the faults, what was not judged."""
    if result.refused:
        return [result.refused, *result.notes]
    return [pose_words(result), *(fault.words for fault in result.faults), *summary_words(result), *result.notes]


def pose_words(result: Result) -> str:
    """Where a photograph was taken from."""
    degrees = round(math.degrees(result.azimuth))
    side = (
        "from the front"
        if abs(degrees) < 1
        else f"{abs(degrees)}° to the {'right' if degrees > 0 else 'left'} of the front"
    )
    sure = "surely" if result.confidence > 0.9 else "probably" if result.confidence > 0.6 else "perhaps"
    words = f"Taken {sure} {side}, {result.pose.distance / 1000:.1f} m away, eye at {result.pose.eye / 1000:.1f} m."
    if result.azimuths:
        others = ", ".join(f"{math.degrees(each) % 360:.0f}°" for each in result.azimuths[:4])
        words += f" It would look the same from {others}."
    return words


def summary_words(result: Result) -> list[str]:
    """How many balloons were judged and not, and the lean."""
    judged = sum(1 for each in result.balloons if not each.why_not)
    hidden = len(result.balloons) - judged
    found = [f"{judged} balloons judged, {hidden} not: hidden, cut off or in glare."]
    if not any(not fault.look for fault in result.faults):
        found.insert(0, "Nothing wrong was found.")
    if result.lean is not None and abs(result.lean) < _LEAST_LEAN:
        found.append("It stands upright.")
    elif result.lean is not None:
        found.append(
            f"It leans by {abs(math.degrees(result.lean)):.0f}° {'to the right' if result.lean > 0 else 'to the left'}."
        )
    return found
