"""The calibration curve of an inflator: trial points, curve and its band."""

from __future__ import annotations

import numpy as np
import pyqtgraph
from PyQt6.QtGui import QColor

from kakushi.desktop.widgets.theme import Theme
from kakushi.model.units import MM_PER_INCH, UnitSystem
from kakushi.model.workshop import Inflator, TrialPoint
from kakushi.workshop.inflation import InflatorCalibration

_SAMPLES = 120


class CalibrationChart(pyqtgraph.PlotWidget):  # type: ignore[misc]  # an untyped library
    """Diameter against setting; mistakes are crossed out, the proposed trial is a dotted line."""

    def __init__(self, theme: Theme) -> None:
        super().__init__(background=theme.field)
        self._theme = theme
        plot = self.getPlotItem()
        plot.setMouseEnabled(False, False)
        plot.setMenuEnabled(False)
        # The library makes this menu without a parent that would take it along.
        self.destroyed.connect(plot.ctrlMenu.deleteLater)
        plot.hideButtons()
        self.setFixedHeight(190)
        self.setAccessibleName("Calibration curve")
        self.set_theme(theme)

    def set_theme(self, theme: Theme) -> None:
        """Draw in another theme."""
        self._theme = theme
        self.setBackground(theme.field)
        for name in ("bottom", "left"):
            axis = self.getPlotItem().getAxis(name)
            axis.setPen(theme.line)
            axis.setTextPen(theme.ink)

    def show_trials(
        self,
        inflator: Inflator,
        points: tuple[TrialPoint, ...],
        curve: InflatorCalibration | None,
        proposed: float | None,
        units: UnitSystem,
    ) -> None:
        """Draw points, and where there are enough the curve with two standard deviations of a balloon about it."""
        scale = 0.1 if units is UnitSystem.METRIC else 1 / MM_PER_INCH
        theme, plot = self._theme, self.getPlotItem()
        plot.clear()
        plot.setLabel("bottom", inflator.unit)
        plot.setLabel("left", f"diameter, {units.value}")
        if curve is not None:
            most = max(p.setting for p in points) * 1.15
            settings = np.linspace(max(curve.offset, 0.0) + most * 0.02, most, _SAMPLES)
            middle = curve.diameter(settings) * scale
            band = 2 * curve.deviation(settings) * scale
            low, high = (pyqtgraph.PlotDataItem(settings, middle + side * band) for side in (-1, 1))
            soft = QColor(theme.accent)
            soft.setAlpha(50)
            plot.addItem(pyqtgraph.FillBetweenItem(low, high, brush=soft))
            plot.plot(settings, middle, pen=pyqtgraph.mkPen(theme.accent, width=2))
        if proposed is not None:
            plot.addItem(pyqtgraph.InfiniteLine(proposed, pen=pyqtgraph.mkPen(theme.quiet, width=1, dash=[2, 4])))
        odd = set(curve.outliers if curve else ())
        for symbol, ink, chosen in (
            ("o", theme.ink, [p for i, p in enumerate(points) if i not in odd]),
            ("x", theme.warning, [p for i, p in enumerate(points) if i in odd]),
        ):
            plot.plot(
                [p.setting for p in chosen],
                [p.diameter_mm * scale for p in chosen],
                pen=None,
                symbol=symbol,
                symbolSize=8,
                symbolBrush=ink,
                symbolPen=ink,
            )
