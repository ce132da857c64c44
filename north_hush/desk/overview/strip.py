"""Where each of several views has footage, a line each, and the instant that is shown."""

from __future__ import annotations

from collections.abc import Sequence
from datetime import datetime, timedelta
from zoneinfo import ZoneInfo

from PySide6.QtCore import QPointF, QRectF, QSize, Qt, Signal
from PySide6.QtGui import QColor, QMouseEvent, QPainter, QPaintEvent, QPen, QWheelEvent
from PySide6.QtWidgets import QSizePolicy, QWidget

from north_hush.core.site.beside import span_around, whole_span
from north_hush.core.site.timeline import Timeline
from north_hush.core.words import tr
from north_hush.desk.look.roles import Theme
from north_hush.desk.look.style import text_font

_ROW_PX, _LABEL_PX, _PAD_PX = 7, 16, 8
_ZOOM = 1.25


class FootageStrip(QWidget):
    """A press or a drag goes to an instant; the wheel shows less or more around it."""

    picked = Signal(object)
    """A datetime."""

    def __init__(self, theme: Theme, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._theme, self._zone = theme, ZoneInfo("UTC")
        self._timelines: Sequence[Timeline] = ()
        self._whole: tuple[datetime, datetime] | None = None
        self.span: tuple[datetime, datetime] | None = None
        """What is shown of it."""
        self._moment: datetime | None = None
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.setAccessibleName(tr("Where the views have footage"))
        self.setToolTip(tr("Press to go to an instant; the wheel shows less or more of the time"))

    def sizeHint(self) -> QSize:
        return QSize(300, _LABEL_PX + _ROW_PX * max(1, len(self._timelines)) + 4)

    def dress(self, theme: Theme) -> None:
        """Take the theme's colours."""
        self._theme = theme
        self.update()

    def show_timelines(self, names: Sequence[str], timelines: Sequence[Timeline], zone: ZoneInfo) -> None:
        """Show other views, in the order of their panes."""
        self._timelines, self._zone = timelines, zone
        self._whole = self.span = whole_span(timelines)
        counts = (
            tr("{name}: {count} recordings", name=name, count=len(timeline.pieces))
            for name, timeline in zip(names, timelines, strict=True)
        )
        self.setAccessibleDescription("; ".join(counts))
        self.updateGeometry()
        self.update()

    def show_moment(self, moment: datetime | None) -> None:
        """Mark an instant; what is shown moves so that it is in it."""
        self._moment = moment
        if moment is not None and self.span is not None and not self.span[0] <= moment <= self.span[1]:
            self._show_around(moment, self.span[1] - self.span[0])
        self.update()

    def _show_around(self, moment: datetime, length: timedelta) -> None:
        """Show a stretch with an instant in its middle, as far as there is any."""
        assert self._whole is not None
        self.span = span_around(moment, length, self._whole)

    # --- where things are -------------------------------------------------------------------------------------------

    def x_of(self, moment: datetime) -> float:
        """Where an instant lies."""
        assert self.span is not None
        start, end = self.span
        share = (moment - start) / (end - start) if end > start else 0.0
        return _PAD_PX + share * max(1, self.width() - 2 * _PAD_PX)

    def _moment_at(self, x: float) -> datetime | None:
        if self.span is None:
            return None
        start, end = self.span
        return start + (end - start) * ((x - _PAD_PX) / max(1, self.width() - 2 * _PAD_PX))

    # --- mouse --------------------------------------------------------------------------------------------------------

    def mousePressEvent(self, event: QMouseEvent) -> None:
        moment = self._moment_at(event.position().x())
        if moment is not None and event.buttons() & Qt.MouseButton.LeftButton:
            self.picked.emit(moment)

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        self.mousePressEvent(event)

    def wheelEvent(self, event: QWheelEvent) -> None:
        turns = event.angleDelta().y() / 120
        if self.span is not None and self._moment is not None and turns:
            self._show_around(self._moment, (self.span[1] - self.span[0]) * _ZOOM**-turns)
            self.update()
        event.accept()

    def paintEvent(self, event: QPaintEvent) -> None:
        painter, theme = QPainter(self), self._theme
        if self.span is None:
            return
        for row, timeline in enumerate(self._timelines):
            middle = _LABEL_PX + _ROW_PX * row + _ROW_PX / 2
            painter.setPen(QPen(QColor(theme.rule), 1))
            painter.drawLine(QPointF(_PAD_PX, middle), QPointF(self.width() - _PAD_PX, middle))
            for piece in timeline.pieces:
                if piece.end >= self.span[0] and piece.start <= self.span[1]:
                    left, right = (
                        max(_PAD_PX, self.x_of(piece.start)),
                        min(self.width() - _PAD_PX, self.x_of(piece.end)),
                    )
                    painter.fillRect(QRectF(left, middle - 2, max(2.0, right - left), 4), QColor(theme.level))
        painter.setFont(text_font(12))
        painter.setPen(QColor(theme.muted))
        line = QRectF(_PAD_PX, 0, self.width() - 2 * _PAD_PX, _LABEL_PX)
        for moment, side in zip(self.span, (Qt.AlignmentFlag.AlignLeft, Qt.AlignmentFlag.AlignRight), strict=True):
            painter.drawText(
                line, side | Qt.AlignmentFlag.AlignVCenter, tr("{at:%d %b  %H:%M:%S}", at=moment.astimezone(self._zone))
            )
        if self._moment is not None:
            x = self.x_of(self._moment)
            painter.setPen(QPen(QColor(theme.accent), 2))
            painter.drawLine(QPointF(x, _LABEL_PX - 2), QPointF(x, self.height()))
