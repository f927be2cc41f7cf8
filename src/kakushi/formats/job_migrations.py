"""Older schema versions of the job file: the step from each to the next one. They work on plain JSON values."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from typing import Any

from kakushi.model.parts import Accent, Cap, Cluster, Collar, HungLoad, PartValue, Topper, Weight

Json = dict[str, Any]
SCHEMA_VERSION = 5


def _without_flat_spares(job: Json) -> Json:
    """Version 3 plans spares by risk: a flat percentage of spares means nothing any more."""
    settings = job.get("settings")
    if not isinstance(settings, dict):
        return job
    return {**job, "settings": {key: value for key, value in settings.items() if key != "spares_percent"}}


_PART_KINDS: Mapping[str, type[PartValue]] = {
    "topper": Topper,
    "filler": Cluster,
    "collar": Collar,
    "accent": Accent,
    "hung load": HungLoad,
    "weight": Weight,
    "cap": Cap,
}


def _with_kinds_of_parts(job: Json) -> Json:
    """Version 4 gives every kind of part the fields that mean something for it; fillers are called clusters."""
    pieces = job.get("pieces")
    if not isinstance(pieces, list):
        return job
    return {**job, "pieces": [_piece_with_kinds_of_parts(piece) for piece in pieces]}


def _piece_with_kinds_of_parts(piece: Any) -> Any:
    parts = piece.get("parts") if isinstance(piece, dict) else None
    if not isinstance(parts, list):
        return piece
    return {**piece, "parts": [_part_of_its_kind(part) for part in parts]}


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

MIGRATIONS: Mapping[int, Callable[[Json], Json]] = {
    # Version 2 added kinds of layers, hand paint that can be hidden and tying habits; nothing changed its meaning.
    1: lambda job: job,
    2: _without_flat_spares,
    3: _with_kinds_of_parts,
    # Version 5 added the twist of rows of several sizes; without one they turn as they lie lowest, as before.
    4: lambda job: job,
}
"""From each older schema version, the step to the next one."""
