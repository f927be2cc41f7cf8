"""Builds the Build stage."""

from __future__ import annotations

from kakushi.desktop.stages.building.page import BuildPage
from kakushi.desktop.stages.building.panel import BuildPanel
from kakushi.desktop.stages.stage import StageContext, StageParts


def build(context: StageContext) -> StageParts:
    """One step in the middle, the copies and their steps beside it."""
    page = BuildPage(context.document, context.theme())
    panel = BuildPanel(context.document, lambda: page.design)
    page.full_screen_wanted.connect(context.full_screen)
    panel.chosen.connect(page.take_keyboard)
    panel.lists.clicked.connect(lambda: context.exports.export_steps(panel.people))
    return StageParts(panel, lambda: page, page, themed=(page.set_theme,), opened=page.take_keyboard)
