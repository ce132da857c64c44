"""The trace: a ribbon of the whole recording above one lane a zone."""

from __future__ import annotations

from itertools import count

import numpy as np
import pyqtgraph as pg
from PySide6.QtCore import QSignalBlocker, Qt, QTimer, Signal
from PySide6.QtGui import QColor
from PySide6.QtWidgets import QLabel, QScrollArea, QStackedLayout, QVBoxLayout, QWidget

from north_hush.core.footage.stamps import US_PER_S
from north_hush.core.site import edits
from north_hush.desk.deck import Deck
from north_hush.desk.look.roles import Theme, faded
from north_hush.desk.session import Session
from north_hush.desk.trace.lane import AXIS_PX, LanePlot, Spans, TimeBox

_RIBBON_PX, _LANE_LEAST_PX, _AXIS_HEIGHT_PX = 22, 43, 20
_drags = count()


class TracePane(QWidget):
    """Levels and alarms of the recording that is on; limits can be dragged, times picked."""

    time_picked = Signal(float)

    def __init__(self, session: Session, deck: Deck, theme: Theme, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setObjectName("ground")
        self.setAccessibleName("Trace")
        self._session, self._deck, self._theme = session, deck, theme
        self._drag = ""
        self._shown_recording = ""
        self.lanes: list[LanePlot] = []
        self._graphics = pg.GraphicsLayoutWidget()
        self._graphics.ci.layout.setSpacing(2)
        self._graphics.ci.layout.setContentsMargins(0, 2, 8, 2)
        self._graphics.setToolTip(
            "Click: go there. Wheel: zoom. Middle button: pan. Drag the start (solid) and clear (dashed) lines."
        )
        self._ribbon_box = TimeBox()
        self._ribbon = self._graphics.addPlot(row=0, col=0, viewBox=self._ribbon_box)
        self._ribbon_spans = Spans()
        self._window = pg.LinearRegionItem(movable=True)
        self._ribbon_head = pg.InfiniteLine(angle=90, movable=False)
        self._make_ribbon()
        self._empty = QLabel("Levels and alarms over time appear here once a recording is analysed")
        self._empty.setProperty("role", "muted")
        self._empty.setAlignment(Qt.AlignmentFlag.AlignCenter)
        self._scroll = QScrollArea(widgetResizable=True)
        self._scroll.setWidget(self._graphics)
        holder = QWidget()
        self._stack = QStackedLayout(holder)
        self._stack.addWidget(self._empty)
        self._stack.addWidget(self._scroll)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.addWidget(holder)
        self.setMinimumHeight(120)
        deck.lanes_changed.connect(self.refresh)
        deck.frame_changed.connect(lambda _: self._show_time())
        deck.recording_changed.connect(self.refresh)
        self.time_picked.connect(deck.playhead.seek_s)
        self.dress(theme)

    def _make_ribbon(self) -> None:
        self._ribbon.hideAxis("bottom")
        self._ribbon.hideButtons()
        axis = self._ribbon.getAxis("left")
        axis.setWidth(AXIS_PX)
        axis.setStyle(showValues=False, tickLength=0)
        self._ribbon.setFixedHeight(_RIBBON_PX)
        for item in (self._ribbon_spans, self._window, self._ribbon_head):
            self._ribbon.addItem(item)
        self._ribbon_box.setYRange(0, 1, padding=0)
        self._ribbon_box.time_picked.connect(self.time_picked)
        self._window.sigRegionChanged.connect(self._on_window_dragged)

    def dress(self, theme: Theme) -> None:
        """Take the theme's colours."""
        self._theme = theme
        self._graphics.setBackground(QColor(theme.ground))
        self._ribbon.getAxis("left").setPen(pg.mkPen(theme.ground))
        self._window.setBrush(pg.mkBrush(faded(theme.text, 0.10)))
        self._window.setHoverBrush(pg.mkBrush(faded(theme.text, 0.16)))
        for line in self._window.lines:
            line.setPen(pg.mkPen(theme.muted, width=1))
        self._ribbon_head.setPen(pg.mkPen(theme.accent, width=1))
        for lane in self.lanes:
            lane.dress(theme)
        self.refresh()

    def refresh(self) -> None:
        """Draw the deck's lanes again."""
        evidence, lanes = self._deck.evidence, self._deck.lanes
        if evidence is None or not lanes or len(evidence.frames) == 0:
            self._stack.setCurrentIndex(0)
            self._shown_recording = ""
            return
        self._stack.setCurrentIndex(1)
        self._make_lanes(len(lanes))
        time_us = evidence.time_us
        bars = []
        for plot, lane in zip(self.lanes, lanes, strict=True):
            if len(lane.areas) != len(time_us):
                return  # lanes of an earlier part of the pass; newer ones are on their way
            item = self._session.view.item(lane.zone_id)
            plot.show_lane(lane, evidence.frames, getattr(item, "letter", ""))
            bars += [
                (time_us[alarm.start_frame] / US_PER_S, time_us[alarm.end_frame] / US_PER_S) for alarm in lane.alarms
            ]
        self._ribbon_spans.show_spans(np.array(sorted(bars), np.float64).reshape(-1, 2), 5.0, QColor(self._theme.alarm))
        self._set_extent()
        self._show_time()

    def _set_extent(self) -> None:
        """Limit zoom and pan to the recording; show all of a recording that was not shown before."""
        index, recording = self._deck.index, self._deck.recording
        if index is None or recording is None:
            return
        end_s = max(index.duration_s, 0.1)
        self._ribbon_box.setYRange(4.4, 5.1, padding=0)
        self._ribbon_box.setXRange(0, end_s, padding=0)
        for lane in self.lanes:
            lane.box.setLimits(xMin=0, xMax=end_s, minXRange=min(0.5, end_s))
        if self._shown_recording != recording.id:
            self._shown_recording = recording.id
            self.lanes[0].box.setXRange(0, end_s, padding=0)

    def _make_lanes(self, wanted: int) -> None:
        """Keep as many plots as there are lanes; the last one carries the time axis."""
        if len(self.lanes) == wanted:
            return
        while len(self.lanes) > wanted:
            self._graphics.removeItem(self.lanes.pop())
        while len(self.lanes) < wanted:
            lane = LanePlot(self._theme)
            lane.limit_dragged.connect(self._on_limit)
            lane.time_picked.connect(self.time_picked)
            self._graphics.addItem(lane, row=len(self.lanes) + 1, col=0)
            if self.lanes:
                lane.setXLink(self.lanes[0])
            else:
                lane.box.sigXRangeChanged.connect(self._on_zoom)
            self.lanes.append(lane)
        for place, lane in enumerate(self.lanes):
            lane.showAxis("bottom", place == wanted - 1)
        self._graphics.setMinimumHeight(_RIBBON_PX + wanted * _LANE_LEAST_PX + _AXIS_HEIGHT_PX)
        # The layout shrinks to its least size when plots come and go, and only a resize would stretch it again.
        QTimer.singleShot(0, lambda: self._graphics.ci.setGeometry(self._graphics.range))

    def stretch_us(self) -> tuple[int, int] | None:
        """First and last moment in view, in microseconds; None while nothing is shown."""
        if not self.lanes:
            return None
        start_s, end_s = self.lanes[0].box.viewRange()[0]
        return int(start_s * US_PER_S), int(end_s * US_PER_S) + 1

    def _show_time(self) -> None:
        index = self._deck.index
        if index is None:
            return
        seconds = float(index.time_us[self._deck.frame]) / US_PER_S
        self._ribbon_head.setValue(seconds)
        for lane in self.lanes:
            lane.show_time(seconds)

    def _on_zoom(self, _: object, window: tuple[float, float]) -> None:
        with QSignalBlocker(self._window):
            self._window.setRegion(window)

    def _on_window_dragged(self) -> None:
        if self.lanes:
            self.lanes[0].box.setXRange(*self._window.getRegion(), padding=0)

    def _on_limit(self, zone_id: str, field: str, percent: float, ended: bool) -> None:
        self._drag = self._drag or f"limit-{next(_drags)}"
        lane = next(lane for lane in self._deck.lanes if lane.zone_id == zone_id)
        label = "start" if field == "start_percent" else "clear"
        view_id = self._session.view_id
        self._session.do(
            f"Move {label} level of {lane.name}",
            lambda site: edits.set_dials(site, view_id, zone_id, **{field: percent}),
            self._drag,
        )
        if ended:
            self._drag = ""
            self.refresh()
