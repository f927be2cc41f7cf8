"""Builds the Build stage."""

from __future__ import annotations

from kakushi.building.remedies import RescueOption
from kakushi.desktop.stages.building.page import BuildPage
from kakushi.desktop.stages.building.panel import BuildPanel
from kakushi.desktop.stages.building.ways_page import WaysPage
from kakushi.desktop.stages.stage import StageContext, StageParts
from kakushi.words.rescue import ways_title
from kakushi.words.wording import Wording


def build(context: StageContext) -> StageParts:
    """One step in the middle, the copies and their steps beside it."""
    page = BuildPage(context.document, context.theme())
    ways = WaysPage(context.document, context.theme(), page)
    panel = BuildPanel(context.document, lambda: page.design)
    page.full_screen_wanted.connect(context.full_screen)
    panel.chosen.connect(page.take_keyboard)

    def show_ways(found: list[RescueOption]) -> None:
        design, wording = page.design, Wording(context.document.builder.plan.job, context.document.units)
        ways.show_ways(found, ways_title(design.wished_height_mm, panel.rescue.short, wording) if design else "")

    page.ran_out.connect(panel.rescue.ask_short)
    panel.rescue.found.connect(show_ways)
    panel.rescue.way_chosen.connect(ways.choose)
    ways.chosen.connect(panel.rescue.choose)
    ways.taken.connect(panel.rescue.take_chosen)
    panel.lists.clicked.connect(lambda: context.exports.export_steps(panel.people))
    return StageParts(panel, lambda: page, page, themed=(page.set_theme, ways.set_theme), opened=page.take_keyboard)
