"""A check in words."""

from __future__ import annotations

import math

from kakushi.check.values import Result


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
    if result.lean is not None:
        found.append(
            f"It leans by {abs(math.degrees(result.lean)):.1f}° {'to the right' if result.lean > 0 else 'to the left'}."
        )
    return found
