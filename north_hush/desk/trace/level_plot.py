"""A plain plot of a level over time, from 0 to 100 %, without a lane's handles and spans, on the root axis of lanes."""

from __future__ import annotations

import numpy as np
import pyqtgraph as pg
from numpy.typing import NDArray
from PySide6.QtCore import Qt, Signal
from PySide6.QtGui import QColor
from PySide6.QtWidgets import QWidget

from north_hush.core.words import tr
from north_hush.desk.look.roles import Theme, faded
from north_hush.desk.trace.curve import LevelCurve
from north_hush.desk.trace.lane import TimeBox
from north_hush.desk.trace.plot import Plot
from north_hush.desk.trace.scale import PercentAxis, to_height

_LIMITS = (Qt.PenStyle.SolidLine, Qt.PenStyle.DashLine)
_ROOM = 1.08
"""Above the highest level."""


class LevelPlot(pg.GraphicsLayoutWidget):
    """A click goes to a time, the wheel zooms."""

    time_picked = Signal(float)

    def __init__(self, theme: Theme, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setAccessibleName(tr("Level over time"))
        self.box = TimeBox()
        self.box.time_picked.connect(self.time_picked)
        self._plot = Plot(self.box, PercentAxis("left"), theme)
        self.addItem(self._plot)
        self.curve = LevelCurve()
        self._plot.add_item(self.curve)
        self._limits: list[pg.InfiniteLine] = []
        self._plot.show_time_axis(shown=True)
        self.show_top(100.0)
        self.dress(theme)

    def dress(self, theme: Theme) -> None:
        """Take the theme's colours."""
        self._theme = theme
        self.setBackground(QColor(theme.ground))
        self.curve.dress(QColor(theme.level), faded(theme.level, 0.28))
        self._plot.dress_axes(theme)
        for line, style in zip(self._limits, _LIMITS, strict=False):
            line.setPen(pg.mkPen(theme.limit, width=1.2, style=style))

    def show_level(self, seconds: NDArray[np.float64], percent: NDArray[np.float64], end_s: float = 0.0) -> None:
        """Show a level from each time on, up to an end (0: the last time)."""
        self.curve.show_level(seconds, np.asarray(to_height(percent), np.float64))
        if len(seconds):
            end_s = end_s or float(seconds[-1])
            self.box.setLimits(xMin=0.0, xMax=end_s)
            self.box.setXRange(0.0, end_s, padding=0)

    def show_top(self, percent: float) -> None:
        """Show levels up to so much."""
        self.box.setYRange(0, _ROOM * float(to_height(percent)), padding=0)

    def show_limits(self, *percents: float) -> None:
        """Lines across: a start level, solid, and a clear level, dashed."""
        if not self._limits:
            self._limits = [pg.InfiniteLine(angle=0) for _ in percents]
            for line in self._limits:
                self._plot.add_item(line)
            self.dress(self._theme)
        for line, percent in zip(self._limits, percents, strict=True):
            line.setValue(float(to_height(percent)))
