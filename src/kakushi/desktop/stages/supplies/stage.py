"""Builds the Supplies stage."""

from __future__ import annotations

from PyQt6.QtGui import QGuiApplication

from kakushi.desktop.stages.stage import StageContext, StageParts
from kakushi.desktop.stages.supplies.page import SuppliesPage
from kakushi.desktop.stages.supplies.panel import SuppliesPanel


def build(context: StageContext) -> StageParts:
    """Prices and prints beside the lists."""
    panel, page, exports = SuppliesPanel(context.document), SuppliesPage(context.document), context.exports

    def copy() -> None:
        if clipboard := QGuiApplication.clipboard():
            clipboard.setText(page.as_text())
            context.say("The list is on the clipboard.")

    for button, run in (
        (panel.print_button, exports.ask_print),
        (panel.quote_button, exports.export_quote),
        (panel.cost_button, exports.export_cost),
        (panel.book_button, exports.export_workbook),
        (panel.csv_button, lambda: exports.export_csv(page.listing)),
        (panel.copy_button, copy),
    ):
        button.clicked.connect(lambda _checked, run=run: run())
    panel.stock_wanted.connect(context.studio.workshop)
    return StageParts(panel, lambda: page, page)
