"""The strip of a review: a row for each camera with its footage and its marks, told apart by form, and the instant that is shown."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from datetime import datetime, timedelta
from zoneinfo import ZoneInfo

from PySide6.QtCore import QEvent, QPointF, QRectF, QSize, Qt, Signal
from PySide6.QtGui import QColor, QHelpEvent, QMouseEvent, QPainter, QPaintEvent, QPen, QPolygonF, QWheelEvent
from PySide6.QtWidgets import QSizePolicy, QToolTip, QWidget

from north_hush.core.scene.plan import WHOLE_PICTURE_ID
from north_hush.core.site.beside import Span, span_around
from north_hush.core.site.timeline import Timeline
from north_hush.core.watch.review import Form, Mark
from north_hush.core.words import tr
from north_hush.desk.look.roles import Theme
from north_hush.desk.look.style import text_font
from north_hush.desk.watch.words import FAULT_WORDS

_ROW_PX, _LABEL_PX, _NAME_PX, _PAD_PX, _MARK_PX = 26, 18, 120, 8, 5
_ZOOM = 1.25
FORM_WORDS: dict[Form, str] = {
    "zone": tr("zone"), "wire": tr("wire"), "sensor": tr("sensor"), "fault": tr("fault"),
}  # fmt: skip


class MarkStrip(QWidget):
    """A press on a mark chooses it, elsewhere it goes to that instant of that camera."""

    chosen = Signal(int)
    """A mark, by its place."""
    picked = Signal(str, object)
    """A view and a datetime."""

    def __init__(self, theme: Theme, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._theme, self._zone = theme, ZoneInfo("UTC")
        self._rows: list[tuple[str, str, Timeline]] = []
        self.marks: Sequence[Mark] = ()
        self._names: Mapping[str, Mapping[str, str]] = {}
        self.span: Span | None = None
        self._whole: Span | None = None
        self._moment: datetime | None = None
        self._on: int | None = None
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.setMouseTracking(True)
        self.setAccessibleName(tr("Marks of all cameras"))

    def sizeHint(self) -> QSize:
        return QSize(400, _LABEL_PX + _ROW_PX * max(1, len(self._rows)))

    def dress(self, theme: Theme) -> None:
        """Take the theme's colours."""
        self._theme = theme
        self.update()

    def show_all(
        self,
        rows: Sequence[tuple[str, str, Timeline]],
        marks: Sequence[Mark],
        names: Mapping[str, Mapping[str, str]],
        span: Span,
        zone: ZoneInfo,
    ) -> None:
        """Show other rows (id and name of a view, and its footage), marks by time, names of items by view, and a span of time."""
        self._rows, self.marks, self._names, self._zone = list(rows), marks, names, zone
        self.span = self._whole = span
        self._on = None
        told = (f"{name}: {sum(mark.view == view for mark in marks)}" for view, name, _ in rows)
        self.setAccessibleDescription("; ".join(told))
        self.updateGeometry()
        self.update()

    def show_moment(self, moment: datetime | None, on: int | None) -> None:
        """Mark an instant, and the mark that is on."""
        self._moment, self._on = moment, on
        if (
            moment is not None
            and self.span is not None
            and self._whole is not None
            and not self.span[0] <= moment <= self.span[1]
        ):
            self.span = span_around(moment, self.span[1] - self.span[0], self._whole)
        self.update()

    # --- where things are ---------------------------------------------------------------------------------------------

    def x_of(self, moment: datetime) -> float:
        """Where an instant lies."""
        assert self.span is not None
        start, end = self.span
        return _NAME_PX + (moment - start) / (end - start) * max(1, self.width() - _NAME_PX - _PAD_PX)

    def y_of(self, view: str) -> float:
        """The middle of a camera's row."""
        place = next(place for place, row in enumerate(self._rows) if row[0] == view)
        return _LABEL_PX + _ROW_PX * (place + 0.5)

    def mark_at(self, at: QPointF) -> int | None:
        """The mark at a place; of several the last one."""
        near = [
            number
            for number, mark in enumerate(self.marks)
            if abs(self.y_of(mark.view) - at.y()) < _ROW_PX / 2
            and self.x_of(mark.start) - _MARK_PX - 2
            <= at.x()
            <= max(self.x_of(mark.end), self.x_of(mark.start)) + _MARK_PX + 2
        ]
        return near[-1] if near else None

    def said(self, mark: Mark) -> str:
        """A mark in words."""
        name = next((name for view, name, _ in self._rows if view == mark.view), "")
        whole = {WHOLE_PICTURE_ID: tr("the whole picture")}
        item = {**whole, **self._names.get(mark.view, {})}.get(mark.item, mark.item)
        what = FAULT_WORDS.get(mark.said, mark.said) or f"{item} ({FORM_WORDS[mark.form]})"
        lasts = (mark.end - mark.start).total_seconds()
        return tr("{at:%d %b %H:%M:%S}  {name}: {what}", at=mark.start.astimezone(self._zone), name=name, what=what) + (
            tr(", {lasts:.0f} s", lasts=lasts) if lasts else ""
        )

    # --- mouse --------------------------------------------------------------------------------------------------------

    def mousePressEvent(self, event: QMouseEvent) -> None:
        if self.span is None or not event.buttons() & Qt.MouseButton.LeftButton:
            return
        number = self.mark_at(event.position())
        if number is not None:
            self.chosen.emit(number)
            return
        row = int((event.position().y() - _LABEL_PX) // _ROW_PX)
        if 0 <= row < len(self._rows) and event.position().x() >= _NAME_PX:
            start, end = self.span
            share = (event.position().x() - _NAME_PX) / max(1, self.width() - _NAME_PX - _PAD_PX)
            self.picked.emit(self._rows[row][0], start + (end - start) * share)

    def wheelEvent(self, event: QWheelEvent) -> None:
        """Less or more of the time around the instant that is shown, else around the mouse."""
        turns, share = (
            event.angleDelta().y() / 120,
            (event.position().x() - _NAME_PX) / max(1, self.width() - _NAME_PX - _PAD_PX),
        )
        if self.span is not None and self._whole is not None and turns:
            length = self.span[1] - self.span[0]
            at = self._moment or self.span[0] + length * min(max(share, 0.0), 1.0)
            self.span = span_around(at, length * _ZOOM**-turns, self._whole)
            self.update()
        event.accept()

    def event(self, event: QEvent) -> bool:
        if isinstance(event, QHelpEvent) and event.type() == QEvent.Type.ToolTip and self.span is not None:
            number = self.mark_at(QPointF(event.pos()))
            if number is None:
                QToolTip.hideText()
            else:
                mark = self.marks[number]
                shown = f'<br><img src="{mark.picture}" width="240">' if mark.picture else ""
                QToolTip.showText(event.globalPos(), f"<p style='white-space:pre'>{self.said(mark)}</p>{shown}", self)
            return True
        return super().event(event)

    # --- painting -----------------------------------------------------------------------------------------------------

    def paintEvent(self, event: QPaintEvent) -> None:
        painter, theme = QPainter(self), self._theme
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        if self.span is None:
            return
        right = self.width() - _PAD_PX
        painter.setFont(text_font(12))
        for view, name, timeline in self._rows:
            middle = self.y_of(view)
            painter.setPen(QColor(theme.text))
            fits = painter.fontMetrics().elidedText(name, Qt.TextElideMode.ElideRight, _NAME_PX - 12)
            painter.drawText(QRectF(_PAD_PX, middle - 10, _NAME_PX, 20), Qt.AlignmentFlag.AlignVCenter, fits)
            painter.setPen(QPen(QColor(theme.rule), 1))
            painter.drawLine(QPointF(_NAME_PX, middle), QPointF(right, middle))
            for piece in timeline.pieces:
                if piece.end >= self.span[0] and piece.start <= self.span[1]:
                    low, high = max(_NAME_PX, self.x_of(piece.start)), min(right, self.x_of(piece.end))
                    painter.fillRect(QRectF(low, middle + 7, max(2.0, high - low), 3), QColor(theme.level))
        painter.setPen(QColor(theme.muted))
        line = QRectF(_NAME_PX, 0, right - _NAME_PX, _LABEL_PX)
        for moment, side in zip(self.span, (Qt.AlignmentFlag.AlignLeft, Qt.AlignmentFlag.AlignRight), strict=True):
            said = tr("{at:%d %b  %H:%M:%S}", at=moment.astimezone(self._zone))
            painter.drawText(line, side | Qt.AlignmentFlag.AlignVCenter, said)
        for number, mark in enumerate(self.marks):
            if mark.end < self.span[0] or mark.start > self.span[1]:
                continue
            self._paint_mark(painter, mark, on=number == self._on)
        if self._moment is not None and self.span[0] <= self._moment <= self.span[1]:
            x = self.x_of(self._moment)
            painter.setPen(QPen(QColor(theme.accent), 1.5))
            painter.drawLine(QPointF(x, _LABEL_PX), QPointF(x, self.height()))

    def _paint_mark(self, painter: QPainter, mark: Mark, *, on: bool) -> None:
        """A zone is a triangle, a wire a rhomb, a sensor a round, a fault a cross; how long it lasts is a line."""
        theme, x, y = self._theme, self.x_of(mark.start), self.y_of(mark.view) - 1
        colour = QColor(theme.warning if mark.form == "fault" else theme.alarm)
        painter.setPen(QPen(QColor(theme.text) if on else colour, 2 if on else 1.4))
        painter.setBrush(colour if mark.form != "fault" else Qt.BrushStyle.NoBrush)
        if mark.end > mark.start:
            painter.drawLine(QPointF(x, y + _MARK_PX), QPointF(max(x + 1, self.x_of(mark.end)), y + _MARK_PX))
        r = _MARK_PX
        if mark.form == "zone":
            painter.drawPolygon(QPolygonF([QPointF(x, y - r), QPointF(x + r, y + r), QPointF(x - r, y + r)]))
        elif mark.form == "wire":
            painter.drawPolygon(QPolygonF([QPointF(x, y - r), QPointF(x + r, y), QPointF(x, y + r), QPointF(x - r, y)]))
        elif mark.form == "sensor":
            painter.drawEllipse(QPointF(x, y), r - 1, r - 1)
        else:
            painter.drawLine(QPointF(x - r, y - r), QPointF(x + r, y + r))
            painter.drawLine(QPointF(x - r, y + r), QPointF(x + r, y - r))


def around(marks: Sequence[Mark], until: datetime, hours: float) -> Span:
    """The span of some hours that ends now, or with the last mark where that is later."""
    end = max([until, *(mark.end for mark in marks)])
    return end - timedelta(hours=hours), end
