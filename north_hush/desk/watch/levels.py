"""Levels of a live camera over the last minutes, each zone and wire in a row of its own with its start level."""

from __future__ import annotations

from collections import deque
from datetime import datetime, timedelta

from PySide6.QtCore import QPointF, QRect, QSize, Qt
from PySide6.QtGui import QColor, QPainter, QPaintEvent, QPen, QPolygonF
from PySide6.QtWidgets import QSizePolicy, QWidget

from north_hush.core.site.model import View
from north_hush.core.words import tr
from north_hush.desk.look.roles import Theme
from north_hush.desk.look.style import text_font

SHOWN = timedelta(minutes=10)
_ROWS_MOST, _ROW_PX, _NAME_PX, _VALUE_PX = 4, 44, 110, 64


class LevelStrip(QWidget):
    """Keeps what every camera said, and shows one."""

    def __init__(self, theme: Theme, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._theme = theme
        self._held: dict[str, deque[tuple[datetime, dict[str, float]]]] = {}
        self.view: View | None = None
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.setAccessibleName(tr("Levels of the last ten minutes"))

    def sizeHint(self) -> QSize:
        rows = 0 if self.view is None else min(_ROWS_MOST, len(self.view.watchers))
        return QSize(400, 28 + rows * _ROW_PX if rows else 0)

    def dress(self, theme: Theme) -> None:
        """Take the theme's colours."""
        self._theme = theme
        self.update()

    def take(self, view_id: str, at: datetime, levels: dict[str, float]) -> None:
        """Levels of a camera at an instant."""
        held = self._held.setdefault(view_id, deque())
        held.append((at, levels))
        while held and held[0][0] < at - SHOWN:
            held.popleft()
        if self.view is not None and self.view.id == view_id:
            self.update()

    def peaks(self, view_id: str, since: datetime) -> dict[str, float]:
        """The highest level of each item since an instant."""
        found: dict[str, float] = {}
        for at, levels in self._held.get(view_id, ()):
            for item, level in levels.items() if at >= since else ():
                found[item] = max(found.get(item, 0.0), level)
        return found

    def show_view(self, view: View | None) -> None:
        """Show the levels of a view."""
        self.view = view
        self.setVisible(view is not None and bool(view.watchers))
        self.updateGeometry()
        self.update()

    def paintEvent(self, event: QPaintEvent) -> None:
        view = self.view
        if view is None:
            return
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.fillRect(self.rect(), QColor(self._theme.surface))
        painter.setFont(text_font(12))
        painter.setPen(QColor(self._theme.muted))
        more = len(view.watchers) - _ROWS_MOST
        title = tr("{name}: levels, last 10 min", name=view.name) + (
            tr("; {more} more not shown", more=more) if more > 0 else ""
        )
        painter.drawText(QRect(12, 4, self.width() - 24, 18), int(Qt.AlignmentFlag.AlignVCenter), title)
        held = self._held.get(view.id, deque())
        now = held[-1][0] if held else datetime.now().astimezone()
        for row, watcher in enumerate(view.watchers[:_ROWS_MOST]):
            place = QRect(12, 24 + row * _ROW_PX, self.width() - 24, _ROW_PX - 4)
            self._paint_row(painter, place, watcher.id, watcher.name, now, held)
        painter.end()

    def _paint_row(
        self,
        painter: QPainter,
        place: QRect,
        item: str,
        name: str,
        now: datetime,
        held: deque[tuple[datetime, dict[str, float]]],
    ) -> None:
        assert self.view is not None
        theme, start = self._theme, self.view.tuning.of(item).start_percent
        room = place.adjusted(_NAME_PX, 2, -_VALUE_PX, -2)
        levels = [(at, values[item]) for at, values in held if item in values]
        top = max([start * 1.5, 1.0, *(level for _, level in levels)])
        painter.setPen(QColor(theme.text))
        metrics = painter.fontMetrics()
        label = metrics.elidedText(name, Qt.TextElideMode.ElideRight, _NAME_PX - 8)
        painter.drawText(place, int(Qt.AlignmentFlag.AlignVCenter), label)
        value = f"{levels[-1][1]:.1f} %" if levels else tr("no picture")
        right = QRect(room.right() + 6, place.top(), _VALUE_PX - 6, place.height())
        painter.drawText(right, int(Qt.AlignmentFlag.AlignVCenter | Qt.AlignmentFlag.AlignRight), value)
        painter.setPen(QPen(QColor(theme.rule), 1))
        painter.drawLine(room.bottomLeft(), room.bottomRight())
        limit = room.bottom() - room.height() * start / top
        painter.setPen(QPen(QColor(theme.limit), 1, Qt.PenStyle.DashLine))
        painter.drawLine(QPointF(room.left(), limit), QPointF(room.right(), limit))
        painter.setPen(QPen(QColor(theme.level), 1.5))
        points = [
            QPointF(
                room.right() - room.width() * (now - at).total_seconds() / SHOWN.total_seconds(),
                room.bottom() - room.height() * min(level, top) / top,
            )
            for at, level in levels
        ]
        painter.drawPolyline(QPolygonF(points))
