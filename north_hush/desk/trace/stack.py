"""The lanes one below the other. Only those in view are built and drawn; the others when they are scrolled to."""

from __future__ import annotations

from collections.abc import Callable

import pyqtgraph as pg
from PySide6.QtCore import QTimer, Signal
from PySide6.QtGui import QColor, QResizeEvent
from PySide6.QtWidgets import QScrollArea, QWidget

from north_hush.core.words import tr
from north_hush.desk.look.roles import Theme
from north_hush.desk.trace.lane import LanePlot

RIBBON_PX = 22
_LANE_LEAST_PX, _LANE_GAP_PX, _AXIS_HEIGHT_PX = 43, 2, 20
_FIRST_ROW = 2
"""Below the ribbon and the wire print."""
_BUILT_LEAST, _BUILT_AT_ONCE = 6, 1
_LEAST_SPAN_S = 0.5

Draw = Callable[[LanePlot], None]


class LaneStack(QScrollArea):
    """Holds the plots of the trace: what lies above the lanes is added to `graphics` in rows 0 and 1."""

    built = Signal(object)
    """A lane (LanePlot) has been built: connect what it tells."""

    def __init__(self, theme: Theme, parent: QWidget | None = None) -> None:
        super().__init__(parent, widgetResizable=True)
        self._theme = theme
        self.lanes: list[LanePlot] = []
        self._undrawn: dict[int, Draw] = {}
        """How to draw lanes, by their place, that show something else than they should, because they are out of view."""
        self._wanted, self._above_px = 0, 0
        self._now_s, self._end_s = 0.0, 0.1
        self._below = pg.GraphicsWidget()
        """Stands where lanes will stand that are not built yet."""
        self._builder = QTimer(self, singleShot=True, interval=0)
        self._builder.timeout.connect(self._build_more)
        self.graphics = pg.GraphicsLayoutWidget()
        self.graphics.ci.layout.setSpacing(_LANE_GAP_PX)
        self.graphics.ci.layout.setContentsMargins(0, 2, 8, 2)
        self.graphics.setAccessibleName(tr("Levels and alarms over time"))
        self.graphics.setToolTip(
            tr("Click: go there. Wheel: zoom. Middle button: pan. Drag the start (solid) and clear (dashed) lines.")
        )
        self.setWidget(self.graphics)
        self.verticalScrollBar().valueChanged.connect(lambda _: self._on_scrolled())

    def dress(self, theme: Theme) -> None:
        """Take the theme's colours."""
        self._theme = theme
        self.graphics.setBackground(QColor(theme.ground))
        for lane in self.lanes:
            lane.dress(theme)

    # --- what is shown ----------------------------------------------------------------------------------------------

    def show_lanes(self, draws: list[Draw]) -> None:
        """Draw lanes, one of each of these; what is out of view is drawn when it comes into it."""
        self.want(len(draws))
        self._undrawn = dict(enumerate(draws))
        self._draw_in_view()

    def show_time(self, seconds: float) -> None:
        """Move the playhead."""
        self._now_s = seconds
        for place in self._places_in_view():
            self.lanes[place].show_time(seconds)

    def set_end(self, end_s: float) -> None:
        """Keep zoom and pan within a recording so long."""
        self._end_s = end_s
        for lane in self.lanes:
            self._limit(lane)

    def set_above(self, pixels: int) -> None:
        """Leave room for what lies between the ribbon and the lanes."""
        self._above_px = pixels
        self._fit()

    def span_s(self) -> tuple[float, float] | None:
        """First and last second in view; None while there are no lanes."""
        if not self.lanes:
            return None
        start_s, end_s = self.lanes[0].box.viewRange()[0]
        return float(start_s), float(end_s)

    def _places_in_view(self) -> list[int]:
        """Of the lanes that are shown, and of those that have no room yet."""
        top = self.verticalScrollBar().value()
        bottom = top + max(self.viewport().height(), _LANE_LEAST_PX)
        boxes = [(place, plot.geometry()) for place, plot in enumerate(self.lanes)]
        return [place for place, box in boxes if box.isEmpty() or (box.bottom() >= top and box.top() <= bottom)]

    def _draw_in_view(self) -> None:
        for place in self._places_in_view():
            draw = self._undrawn.pop(place, None)
            if draw is not None:
                draw(self.lanes[place])
                self.lanes[place].show_time(self._now_s)

    def _on_scrolled(self) -> None:
        self._builder.start()
        self._draw_in_view()
        self.show_time(self._now_s)

    def resizeEvent(self, event: QResizeEvent) -> None:
        super().resizeEvent(event)
        self._builder.start()
        self._draw_in_view()

    # --- building ---------------------------------------------------------------------------------------------------

    def want(self, count: int) -> None:
        """Have so many lanes; those far below are built when they are scrolled to."""
        if self._wanted == count:
            return
        self._wanted = count
        while len(self.lanes) > count:
            self.graphics.removeItem(self.lanes.pop())
        self._build(_BUILT_LEAST)
        self._stand_in()
        self._builder.start()
        self._fit()

    def _enough(self) -> int:
        """How many lanes the view shows, and a few more."""
        bottom = self.verticalScrollBar().value() + self.viewport().height()
        return min(self._wanted, max(_BUILT_LEAST, bottom // _LANE_LEAST_PX + 1))

    def _build_more(self) -> None:
        """Build a few lanes at a time, until the view is filled."""
        self._build(min(self._enough(), len(self.lanes) + _BUILT_AT_ONCE))
        self._stand_in()
        self._draw_in_view()
        if len(self.lanes) < self._enough():
            self._builder.start()

    def _build(self, until: int) -> None:
        while len(self.lanes) < min(until, self._wanted):
            lane = LanePlot(self._theme)
            self.graphics.addItem(lane, row=len(self.lanes) + _FIRST_ROW, col=0)
            if self.lanes:
                lane.box.setXLink(self.lanes[0].box)
            self.lanes.append(lane)
            self._limit(lane)
            self.built.emit(lane)

    def _stand_in(self) -> None:
        """While lanes are missing, something keeps their room; once all are there, the last one carries the axis of time."""
        missing = self._wanted - len(self.lanes)
        if self._below.parentItem() is not None:
            self.graphics.removeItem(self._below)
        if missing:
            self._below.setMinimumHeight(missing * (_LANE_LEAST_PX + _LANE_GAP_PX))
            self.graphics.addItem(self._below, row=self._wanted + _FIRST_ROW, col=0)
        for place, lane in enumerate(self.lanes):
            lane.show_time_axis(shown=place == self._wanted - 1)

    def _limit(self, lane: LanePlot) -> None:
        lane.box.setLimits(xMin=0, xMax=self._end_s, minXRange=min(_LEAST_SPAN_S, self._end_s))

    def _fit(self) -> None:
        """Give the plots the height they need."""
        self.graphics.setMinimumHeight(
            RIBBON_PX + self._above_px + self._wanted * (_LANE_LEAST_PX + _LANE_GAP_PX) + _AXIS_HEIGHT_PX
        )
        # The layout shrinks to its least size when plots come and go, and only a resize would stretch it again.
        QTimer.singleShot(0, self._stretch)

    def _stretch(self) -> None:
        self.graphics.ci.setGeometry(self.graphics.range)
        self._draw_in_view()
