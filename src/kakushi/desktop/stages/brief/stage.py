"""Builds the Brief stage."""

from __future__ import annotations

from kakushi.desktop.stages.brief.page import BriefPage
from kakushi.desktop.stages.brief.panel import BriefPanel
from kakushi.desktop.stages.stage import StageContext, StageParts


def build(context: StageContext) -> StageParts:
    """Its form beside the whole job and the days before it."""
    page = BriefPage(context.document, context.theme())
    panel = BriefPanel(context.document)
    panel.calendar.clicked.connect(lambda _checked: context.exports.export_calendar())
    return StageParts(panel, lambda: page, page, themed=(page.set_theme,))
