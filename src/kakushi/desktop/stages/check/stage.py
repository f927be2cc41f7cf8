"""Builds the Check stage."""

from __future__ import annotations

from kakushi.desktop.stages.check.page import CheckPage
from kakushi.desktop.stages.check.panel import CheckPanel
from kakushi.desktop.stages.stage import StageContext, StageParts


def build(context: StageContext) -> StageParts:
    """Build the stage: the photograph in the middle, its faults beside it."""
    document = context.document
    page = CheckPage(document, context.theme())
    panel = CheckPanel(document, page.view)

    def ask() -> None:
        path = context.files.imports.ask_photo()
        if path is not None:
            document.checker.open(path)

    panel.open.clicked.connect(ask)

    def use_as_stack() -> None:
        if panel.stack is not None:
            context.studio.use_as_stack(panel.stack)

    panel.as_stack.clicked.connect(use_as_stack)
    panel.print_it.clicked.connect(context.exports.export_check)
    return StageParts(panel, lambda: page, page, themed=(page.set_theme,), opened=page.take_keyboard)
