"""A plot area with an axis at its left and, where it is wanted, one of time below.

pyqtgraph's own plot brings two axes more and some fifty widgets for menus that nobody opens: with sixty lanes that is seconds.
"""

from __future__ import annotations

import pyqtgraph as pg
from PySide6.QtGui import QColor
from PySide6.QtWidgets import QGraphicsGridLayout

from north_hush.desk.look.roles import Theme
from north_hush.desk.look.style import text_font
from north_hush.desk.trace.scale import TimeAxis

AXIS_PX = 52


class Plot(pg.GraphicsWidget):
    """Holds a view box; items are added to it."""

    def __init__(self, box: pg.ViewBox, left: pg.AxisItem, theme: Theme) -> None:
        super().__init__()
        self.box, self.left, self._theme = box, left, theme
        self.time_axis: TimeAxis | None = None
        self._grid = QGraphicsGridLayout(self)
        self._grid.setContentsMargins(0, 0, 0, 0)
        self._grid.setSpacing(0)
        self._grid.addItem(left, 0, 0)
        self._grid.addItem(box, 0, 1)
        left.linkToView(box)
        left.setWidth(AXIS_PX)

    def dress_axes(self, theme: Theme) -> None:
        """Give the axes the theme's colours."""
        self._theme = theme
        for axis in (self.left, self.time_axis):
            if axis is not None:
                axis.setPen(pg.mkPen(theme.rule))
                axis.setTextPen(pg.mkPen(theme.muted))
                axis.setTickFont(text_font(12))
                axis.setStyle(tickLength=-4)

    def hide_scale(self, colour: str | QColor) -> None:
        """Keep the room of the axis at the left, and show nothing in it."""
        self.left.setStyle(showValues=False, tickLength=0)
        self.left.setPen(pg.mkPen(colour))

    def add_item(self, item: pg.GraphicsObject) -> None:
        """Add an item; it does not decide which part is shown."""
        self.box.addItem(item, ignoreBounds=True)

    def show_time_axis(self, *, shown: bool) -> None:
        """Show the axis of time below, or take it away."""
        if shown and self.time_axis is None:
            self.time_axis = TimeAxis("bottom")
            self.time_axis.linkToView(self.box)
            self._grid.addItem(self.time_axis, 1, 1)
            self.dress_axes(self._theme)
        elif not shown and self.time_axis is not None:
            self._grid.removeItem(self.time_axis)
            self.time_axis.scene().removeItem(self.time_axis)
            self.time_axis = None
