"""Builds the Log stage."""

from __future__ import annotations

from kakushi.desktop.stages.log.page import LogPage
from kakushi.desktop.stages.log.panel import LogPanel
from kakushi.desktop.stages.stage import StageContext, StageParts


def build(context: StageContext) -> StageParts:
    """This job, all jobs and what was learnt of them; what is done with them beside."""
    page = LogPage(context.document)
    panel = LogPanel(context.document, page)
    page.told.connect(context.say)
    panel.csv.clicked.connect(lambda _: context.exports.export_csv(page.listing))
    panel.book.clicked.connect(lambda _: context.exports.export_listing(page.listing))
    return StageParts(panel, lambda: page, page, themed=(page.set_theme,), opened=page.reload)
