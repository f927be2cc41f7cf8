"""Builds the Colour stage."""

from __future__ import annotations

from PyQt6.QtWidgets import QWidget

from kakushi.desktop.stages.colour.panel import ColourPanel
from kakushi.desktop.stages.colour.tying_page import TyingPage
from kakushi.desktop.stages.stage import StageContext, StageParts
from kakushi.model.layers import MotifLayer


def build(context: StageContext) -> StageParts:
    """Brush and layers beside elevation and skin, or the tying cards."""
    panel = ColourPanel(context.document, context.brush(), context.theme())
    cards = TyingPage(context.document, context.theme())

    def view() -> QWidget:
        return cards if panel.cards.isChecked() else context.elevation(skin=True)

    def motif_from_picture() -> None:
        if isinstance(panel.layers.layer, MotifLayer):
            motif = context.files.imports.import_motif(panel.layers.layer)
            if motif is not None:
                panel.layers.set_motif(motif)

    panel.cards_wanted.connect(lambda _on: context.refresh_view())
    panel.palette_wanted.connect(context.studio.palette)
    panel.trial_wanted.connect(context.studio.landing_trial)
    panel.layers.form.picture_wanted.connect(motif_from_picture)
    return StageParts(panel, view, cards, themed=(panel.set_theme, cards.set_theme))
