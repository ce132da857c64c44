"""Review: what happened at all cameras on one time line, its footage above, the marks played back to back."""

from __future__ import annotations

import time
from datetime import UTC, datetime, timedelta
from typing import Any

from PySide6.QtCore import QEvent, Qt, QTimer, Signal
from PySide6.QtGui import QKeyEvent
from PySide6.QtWidgets import QComboBox, QHBoxLayout, QLabel, QPushButton, QVBoxLayout, QWidget

from north_hush.core.errors import HushError
from north_hush.core.site.model import View
from north_hush.core.site.timeline import Timeline, timeline_of
from north_hush.core.watch.review import Mark, marks_of, played, recorded
from north_hush.core.watch.store import read_events, watch_folder
from north_hush.core.words import tr, trn
from north_hush.desk.look.panel import muted
from north_hush.desk.look.roles import Theme
from north_hush.desk.overview.pane import ViewPane
from north_hush.desk.session import Session
from north_hush.desk.watch.marks import MarkStrip, around
from north_hush.desk.workers.background import Background

_HOURS = (1.0, 8.0, 24.0, 168.0)
_TICK_MS = 100
_KEYS = (Qt.Key.Key_Left, Qt.Key.Key_Right, Qt.Key.Key_Space, Qt.Key.Key_Escape, Qt.Key.Key_Return, Qt.Key.Key_Enter)


class ReviewBoard(QWidget):
    """Left and Right go to the mark before and after, Space plays all from there on, Return opens it in Judge, Escape goes back."""

    ended = Signal()
    opened = Signal(str, str)
    """A view by id, and a recorded file."""

    def __init__(self, session: Session, theme: Theme, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._session, self._theme = session, theme
        self._background = Background(("review",), self)
        self._views: dict[str, View] = {}
        """Those with a camera, their recordings being what was recorded."""
        self._lines: dict[str, Timeline] = {}
        self.pane: ViewPane | None = None
        self._shown = ""
        self.on: int | None = None
        """The mark that is chosen."""
        self.moment: datetime | None = None
        self._runs: list[tuple[str, datetime, datetime]] = []
        self._ticked = 0.0
        self._tick = QTimer(self, interval=_TICK_MS)
        self._tick.timeout.connect(self._go_on)
        self.setObjectName("ground")
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName(tr("Review of all cameras"))
        self.strip = MarkStrip(theme)
        self.strip.chosen.connect(self.choose)
        self.strip.picked.connect(self.go_to)
        self.hours = QComboBox(toolTip=tr("How much of the past is shown"), accessibleName=tr("How much is shown"))
        for hours, words in zip(_HOURS, (tr("last hour"), tr("8 hours"), tr("a day"), tr("a week")), strict=True):
            self.hours.addItem(words, hours)
        self.hours.setCurrentIndex(2)
        self.hours.activated.connect(lambda _: self.look())
        self.play = QPushButton(
            tr("Play the marks"), toolTip=tr("One after the other, from the chosen one on  (space)")
        )
        self.play.clicked.connect(self.toggle)
        self.open = QPushButton(
            tr("Open in Judge"), toolTip=tr("What was recorded of it, as a recording of its view  (Return)")
        )
        self.open.clicked.connect(self._open)
        self.back = QPushButton(tr("Live"), toolTip=tr("Back to the board  (Escape)"))
        self.back.clicked.connect(self.ended.emit)
        self.said = QLabel(accessibleName=tr("What is shown"))
        self.nothing = muted("")
        self.nothing.setAlignment(Qt.AlignmentFlag.AlignCenter)
        self._room = QVBoxLayout()
        self._room.addWidget(self.nothing, 1)
        row = QHBoxLayout()
        for widget in (self.hours, self.play, self.open):
            row.addWidget(widget)
        row.addWidget(self.said, 1)
        row.addWidget(self.back)
        column = QVBoxLayout(self)
        column.setContentsMargins(8, 8, 8, 8)
        column.addLayout(self._room, 1)
        column.addWidget(self.strip)
        column.addLayout(row)

    def dress(self, theme: Theme) -> None:
        """Take the theme's colours."""
        self._theme = theme
        self.strip.dress(theme)
        if self.pane is not None:
            self.pane.dress(theme)

    # --- what there is ------------------------------------------------------------------------------------------------

    def look(self) -> None:
        """Read what happened, and show it."""
        self._stop()
        site, path, hours = self._session.site, self._session.path, float(self.hours.currentData())
        views = [view for view in site.views if view.camera is not None]
        self.nothing.setText(tr("Reading what happened…"))
        self._background.order("review", lambda: _read(views, path, hours), self._take, self._session.failed.emit)

    def _take(self, found: tuple[list[Mark], list[View]]) -> None:
        marks, views = found
        self._views = {view.id: view for view in views}
        self._lines = {view.id: timeline_of(view.recordings) for view in views}
        names = {view.id: view.names for view in views}
        rows = [(view.id, view.name, self._lines[view.id]) for view in views]
        span = around(marks, datetime.now(UTC), float(self.hours.currentData()))
        self.strip.show_all(rows, marks, names, span, self._session.site.zone)
        self.nothing.setText(
            tr("Nothing happened in this time.") if not marks
            else trn("{count} mark. Choose it, or play it.", "{count} marks. Choose one, or play them.", len(marks), count=len(marks))
        )  # fmt: skip
        self.play.setEnabled(bool(marks))
        self.on, self.moment = None, None
        self._show()

    @property
    def settled(self) -> bool:
        """True when all is read, and the picture that is wanted is there."""
        return self._background.idle and (self.pane is None or self.pane.settled)

    def clear(self) -> None:
        """End what decodes."""
        self._stop()
        self._put_on("")

    def close_worker(self) -> None:
        """End what runs."""
        self.clear()
        self._background.close()

    # --- where we are -------------------------------------------------------------------------------------------------

    def choose(self, number: int) -> None:
        """Go to a mark."""
        mark = self.strip.marks[number]
        self.on = number
        self._go(mark.view, mark.start)

    def go_to(self, view: str, moment: datetime) -> None:
        """Go to an instant of a camera, into its footage."""
        self._stop()
        self.on = None
        self._go(view, moment)

    def _go(self, view: str, moment: datetime) -> None:
        self.moment = moment
        self._put_on(view)
        self._show()

    def _put_on(self, view: str) -> None:
        if view == self._shown:
            return
        if self.pane is not None:
            self.pane.close_worker()
            self._room.removeWidget(self.pane)
            self.pane.deleteLater()
        self.pane, self._shown = None, view
        if view:
            self.pane = ViewPane(self._views[view], self._session.path, self._session.site.zone, self._theme)
            self._room.addWidget(self.pane, 1)
        self.nothing.setVisible(self.pane is None)

    def _show(self) -> None:
        if self.pane is not None and self.moment is not None:
            self.pane.show_moment(self._lines[self._shown], self.moment)
        self.strip.show_moment(self.moment, self.on)
        self.said.setText(self.strip.said(self.strip.marks[self.on]) if self.on is not None else "")
        self.open.setEnabled(self._file() is not None)

    def _file(self) -> str | None:
        """The recorded file at the instant that is shown."""
        if not self._shown or self.moment is None:
            return None
        piece = self._lines[self._shown].covering(self.moment)
        return next(
            (
                held.path
                for held in self._views[self._shown].recordings
                if piece is not None and held.id == piece.recording
            ),
            None,
        )

    def _open(self) -> None:
        file = self._file()
        if file is not None:
            self._stop()
            self.opened.emit(self._shown, file)

    # --- playing ------------------------------------------------------------------------------------------------------

    def toggle(self) -> None:
        """Play the marks from the chosen one on, or stop."""
        if self._tick.isActive():
            self._stop()
            return
        first = self.strip.marks[self.on].start if self.on is not None else datetime.min.replace(tzinfo=UTC)
        self._runs = [run for run in played(self.strip.marks) if run[2] >= first]
        if self._runs:
            self.play.setText(tr("Stop"))
            self._begin_run()
            self._tick.start()

    def _begin_run(self) -> None:
        view, start, end = self._runs[0]
        self.on = next(
            (n for n, mark in enumerate(self.strip.marks) if mark.view == view and start <= mark.start <= end), None
        )
        self._ticked = time.monotonic()
        self._go(view, start)

    def _stop(self) -> None:
        self._tick.stop()
        self.play.setText(tr("Play the marks"))

    def _go_on(self) -> None:
        """On by the time that went by; at the end of one the next one begins."""
        now = time.monotonic()
        passed, self._ticked = timedelta(seconds=now - self._ticked), now
        if not self.settled or self.moment is None:
            return
        self.moment += passed
        covered = self._lines[self._shown].covering(self.moment) is not None
        if self.moment >= self._runs[0][2] or (not covered and self.moment > self._runs[0][1] + timedelta(seconds=3)):
            self._runs.pop(0)
            if not self._runs:
                self._stop()
                return
            self._begin_run()
            return
        self._show()

    # --- keys ---------------------------------------------------------------------------------------------------------

    def event(self, event: QEvent) -> bool:
        if event.type() == QEvent.Type.ShortcutOverride and isinstance(event, QKeyEvent) and event.key() in _KEYS:
            event.accept()
        return super().event(event)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        key, count = event.key(), len(self.strip.marks)
        if key == Qt.Key.Key_Escape:
            self.ended.emit()
        elif key == Qt.Key.Key_Space and count:
            self.toggle()
        elif key in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            self._open()
        elif key in (Qt.Key.Key_Left, Qt.Key.Key_Right) and count:
            way = 1 if key == Qt.Key.Key_Right else -1
            self._stop()
            self.choose(min(max((self.on if self.on is not None else -1 if way > 0 else count) + way, 0), count - 1))
        else:
            super().keyPressEvent(event)


def _read(views: list[View], path: Any, hours: float) -> tuple[list[Mark], list[View]]:
    """Marks of the last hours, and the views with what was recorded."""
    since = datetime.now(UTC) - timedelta(hours=hours)
    try:
        events = list(read_events(watch_folder(path) / "events.sqlite", round(since.timestamp() * 1e6)))
    except HushError:
        events = []  # nothing was watched yet
    return marks_of(events, views), [recorded(events, view) for view in views]
