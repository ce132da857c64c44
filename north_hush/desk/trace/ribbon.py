"""The ribbon: the whole recording above the lanes, with all alarms, incidents, and the stretch that the lanes show."""

from __future__ import annotations

import numpy as np
import pyqtgraph as pg
from PySide6.QtCore import QSignalBlocker, Signal
from PySide6.QtGui import QColor

from north_hush.core.footage.glance import Glance
from north_hush.core.footage.stamps import US_PER_S
from north_hush.desk.look.roles import Theme, faded
from north_hush.desk.trace.curve import LevelCurve
from north_hush.desk.trace.lane import TimeBox
from north_hush.desk.trace.marks import Bar, Bars, Brackets
from north_hush.desk.trace.plot import Plot
from north_hush.desk.trace.stack import RIBBON_PX

_LOW, _HIGH, _BARS_AT = 4.4, 5.1, 5.0
"""Heights that are shown, and the one that bars and brackets are drawn for: of a lane the ribbon is the upper rim."""
_LOOK_LEAST_PERCENT = 10.0
"""A first look is as high as its highest picture, or as this."""


class Ribbon(Plot):
    """Draws what it is given; holds nothing of the site."""

    time_picked = Signal(float)
    stretch_dragged = Signal(float, float)
    """First and last second that the lanes are to show."""

    def __init__(self, theme: Theme) -> None:
        super().__init__(TimeBox(), pg.AxisItem("left"), theme)
        self.bars, self.brackets, self.look = Bars(), Brackets(), LevelCurve()
        self.stretch = pg.LinearRegionItem(movable=True)
        self.head = pg.InfiniteLine(angle=90, movable=False)
        self.setMinimumHeight(RIBBON_PX)
        self.setMaximumHeight(RIBBON_PX)
        for item in (self.look, self.brackets, self.bars, self.stretch, self.head):
            self.add_item(item)
        self.box.setYRange(_LOW, _HIGH, padding=0)
        self.box.time_picked.connect(self.time_picked)
        self.stretch.sigRegionChanged.connect(lambda: self.stretch_dragged.emit(*self.stretch.getRegion()))

    def dress(self, theme: Theme) -> None:
        """Take the theme's colours."""
        self._theme = theme
        self.hide_scale(theme.ground)
        self.look.dress(QColor(theme.muted), faded(theme.muted, 0.28))
        self.stretch.setBrush(pg.mkBrush(faded(theme.text, 0.10)))
        self.stretch.setHoverBrush(pg.mkBrush(faded(theme.text, 0.16)))
        for line in self.stretch.lines:
            line.setPen(pg.mkPen(theme.muted, width=1))
        self.head.setPen(pg.mkPen(theme.accent, width=1))

    def show_all(self, bars: list[Bar], incidents: list[tuple[float, float]], look: Glance | None) -> None:
        """Show alarms, incidents, and what a first look found until all is analysed."""
        self.bars.show_bars(sorted(bars, key=lambda bar: bar.start_s), _BARS_AT, self._theme)
        self.brackets.show_spans(incidents, _BARS_AT, self._theme)
        if look is None:
            self.look.show_level(np.zeros(0), np.zeros(0))
        else:
            highest = max(_LOOK_LEAST_PERCENT, float(look.percent.max(initial=0.0)))
            share = np.sqrt(look.percent.astype(np.float64) / highest)
            self.look.show_level(look.time_us / US_PER_S, _LOW + (_HIGH - _LOW) * share)

    def show_stretch(self, start_s: float, end_s: float) -> None:
        """Show which stretch the lanes show, without telling anybody."""
        with QSignalBlocker(self.stretch):
            self.stretch.setRegion((start_s, end_s))
