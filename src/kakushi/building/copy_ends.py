"""How the build of a copy begins and ends: what it stands on, whether it stands, where it goes."""

from __future__ import annotations

from kakushi.building.poles import Sections
from kakushi.building.step import PackingUp, SettingUp
from kakushi.model.groups import rows_groups
from kakushi.model.job import Job
from kakushi.model.paths import StrandStands
from kakushi.model.piece import Piece


def setting_up(piece: Piece, screwed: Sections | None) -> SettingUp:
    """What is set up before the first balloons; `screwed`: the sections of its pole, where it has some."""
    frame, groups = piece.frame, rows_groups(piece.groups)
    strands = [group.strand for _, group in groups if group.strand is not None]
    if strands and len(strands) == len(groups):
        return SettingUp("line stretched" if strands[0].core == "line" else "bent pipe", None)
    if frame.has_pole:
        return SettingUp("pole in base" if frame.base.is_there else "pole", screwed)
    return SettingUp("line" if frame.kind == "line" else "foot", None)


def is_upright(piece: Piece) -> bool:
    """Whether a copy stands: a strand that lies or hangs does not."""
    strands = [group.strand for _, group in rows_groups(piece.groups) if group.strand is not None]
    return all(strand.stands is StrandStands.BASES for strand in strands)


def packing_up(job: Job) -> PackingUp:
    """Where a finished copy goes."""
    if job.brief.handover != "delivered":
        return PackingUp("collected")
    return PackingUp("on its way" if job.days.builds == "at home" else "stays")
