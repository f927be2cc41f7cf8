"""Builds the Dress stage."""

from __future__ import annotations

from PyQt6.QtWidgets import QWidget

from kakushi.desktop.stages.dress.panel import DressPanel
from kakushi.desktop.stages.stage import StageContext, StageParts


def build(context: StageContext) -> StageParts:
    """What shows and what hides it, beside the elevation on which both are lit."""
    panel = DressPanel(context.document, context.theme())

    def view() -> QWidget:
        return context.elevation(dressing=panel.fillers)

    def shape_from_file() -> None:
        if (outline := context.files.imports.foil_outline(context.theme())) is not None:
            panel.parts.set_foil_outline(outline)

    def save_letters(mirrored: bool) -> None:
        if panel.parts.part is not None:
            context.exports.export_lettering(panel.parts.part.key, mirrored)

    def show_cluster() -> None:
        context.workbench().elevation.update()

    panel.fillers.cluster_chosen.connect(show_cluster)
    panel.parts.form.svg_wanted.connect(save_letters)
    panel.parts.form.outline_wanted.connect(shape_from_file)
    return StageParts(panel, view, themed=(panel.set_theme,))
