"""The three lanes of outcome under the trace: clips, snapshots and notices; what is held back is hollow and says why."""

from __future__ import annotations

from PySide6.QtCore import QEvent, QPointF, QRectF, QSize, Qt, Signal
from PySide6.QtGui import QColor, QHelpEvent, QMouseEvent, QPainter, QPaintEvent, QPen, QPolygonF
from PySide6.QtWidgets import QToolTip, QWidget

from north_hush.core.footage.stamps import US_PER_S, clock_text
from north_hush.core.outcome.clips import WHY_WORDS
from north_hush.core.outcome.replay import Replayed
from north_hush.core.words import tr
from north_hush.desk.look.roles import Theme, faded
from north_hush.desk.look.style import text_font
from north_hush.desk.trace.plot import AXIS_PX

_ROW_PX, _RIGHT_PX = 20, 8
_LEAST_PX, _FLAG_PX = 3, 4
NOTICE_WORDS = {
    "told": "told",
    "collected": tr("told together"),
    "unanswered": tr("told on, nobody answered"),
    "interval": tr("held back: within the interval"),
    "hours": tr("held back: not in these hours"),
    "kind": tr("held back: not of a kind that is told"),
}


class OutcomeLanes(QWidget):
    """Shows one replay over the stretch that the trace shows; a click goes to that time."""

    time_picked = Signal(float)

    def __init__(self, theme: Theme, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._theme = theme
        self._led: Replayed | None = None
        self._names: dict[str, str] = {}
        self._span_s, self._now_s = (0.0, 1.0), 0.0
        self.setAccessibleName(tr("Clips, snapshots and notices over time"))
        self.setFixedHeight(3 * _ROW_PX + 4)

    def sizeHint(self) -> QSize:
        return QSize(400, 3 * _ROW_PX + 4)

    def dress(self, theme: Theme) -> None:
        """Take the theme's colours."""
        self._theme = theme
        self.update()

    def show_replay(self, led: Replayed | None, names: dict[str, str]) -> None:
        """Show what alarms lead to; None while that is not known."""
        self._led, self._names = led, names
        self.setAccessibleDescription("; ".join(self.captions()) if led is not None else tr("Not known yet"))
        self.update()

    def show_span(self, start_s: float, end_s: float) -> None:
        """Show a stretch, as the trace does."""
        self._span_s = (start_s, max(end_s, start_s + 1e-3))
        self.update()

    def show_time(self, seconds: float) -> None:
        """Move the playhead."""
        self._now_s = seconds
        self.update()

    def captions(self) -> tuple[str, str, str]:
        """What stands in each lane, in words."""
        led = self._led
        if led is None:
            return tr("Clips"), tr("Snapshots"), tr("Notices")
        clips = sum(clip.kept for clip in led.clips)
        sent = sum(notice.sent for notice in led.notices)

        def back(count: int) -> str:
            return tr(", {count} held back", count=count) if count else ""

        return (
            tr("Clips  {clips}{back}", clips=clips, back=back(len(led.clips) - clips)),
            tr("Snapshots  {count}", count=len(led.snapshots)),
            tr("Notices  {sent}{back}", sent=sent, back=back(len(led.notices) - sent)),
        )

    # --- where things are -------------------------------------------------------------------------------------------

    def _x_of(self, us: float) -> float:
        start, end = self._span_s
        return AXIS_PX + (us / US_PER_S - start) / (end - start) * max(1, self.width() - AXIS_PX - _RIGHT_PX)

    def _seconds_at(self, x: float) -> float:
        start, end = self._span_s
        return start + (x - AXIS_PX) / max(1, self.width() - AXIS_PX - _RIGHT_PX) * (end - start)

    def _box(self, row: int, start_us: float, end_us: float) -> QRectF:
        left, right = self._x_of(start_us), self._x_of(end_us)
        return QRectF(left, 2 + row * _ROW_PX + 5, max(right - left, _LEAST_PX), _ROW_PX - 8)

    def said_at(self, at: QPointF) -> str:
        """What lies at a place, in words; '' where nothing does."""
        led, row = self._led, int((at.y() - 2) // _ROW_PX)
        if led is None:
            return ""
        if row == 0:
            for clip in led.clips:
                if self._box(0, clip.start_us, clip.end_us).adjusted(-2, -6, 2, 6).contains(at):
                    length = (clip.end_us - clip.start_us) / US_PER_S
                    return tr(
                        "{clock_text}, {length:.1f} s, {count} alarms: {why_words}",
                        clock_text=clock_text(clip.start_us),
                        length=length,
                        count=len(clip.alarms),
                        why_words=WHY_WORDS[clip.why],
                    )
        if row == 1:
            for shot in led.snapshots:
                if abs(self._x_of(shot.at_us) - at.x()) <= _LEAST_PX:
                    return tr(
                        "Snapshot at {clock_text}, {name}",
                        clock_text=clock_text(shot.at_us),
                        name=self._name(shot.alarm),
                    )
        if row == 2:
            for notice in led.notices:
                if abs(self._x_of(notice.at_us) - at.x()) <= _FLAG_PX:
                    about = ", ".join(dict.fromkeys(self._name(number) for number in notice.alarms))
                    return f"{clock_text(notice.at_us)}, {notice.way}, {about}: {NOTICE_WORDS[notice.why]}"
        return ""

    def _name(self, alarm: int) -> str:
        assert self._led is not None
        item = self._led.alarms[alarm].item
        return self._names.get(item, item)

    # --- what the user does -----------------------------------------------------------------------------------------

    def mousePressEvent(self, event: QMouseEvent) -> None:
        if event.button() == Qt.MouseButton.LeftButton:
            self.time_picked.emit(max(0.0, self._seconds_at(event.position().x())))

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        if event.buttons() & Qt.MouseButton.LeftButton:
            self.time_picked.emit(max(0.0, self._seconds_at(event.position().x())))

    def event(self, event: QEvent) -> bool:
        if isinstance(event, QHelpEvent):
            said = self.said_at(QPointF(event.pos()))
            QToolTip.showText(
                event.globalPos(), said or "\n".join((*self.captions(), "What is held back is hollow")), self
            )
            return True
        return super().event(event)

    # --- painting ---------------------------------------------------------------------------------------------------

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        theme = self._theme
        painter.fillRect(self.rect(), QColor(theme.ground))
        painter.setPen(QPen(QColor(theme.rule), 1))
        for row in range(3):
            y = 2 + (row + 1) * _ROW_PX
            painter.drawLine(AXIS_PX, y, self.width() - _RIGHT_PX, y)
        if self._led is not None:
            painter.save()
            painter.setClipRect(QRectF(AXIS_PX, 0, self.width() - AXIS_PX - _RIGHT_PX, self.height()))
            self._paint_clips(painter, self._led)
            self._paint_snapshots(painter, self._led)
            self._paint_notices(painter, self._led)
            painter.restore()
        self._paint_captions(painter)
        painter.setPen(QPen(QColor(theme.accent), 1))
        x = self._x_of(self._now_s * US_PER_S)
        if x >= AXIS_PX:
            painter.drawLine(QPointF(x, 0), QPointF(x, self.height()))
        painter.end()

    def _paint_clips(self, painter: QPainter, led: Replayed) -> None:
        theme = self._theme
        for clip in led.clips:
            box = self._box(0, clip.start_us, clip.end_us)
            painter.setPen(QPen(QColor(theme.text if clip.kept else theme.muted), 1))
            painter.setBrush(faded(theme.text, 0.35) if clip.kept else Qt.BrushStyle.NoBrush)
            painter.drawRect(box.adjusted(0.5, 0.5, -0.5, -0.5))

    def _paint_snapshots(self, painter: QPainter, led: Replayed) -> None:
        painter.setPen(QPen(QColor(self._theme.text), 1))
        top = 2 + _ROW_PX + 6
        for shot in led.snapshots:
            x = self._x_of(shot.at_us)
            painter.drawLine(QPointF(x, top), QPointF(x, top + _ROW_PX - 10))

    def _paint_notices(self, painter: QPainter, led: Replayed) -> None:
        """Flags on a staff: solid where something is sent, two of them where several alarms go together, hollow where held back."""
        theme, top = self._theme, 2 + 2 * _ROW_PX + 4
        for notice in led.notices:
            x, colour = self._x_of(notice.at_us), QColor(theme.text if notice.sent else theme.muted)
            painter.setPen(QPen(colour, 1))
            painter.setBrush(colour if notice.sent else Qt.BrushStyle.NoBrush)
            painter.drawLine(QPointF(x, top), QPointF(x, top + _ROW_PX - 6))
            for flag in range(2 if len(notice.alarms) > 1 and notice.sent else 1):
                at = top + 5 * flag
                painter.drawPolygon(QPolygonF([QPointF(x, at), QPointF(x + 2 * _FLAG_PX, at + 2), QPointF(x, at + 4)]))

    def _paint_captions(self, painter: QPainter) -> None:
        """The name of each lane where the trace has its scales."""
        painter.setFont(text_font(12))
        painter.setPen(QColor(self._theme.muted))
        for row, caption in enumerate(self.captions()):
            box = QRectF(0, 2 + row * _ROW_PX + 2, AXIS_PX + 12, _ROW_PX - 3)
            painter.drawText(box, int(Qt.AlignmentFlag.AlignVCenter), caption.split()[0])
