"""Builds the Brief stage."""

from __future__ import annotations

from kakushi.desktop.stages.brief.panel import BriefPanel
from kakushi.desktop.stages.stage import StageContext, StageParts


def build(context: StageContext) -> StageParts:
    """Its form beside the elevation."""
    return StageParts(BriefPanel(context.document), context.elevation)
