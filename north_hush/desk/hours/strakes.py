"""How the three hours are drawn: told apart by form and by word, all in one hue."""

from __future__ import annotations

from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QBrush, QColor, QPainter, QPen

from north_hush.core.hours.plan import KINDS
from north_hush.core.words import tr
from north_hush.desk.look.roles import Theme, faded
from north_hush.desk.look.style import SMALL_PX, text_font

_LINE_PX = 3.0
_LEGEND = {"armed": tr("armed"), "recording": tr("recording (filled: always)"), "notifying": tr("notifying")}


def paint_piece(painter: QPainter, theme: Theme, kind: str, left: float, right: float, y: float) -> None:
    """Armed solid with caps at its ends, recording a double line, notifying dotted; all in one hue."""
    colour = QColor(theme.text)
    if kind == "recording":
        painter.setPen(QPen(colour, 1.2))
        for offset in (-1.6, 1.6):
            painter.drawLine(QPointF(left, y + offset), QPointF(right, y + offset))
        return
    pen = QPen(colour, _LINE_PX if kind == "armed" else 2.2)
    pen.setCapStyle(Qt.PenCapStyle.FlatCap)
    if kind == "notifying":
        pen.setDashPattern([1.2, 1.6])
    painter.setPen(pen)
    painter.drawLine(QPointF(left, y), QPointF(right, y))
    if kind == "armed":
        painter.setPen(QPen(colour, 1.6))
        for x in (left, right):
            painter.drawLine(QPointF(x, y - 4), QPointF(x, y + 4))


def paint_how(painter: QPainter, theme: Theme, how: str, left: float, right: float, y: float) -> None:
    """Between the two lines of recording: always is filled, low and full dotted, on contact and on both dashed, short and long; by the
    rule and on alarm stay open."""
    dashes = {"always": [], "low and full": [1.0, 2.4], "on contact": [0.6, 5.0], "on both": [4.0, 2.4]}.get(how)
    if dashes is not None:
        pen = QPen(QColor(theme.text), 2.4)
        pen.setCapStyle(Qt.PenCapStyle.FlatCap)
        if dashes:
            pen.setDashPattern(dashes)
        painter.setPen(pen)
        painter.drawLine(QPointF(left, y), QPointF(right, y))


def paint_legend(painter: QPainter, theme: Theme, left: float, y: float) -> None:
    """What the marks mean, in one line below the week."""
    painter.setFont(text_font(SMALL_PX))
    x = left
    for kind in KINDS:
        paint_piece(painter, theme, kind, x, x + 26, y)
        x = _said(painter, theme, x + 32, y, _LEGEND[kind])
    for text, brush in ((tr("nuisances"), Qt.BrushStyle.NoBrush), (tr("other alarms"), Qt.BrushStyle.SolidPattern)):
        painter.setPen(QPen(QColor(theme.alarm), 1.3))
        painter.setBrush(QBrush(faded(theme.alarm, 0.55), brush))
        painter.drawRect(QRectF(x, y - 5, 10, 10))
        x = _said(painter, theme, x + 16, y, text)
    painter.setPen(QPen(QColor(theme.incident), 1.6))
    for edge, way in ((x, 1), (x + 12, -1)):
        painter.drawPolyline([QPointF(edge + 4 * way, y - 5), QPointF(edge, y - 5), QPointF(edge, y + 5)])
    x = _said(painter, theme, x + 18, y, tr("incident"))
    painter.fillRect(QRectF(x, y - 4, 12, 8), QBrush(faded(theme.muted, 0.5), Qt.BrushStyle.BDiagPattern))
    _said(painter, theme, x + 18, y, tr("no footage"))


def _said(painter: QPainter, theme: Theme, x: float, y: float, text: str) -> float:
    """Write a word of the legend, and tell where the next mark goes."""
    painter.setPen(QColor(theme.muted))
    painter.setBrush(Qt.BrushStyle.NoBrush)
    painter.drawText(QPointF(x, y + painter.fontMetrics().capHeight() / 2), text)
    return x + painter.fontMetrics().horizontalAdvance(text) + 14
