"""Builds the Prep stage."""

from __future__ import annotations

from kakushi.desktop.stages.prep.page import PrepPage
from kakushi.desktop.stages.prep.panel import PrepPanel
from kakushi.desktop.stages.stage import StageContext, StageParts


def build(context: StageContext) -> StageParts:
    """Calibration beside the inflation sheet."""
    page = PrepPage(context.document, context.theme())
    panel = PrepPanel(context.document, context.theme())
    panel.labels_button.clicked.connect(lambda _checked: context.exports.export_labels())
    panel.cards_button.clicked.connect(lambda _checked: context.go_to("cards"))
    panel.sheet_button.clicked.connect(lambda _checked: context.exports.ask_print())
    return StageParts(panel, lambda: page, page, themed=(page.set_theme, panel.set_theme), opened=page.focus_sheet)
