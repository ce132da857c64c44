"""What the marks laid over the picture mean, in its lower left corner."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QColor, QLinearGradient, QPainter, QPen

from north_hush.core.words import tr
from north_hush.desk.look.roles import Theme, faded
from north_hush.desk.look.style import text_font

_ROW_PX, _MARK_PX, _EDGE_PX = 20, 14, 8

Paint = Callable[[QPainter, QRectF, Theme], None]


@dataclass(frozen=True)
class Sign:
    """A mark and what it says."""

    paint: Paint
    text: str


def _ramp(painter: QPainter, box: QRectF, theme: Theme) -> None:
    shades = QLinearGradient(box.topLeft(), box.topRight())
    shades.setColorAt(0, QColor(theme.outline_dark))
    shades.setColorAt(1, QColor(theme.outline_light))
    painter.fillRect(box.adjusted(0, 3, 0, -3), shades)


def _dot(share: float) -> Paint:
    def paint(painter: QPainter, box: QRectF, theme: Theme) -> None:
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(QColor(theme.outline_light))
        painter.drawEllipse(box.center(), share * _MARK_PX / 2, share * _MARK_PX / 2)

    return paint


def _hollow(painter: QPainter, box: QRectF, theme: Theme) -> None:
    painter.setPen(QPen(QColor(theme.outline_light), 1.5))
    painter.setBrush(Qt.BrushStyle.NoBrush)
    painter.drawEllipse(box.center(), 3, 3)


def _stroke(painter: QPainter, box: QRectF, theme: Theme) -> None:
    painter.fillRect(box, faded(theme.outline_light, 0.35))
    painter.setPen(QPen(QColor(theme.outline_dark), 2))
    painter.drawLine(box.bottomLeft(), box.topRight())


def _bar(painter: QPainter, box: QRectF, theme: Theme) -> None:
    painter.fillRect(QRectF(box.left(), box.center().y() - 3, box.width(), 6), QColor(theme.outline_light))


def difference_signs(gain: int) -> tuple[Sign, ...]:
    """Of the Difference view, at a gain."""
    return (Sign(_ramp, tr("change to the frame before: 0 to {gain} grey levels", gain=round(255 / gain))),)


def cell_signs(limit_grey: float, *, weakened: bool, masked: bool) -> tuple[Sign, ...]:
    """Of the Cells view, under a change limit; marks that do not occur are not explained."""
    signs = [
        Sign(_ramp, tr("how much a cell changes")),
        Sign(_dot(0.5), tr("counts: {limit_grey:g} grey levels or more", limit_grey=limit_grey)),
    ]
    if weakened:
        signs.append(Sign(_hollow, tr("would count without its mask")))
    if masked:
        signs.append(Sign(_stroke, "masked"))
    return tuple(signs)


RESTLESS_SIGNS = (
    Sign(_dot(0.3), tr("changes seldom")),
    Sign(_dot(0.9), tr("changes often")),
    Sign(_bar, tr("keeps a rhythm")),
)


def paint_legend(painter: QPainter, height: int, signs: tuple[Sign, ...], theme: Theme) -> None:
    """Paint signs, one below the other, in the lower left corner of something so high."""
    if not signs:
        return
    painter.setFont(text_font(12))
    widest = max(painter.fontMetrics().horizontalAdvance(sign.text) for sign in signs)
    plate = QRectF(
        _EDGE_PX, height - _EDGE_PX - _ROW_PX * len(signs) - 4, widest + _MARK_PX + 22, _ROW_PX * len(signs) + 4
    )
    painter.setPen(Qt.PenStyle.NoPen)
    painter.setBrush(faded(theme.outline_dark, 0.85))
    painter.drawRoundedRect(plate, 3, 3)
    for place, sign in enumerate(signs):
        top = plate.top() + 2 + place * _ROW_PX
        sign.paint(painter, QRectF(plate.left() + 8, top + 3, _MARK_PX, _MARK_PX), theme)
        painter.setPen(QColor(theme.outline_light))
        at = QPointF(plate.left() + _MARK_PX + 16, top + _ROW_PX / 2 + painter.fontMetrics().capHeight() / 2)
        painter.drawText(at, sign.text)
