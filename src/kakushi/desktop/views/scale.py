"""The vertical scale that elevation and row ladder share."""

from __future__ import annotations

from PyQt6.QtCore import QObject, Qt, pyqtSignal
from PyQt6.QtGui import QWheelEvent

ZOOM_STEP = 1.2
"""Zoom factor of one notch of the wheel, or of one key."""
WHEEL_STEP = 120
"""Angle of one notch of a wheel in Qt, eighths of a degree."""
_MARGIN_TOP, _MARGIN_BOTTOM = 34.0, 26.0
_CLOSEST_MM_PER_PX, _FARTHEST_MM_PER_PX = 0.2, 60.0


class Scale(QObject):
    """Heights in mm to rows of pixels. `bottom_mm` is the height at the lower edge."""

    changed = pyqtSignal()

    def __init__(self, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self.mm_per_px = 4.0
        self.bottom_mm = -100.0
        self.height_px = 500.0
        self.width_px = 400.0
        self.is_fitted = True
        self._wide_mm, self._tall_mm = 500.0, 2000.0

    def y(self, z_mm: float) -> float:
        """Pixel row of a height."""
        return self.height_px - (z_mm - self.bottom_mm) / self.mm_per_px

    def z(self, y_px: float) -> float:
        """Height at a pixel row."""
        return self.bottom_mm + (self.height_px - y_px) * self.mm_per_px

    def resize(self, width_px: float, height_px: float) -> None:
        """The elevation's drawing area changed."""
        self.width_px, self.height_px = max(width_px, 40.0), max(height_px, 80.0)
        self._refit()

    def show(self, wide_mm: float, tall_mm: float) -> None:
        """What a fitted view must hold."""
        self._wide_mm, self._tall_mm = wide_mm, tall_mm
        self._refit()

    def fit(self) -> None:
        """Show the whole piece."""
        self.is_fitted = True
        self._refit()

    def _refit(self) -> None:
        if self.is_fitted:
            room = max(self.height_px - _MARGIN_TOP - _MARGIN_BOTTOM, 20.0)
            self.mm_per_px = max(self._tall_mm / room, self._wide_mm / (self.width_px * 0.94), _CLOSEST_MM_PER_PX)
            self.bottom_mm = -_MARGIN_BOTTOM * self.mm_per_px
        self.changed.emit()

    def zoom(self, factor: float, at_y: float | None = None) -> None:
        """Zoom in (factor > 1) or out around a pixel row, the middle by default."""
        at = self.height_px / 2 if at_y is None else at_y
        kept = self.z(at)
        self.mm_per_px = min(max(self.mm_per_px / factor, _CLOSEST_MM_PER_PX), _FARTHEST_MM_PER_PX)
        self.bottom_mm = kept - (self.height_px - at) * self.mm_per_px
        self.is_fitted = False
        self.changed.emit()

    def take_wheel(self, event: QWheelEvent) -> None:
        """Zoom with Ctrl, else move the picture."""
        turned = event.angleDelta().y()
        if event.modifiers() & Qt.KeyboardModifier.ControlModifier:
            self.zoom(ZOOM_STEP ** (turned / WHEEL_STEP), event.position().y())
        else:
            self.pan(turned / 2)

    def pan(self, down_px: float) -> None:
        """Move the picture down by pixels."""
        self.bottom_mm += down_px * self.mm_per_px
        self.is_fitted = False
        self.changed.emit()
