"""Builds the Stand stage."""

from __future__ import annotations

from kakushi.desktop.stages.stage import StageContext, StageParts
from kakushi.desktop.stages.stand.panel import StandPanel


def build(context: StageContext) -> StageParts:
    """Frame and parts beside the elevation with the stand drawn on it."""
    return StageParts(StandPanel(context.document), lambda: context.elevation(stand=True))
