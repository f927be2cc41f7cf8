"""Builds the Shape stage."""

from __future__ import annotations

from kakushi.desktop.stages.shape.panel import ShapePanel
from kakushi.desktop.stages.stage import StageContext, StageParts


def build(context: StageContext) -> StageParts:
    """Outline, rows and groups beside the elevation."""
    elevation = context.workbench().elevation
    handles = elevation.handles
    panel = ShapePanel(context.document, context.row_actions, handles, elevation.paths, context.theme())
    panel.from_file.clicked.connect(lambda _checked: context.import_outline())
    panel.compare.clicked.connect(lambda _checked: context.studio.compare())
    panel.keep_outline.clicked.connect(lambda _checked: context.studio.collection())
    return StageParts(panel, context.elevation, themed=(panel.set_theme,))
