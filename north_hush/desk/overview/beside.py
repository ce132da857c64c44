"""Several views side by side at one instant, in step: a pane each, one clock, and a strip of where each has footage."""

from __future__ import annotations

import math
import time
from collections.abc import Sequence
from datetime import datetime, timedelta

from PySide6.QtCore import QEvent, QSize, Qt, QTimer, Signal
from PySide6.QtGui import QKeyEvent
from PySide6.QtWidgets import (
    QComboBox,
    QGridLayout,
    QHBoxLayout,
    QLabel,
    QPushButton,
    QToolButton,
    QVBoxLayout,
    QWidget,
)

from north_hush.core.evaluate.recordings import dated_timeline
from north_hush.core.site.beside import fullest, going_on, whole_span
from north_hush.core.site.model import View
from north_hush.core.site.timeline import Timeline
from north_hush.core.words import tr
from north_hush.desk.look.roles import Theme
from north_hush.desk.look.style import icon
from north_hush.desk.overview.pane import ViewPane
from north_hush.desk.overview.strip import FootageStrip
from north_hush.desk.picture.transport import SPEEDS
from north_hush.desk.session import Session
from north_hush.desk.workers.background import Background

MOST = 9
"""Each pane decodes in a process of its own."""
_TICK_MS = 100
_STEPS_S = {Qt.Key.Key_Left: -1.0, Qt.Key.Key_Right: 1.0, Qt.Key.Key_PageUp: -10.0, Qt.Key.Key_PageDown: 10.0}
_OWN_KEYS = (*_STEPS_S, Qt.Key.Key_Home, Qt.Key.Key_End, Qt.Key.Key_Space, Qt.Key.Key_Escape)


class SideBySide(QWidget):
    """Shows views from the instant on at which most of them have footage. Space plays, Left and Right go a second, Page Up and Page
    Down ten, Home and End to the ends, Escape goes back."""

    ended = Signal()
    opened = Signal(str, str, float)
    """A view and a recording of it, by id, and the second of it that is shown."""

    def __init__(self, session: Session, theme: Theme, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._session, self._theme = session, theme
        self._background = Background(("dates",), self)
        self._panes: list[ViewPane] = []
        self._timelines: list[Timeline] = []
        self.moment: datetime | None = None
        self._ticked = 0.0
        self._tick = QTimer(self, interval=_TICK_MS)
        self._tick.timeout.connect(self._go_on)
        self.setObjectName("ground")
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName(tr("Views side by side"))
        self._grid = QGridLayout()
        self._grid.setSpacing(8)
        self.play = QToolButton(toolTip=tr("Play or pause  (space)"), accessibleName=tr("Play"), iconSize=QSize(18, 18))
        self.play.clicked.connect(self.toggle)
        self.speed = QComboBox(
            toolTip=tr("Playing speed, as a multiple of real time"), accessibleName=tr("Playing speed")
        )
        for speed in SPEEDS:
            self.speed.addItem(f"{speed:g}×", speed)
        self.speed.setCurrentIndex(SPEEDS.index(1.0))
        self.clock = QLabel("", accessibleName=tr("The instant that is shown"))
        self.back = QPushButton(tr("All views"), toolTip=tr("Back to the cards  (Escape)"))
        self.back.clicked.connect(self.ended.emit)
        self.strip = FootageStrip(theme)
        self.strip.picked.connect(self.go_to)
        row = QHBoxLayout()
        for widget in (self.play, self.speed, self.clock):
            row.addWidget(widget)
        row.addStretch(1)
        row.addWidget(self.back)
        column = QVBoxLayout(self)
        column.setContentsMargins(8, 8, 8, 8)
        column.addLayout(self._grid, 1)
        column.addWidget(self.strip)
        column.addLayout(row)
        self.dress(theme)

    def dress(self, theme: Theme) -> None:
        """Take the theme's colours."""
        self._theme = theme
        self.play.setIcon(icon("pause" if self._tick.isActive() else "play", theme))
        self.strip.dress(theme)
        for pane in self._panes:
            pane.dress(theme)

    def show_views(self, views: Sequence[View]) -> None:
        """Show these views, the first ones where they are too many, once it is known when their footage was taken."""
        self.clear()
        zone, path = self._session.site.zone, self._session.path
        across = math.ceil(math.sqrt(len(views[:MOST])))
        for place, view in enumerate(views[:MOST]):
            pane = ViewPane(view, self._session.path, zone, self._theme)
            pane.opened.connect(self.opened)
            self._panes.append(pane)
            self._grid.addWidget(pane, place // across, place % across)
        shown = list(views[:MOST])
        self.clock.setText(tr("Looking when footage was taken…"))
        self._background.order(
            "dates",
            lambda: [dated_timeline(view, path, zone) for view in shown],
            self._take,
            self._session.failed.emit,
        )

    def _take(self, timelines: list[Timeline]) -> None:
        self._timelines = timelines
        self.strip.show_timelines([pane.accessibleName() for pane in self._panes], timelines, self._session.site.zone)
        self.moment = fullest(timelines)
        self._show()

    def clear(self) -> None:
        """End what decodes."""
        self._stop()
        self._background.drop()
        for pane in self._panes:
            pane.close_worker()
            self._grid.removeWidget(pane)
            pane.hide()
            pane.deleteLater()
        self._panes, self._timelines, self.moment = [], [], None

    @property
    def settled(self) -> bool:
        """True when every pane shows what it should."""
        return self._background.idle and all(pane.settled for pane in self._panes)

    def close_worker(self) -> None:
        """End what runs."""
        self.clear()
        self._background.close()

    @property
    def panes(self) -> Sequence[ViewPane]:
        """In the order they are shown."""
        return self._panes

    # --- the clock --------------------------------------------------------------------------------------------------

    def go_to(self, moment: datetime) -> None:
        """Show another instant, within the footage there is."""
        span = whole_span(self._timelines)
        if span is not None:
            self.moment = min(max(moment, span[0]), span[1] - timedelta(milliseconds=1))
            self._show()

    def toggle(self) -> None:
        """Play, or stop."""
        if self._tick.isActive():
            self._stop()
        elif self.moment is not None:
            self._ticked = time.monotonic()
            self._tick.start()
        self.dress(self._theme)

    def _stop(self) -> None:
        self._tick.stop()
        self.dress(self._theme)

    def _go_on(self) -> None:
        """On by the time that went by. Where no view has footage it goes on where the next one does."""
        now = time.monotonic()
        passed_s, self._ticked = (now - self._ticked) * float(self.speed.currentData()), now
        if not self.settled or self.moment is None:
            return  # all wait for the slowest, so that they stay in step
        following = going_on(self._timelines, self.moment + timedelta(seconds=passed_s))
        if following is None:
            self._stop()
            return
        self.moment = following
        self._show()

    def _show(self) -> None:
        for pane, timeline in zip(self._panes, self._timelines, strict=True):
            pane.show_moment(timeline, self.moment)
        zone = self._session.site.zone
        words = (
            tr("No view has dated footage.")
            if self.moment is None
            else tr("{at:%a %d %b %Y  %H:%M:%S}", at=self.moment.astimezone(zone))
        )
        self.clock.setText(words)
        self.strip.show_moment(self.moment)

    def event(self, event: QEvent) -> bool:
        if event.type() == QEvent.Type.ShortcutOverride and isinstance(event, QKeyEvent) and event.key() in _OWN_KEYS:
            event.accept()  # elsewhere these keys move the recording that is on
        return super().event(event)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        key, span = Qt.Key(event.key()), whole_span(self._timelines)
        if key == Qt.Key.Key_Escape:
            self.ended.emit()
        elif key == Qt.Key.Key_Space:
            self.toggle()
        elif key in _STEPS_S and self.moment is not None:
            self.go_to(self.moment + timedelta(seconds=_STEPS_S[key]))
        elif key in (Qt.Key.Key_Home, Qt.Key.Key_End) and span is not None:
            self.go_to(span[0] if key == Qt.Key.Key_Home else span[1])
        else:
            super().keyPressEvent(event)
