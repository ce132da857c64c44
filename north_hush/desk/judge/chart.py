"""Alarms by hour of the day or by day as bars: what was real solid, nuisances hollow, what nobody judged hatched."""

from __future__ import annotations

from PySide6.QtCore import QEvent, QPointF, QRectF, Qt
from PySide6.QtGui import QBrush, QColor, QHelpEvent, QPainter, QPaintEvent, QPen
from PySide6.QtWidgets import QToolTip, QWidget

from north_hush.core.judge.when import Bar
from north_hush.core.words import tr
from north_hush.desk.look.roles import Theme
from north_hush.desk.look.style import text_font

_LABEL_PX = 18
_LABEL_GAP_PX = 44


class WhenChart(QWidget):
    """The chart itself. Hours without footage are dotted on the ground line: nothing is known of them."""

    def __init__(self, theme: Theme, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._theme = theme
        self.bars: list[Bar] = []
        self.setMinimumHeight(110)
        self.setAccessibleName(tr("Alarms by time"))
        self.setToolTip(tr("Alarms by hour of the day or by day, in UTC; point at a bar for its numbers"))

    def dress(self, theme: Theme) -> None:
        """Take the theme's colours."""
        self._theme = theme
        self.update()

    def show_bars(self, bars: list[Bar]) -> None:
        """Show bars from left to right."""
        self.bars = bars
        self.update()

    def _step(self) -> float:
        return self.width() / max(1, len(self.bars))

    def event(self, event: QEvent) -> bool:
        if event.type() == QEvent.Type.ToolTip and isinstance(event, QHelpEvent) and self.bars:
            place = min(len(self.bars) - 1, max(0, int(event.pos().x() / self._step())))
            QToolTip.showText(event.globalPos(), bar_text(self.bars[place]), self)
            return True
        return super().event(event)

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        theme = self._theme
        painter.setFont(text_font(12))
        painter.setPen(QColor(theme.muted))
        if not any(bar.footage_s for bar in self.bars):
            flags = Qt.AlignmentFlag.AlignCenter | Qt.TextFlag.TextWordWrap
            painter.drawText(self.rect(), flags, tr("When the recordings were taken is not known"))
            return
        ground, step = self.height() - _LABEL_PX, self._step()
        most = max(1, *(bar.alarms for bar in self.bars))
        scale = (ground - _LABEL_PX) / most
        painter.drawText(
            QRectF(0, 0, self.width(), _LABEL_PX), Qt.AlignmentFlag.AlignLeft, tr("most {most}", most=most)
        )
        every = max(1, round(_LABEL_GAP_PX / step)) if len(self.bars) > 1 else 1
        for place, bar in enumerate(self.bars):
            left, width = place * step + 1, min(36.0, max(2.0, step - 2))
            self._paint_bar(painter, bar, left, width, ground, scale)
            pen = QPen(QColor(theme.muted if bar.footage_s else theme.rule), 1)
            pen.setStyle(Qt.PenStyle.SolidLine if bar.footage_s else Qt.PenStyle.DotLine)
            painter.setPen(pen)
            painter.drawLine(QPointF(left, ground + 0.5), QPointF(left + step - 2, ground + 0.5))
            if place % every == 0:
                painter.setPen(QColor(theme.muted))
                text = bar.label[5:] if len(bar.label) > 2 else bar.label
                painter.drawText(QPointF(left, self.height() - 4), text)

    def _paint_bar(self, painter: QPainter, bar: Bar, left: float, width: float, ground: float, scale: float) -> None:
        theme, top = self._theme, float(ground)
        outline = QPen(QColor(theme.alarm), 1)
        for count, brush in (
            (bar.real, QBrush(QColor(theme.alarm))),
            (bar.nuisance, QBrush(Qt.BrushStyle.NoBrush)),
            (bar.unjudged, QBrush(QColor(theme.alarm), Qt.BrushStyle.BDiagPattern)),
        ):
            if count:
                height = count * scale
                painter.setPen(outline)
                painter.setBrush(brush)
                painter.drawRect(QRectF(left, top - height, width, height))
                top -= height


def bar_text(bar: Bar) -> str:
    """A bar in words."""
    when = (
        tr("{label}:00 to {label2:02d}:00", label=bar.label, label2=(int(bar.label) + 1) % 24)
        if len(bar.label) == len("00")
        else bar.label
    )
    if not bar.footage_s:
        return tr("{when}: no footage", when=when)
    minutes = bar.footage_s / 60
    rate = bar.alarms / (bar.footage_s / 3600)
    return tr(
        "{when}: {real} real, {nuisance} nuisances, {unjudged} not judged in {minutes:.0f} "
        "min of footage, {rate:.0f} alarms an hour",
        when=when,
        real=bar.real,
        nuisance=bar.nuisance,
        unjudged=bar.unjudged,
        minutes=minutes,
        rate=rate,
    )
