"""Older schema versions of the job file: the step from each to the next one. They work on plain JSON values."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from typing import Any

from kakushi.model.parts import Accent, Cap, Collar, Fillers, HungLoad, PartValue, Topper, Weight

Json = dict[str, Any]
SCHEMA_VERSION = 9
"""Version of job.json that is written."""


def _without_flat_spares(job: Json) -> Json:
    """Version 3 plans spares by risk: a flat percentage of spares means nothing any more."""
    settings = job.get("settings")
    if not isinstance(settings, dict):
        return job
    return {**job, "settings": {key: value for key, value in settings.items() if key != "spares_percent"}}


_PART_KINDS: Mapping[str, type[PartValue]] = {
    "topper": Topper,
    "collar": Collar,
    "accent": Accent,
    "hung load": HungLoad,
    "weight": Weight,
    "cap": Cap,
}


def _with_kinds_of_parts(job: Json) -> Json:
    """Version 4 gives every kind of part the fields that mean something for it."""
    pieces = job.get("pieces")
    if not isinstance(pieces, list):
        return job
    return {**job, "pieces": [_with_parts(piece, _part_of_its_kind) for piece in pieces]}


def _with_parts(piece: Any, change: Callable[[Any], Any]) -> Any:
    parts = piece.get("parts") if isinstance(piece, dict) else None
    if not isinstance(parts, list):
        return piece
    return {**piece, "parts": [change(part) for part in parts]}


def _part_of_its_kind(part: Any) -> Any:
    kind = part.get("kind") if isinstance(part, dict) else None
    value = _PART_KINDS.get(kind) if isinstance(kind, str) else None
    if value is None:
        # Row, ball and inner balloon were kinds too, which no part could be; validation refuses what is left.
        return part
    known = {name: part[name] for name in value.model_fields if name in part}
    gone = _OLD_FIELDS - known.keys()
    unknown = {name: field for name, field in part.items() if name not in known and name not in gone}
    return {**known, **unknown, "kind": value.model_fields["kind"].default}


_OLD_FIELDS = frozenset({"height_mm", "azimuth_deg", "offset_mm", "tall_mm", "wide_mm", "follows_swirl", "fixings"})
"""Fields that every part had before version 4."""

_FILLERS = ("filler", "cluster")
"""What sets of fillers were called up to version 3, and in versions 4 and 5."""
_A_CLUSTER = 4
"""Balloons of a cluster in jobs that did not say."""


def _with_sets_of_fillers(job: Json) -> Json:
    """Version 6 gives fillers a number of clusters and their seats; before, one part was all balloons of a height."""
    pieces = job.get("pieces")
    if not isinstance(pieces, list):
        return job
    return {**job, "pieces": [_with_parts(piece, _set_of_fillers) for piece in pieces]}


def _set_of_fillers(part: Any) -> Any:
    if not isinstance(part, dict) or part.get("kind") not in _FILLERS:
        return part
    kept = {name: part[name] for name in Fillers.model_fields if name in part}
    kept["kind"] = "fillers"
    balloons = part.get("balloons")
    if not isinstance(balloons, list):
        return kept
    # As many clusters of four as before where the balloons can be shared out; else one of all of them.
    counts = [line.get("count") if isinstance(line, dict) else None for line in balloons]
    if len(counts) == 1 and isinstance(counts[0], int) and counts[0] and counts[0] % _A_CLUSTER == 0:
        kept["wanted"] = counts[0] // _A_CLUSTER
        kept["balloons"] = [{**balloons[0], "count": _A_CLUSTER}]
    return kept


MIGRATIONS: Mapping[int, Callable[[Json], Json]] = {
    # Version 2 added kinds of layers, hand paint that can be hidden and tying habits; nothing changed its meaning.
    1: lambda job: job,
    2: _without_flat_spares,
    3: _with_kinds_of_parts,
    # Version 5 added the twist of rows of several sizes; without one they turn as they lie lowest, as before.
    4: lambda job: job,
    5: _with_sets_of_fillers,
    # Version 7 added kinds of parts, and rows that parts move with; nothing changed its meaning.
    6: lambda job: job,
    # Version 8 added the sculptor's own order of steps; without one it is the usual one, as before.
    7: lambda job: job,
    # Version 9 added the force that a group was built with; without one it is its piece's, as before.
    8: lambda job: job,
}
"""From each older schema version, the step to the next one."""
