"""What a drawn view shows, part by part, for screen readers."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from typing import NamedTuple

import numpy as np
from PyQt6.QtCore import QEvent, QObject, QRectF, Qt, QTimer
from PyQt6.QtWidgets import QLabel, QWidget

from kakushi.model.arrays import Floats
from kakushi.plan.values import PiecePlan

_REST_MS = 120
"""Rest after a change before the parts follow, ms: nobody hears what changes while it is dragged."""
MOST_PARTS = 80
"""Most parts of one view: more would slow painting down, and nobody listens to them one by one."""


class SpokenPart(NamedTuple):
    """What is said of a part of a view, and where it is drawn, px."""

    words: str
    box: QRectF


class Spoken(QObject):
    """Keeps a child that paints nothing and takes no clicks for each part of a view.

    Qt's own interface for parts that are no widgets is not among its Python bindings.
    """

    def __init__(self, view: QWidget, parts: Callable[[], Sequence[SpokenPart]]) -> None:
        super().__init__(view)
        self._view, self._parts = view, parts
        self._labels: list[QLabel] = []
        self._rest = QTimer(self)
        self._rest.setSingleShot(True)
        self._rest.setInterval(_REST_MS)
        self._rest.timeout.connect(self._show)
        view.installEventFilter(self)

    def follow(self) -> None:
        """Say what the view shows now, soon."""
        if self._view.isVisible():
            self._rest.start()

    def eventFilter(self, watched: QObject | None, event: QEvent | None) -> bool:
        if event is not None and event.type() in (QEvent.Type.Show, QEvent.Type.Resize):
            self._rest.start()
        elif event is not None and event.type() == QEvent.Type.Hide:
            self._rest.stop()
        return False

    def _show(self) -> None:
        parts = list(self._parts())
        if len(parts) > MOST_PARTS:
            rest = len(parts) - MOST_PARTS + 1
            parts = [*parts[: MOST_PARTS - 1], SpokenPart(f"{rest} more", QRectF())]
        while len(self._labels) < len(parts):
            label = QLabel(self._view)
            label.setAttribute(Qt.WidgetAttribute.WA_TransparentForMouseEvents)
            self._labels.append(label)
        for label in self._labels[len(parts) :]:
            label.hide()
        for label, part in zip(self._labels, parts, strict=False):
            if label.accessibleName() != part.words:
                label.setAccessibleName(part.words)
            label.setGeometry(part.box.toAlignedRect())
            label.show()


def row_boxes(piece_plan: PiecePlan, project: Callable[[Floats], Floats], mm_per_px: float) -> list[QRectF]:
    """Where each row is drawn; `project` lays points (n, 3) mm onto the view, (n, 2 or more) px."""
    geometry = piece_plan.geometry
    at, radii = project(geometry.centres), geometry.shape_radii / mm_per_px
    boxes = []
    for row in range(len(piece_plan.piece.rows)):
        of_row = np.flatnonzero(geometry.row_of == row)
        if not len(of_row):
            boxes.append(QRectF())
            continue
        low = (at[of_row, :2] - radii[of_row, None]).min(axis=0)
        high = (at[of_row, :2] + radii[of_row, None]).max(axis=0)
        boxes.append(QRectF(float(low[0]), float(low[1]), float(high[0] - low[0]), float(high[1] - low[1])))
    return boxes
