"""The field of the response map: every pair of values of two dials, between two scales."""

from __future__ import annotations

import numpy as np
from PySide6.QtCore import QPoint, QPointF, QRectF, QSize, Qt, Signal
from PySide6.QtGui import QBrush, QColor, QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen
from PySide6.QtWidgets import QWidget

from north_hush.core.advise.map import ResponseMap
from north_hush.core.detect.dials import dial_of
from north_hush.core.words import tr
from north_hush.desk.look.roles import Theme, faded
from north_hush.desk.look.style import SMALL_PX, text_font

_LEFT_PX, _RIGHT_PX, _BELOW_PX = 72, 24, 42
"""Room for the scales."""
_MARKS = 6
"""About so many values stand on a scale."""
_WAYS = {Qt.Key.Key_Left: (-1, 0), Qt.Key.Key_Right: (1, 0), Qt.Key.Key_Up: (0, 1), Qt.Key.Key_Down: (0, -1)}


class MapField(QWidget):
    """The picture between its two scales: darker is quieter, hatched where incidents are missed; the present point a ring, the
    pinned a square."""

    pointed = Signal(int, int)
    picked = Signal(int, int)
    """Column and row of a pair of values."""

    def __init__(self, theme: Theme, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setMouseTracking(True)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self._at: tuple[int, int] | None = None
        """The point that arrow keys have moved to."""
        self.setMinimumSize(QSize(420, 360))
        self.setAccessibleName(tr("Response map"))
        self.setToolTip(
            tr("Click a point to set both dials, or go there by arrow keys and press Return. Right and up are quieter.")
        )
        self._theme = theme
        self.found: ResponseMap | None = None
        self.now: tuple[int, int] | None = None
        self.pinned: tuple[int, int] | None = None

    def dress(self, theme: Theme) -> None:
        """Take the theme's colours."""
        self._theme = theme
        self.update()

    def show_map(self, found: ResponseMap | None, now: tuple[int, int] | None, pinned: tuple[int, int] | None) -> None:
        """Show a map and the two points on it."""
        self.found, self.now, self.pinned = found, now, pinned
        self.update()

    def _plot(self) -> QRectF:
        """Where the points lie, inside the scales."""
        return QRectF(self.rect()).adjusted(_LEFT_PX, 8, -_RIGHT_PX, -_BELOW_PX)

    def _size(self) -> tuple[float, float]:
        assert self.found is not None
        rows, columns = self.found.unwanted.shape
        return self._plot().width() / columns, self._plot().height() / rows

    def _box(self, column: int, row: int) -> QRectF:
        across, down = self._size()
        plot = self._plot()
        return QRectF(plot.left() + column * across, plot.bottom() - (row + 1) * down, across, down)

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.fillRect(self._plot(), QColor(self._theme.ground))
        if self.found is not None:
            self._paint_points(painter, self.found)
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.setPen(QPen(QColor(self._theme.muted), 1))
        painter.drawRect(self._plot())
        painter.end()

    def _paint_points(self, painter: QPainter, found: ResponseMap) -> None:
        highest = max(1.0, float(found.watched_s.max())) ** 0.5
        least = int(found.missed[found.missed >= 0].min(initial=0)) if (found.missed >= 0).any() else 0
        for row, column in np.ndindex(*found.unwanted.shape):
            unwanted, missed = int(found.unwanted[row, column]), int(found.missed[row, column])
            box = self._box(column, row)
            if unwanted < 0:
                continue
            painter.fillRect(
                box, faded(self._theme.level, 0.06 + 0.8 * float(found.watched_s[row, column]) ** 0.5 / highest)
            )
            if missed > least:
                painter.fillRect(box, QBrush(QColor(self._theme.incident), Qt.BrushStyle.FDiagPattern))
        self._paint_scales(painter, found)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setBrush(Qt.BrushStyle.NoBrush)
        if self.pinned is not None:
            painter.setPen(QPen(QColor(self._theme.text), 2, Qt.PenStyle.DotLine))
            painter.drawRect(self._box(*self.pinned).adjusted(-2, -2, 2, 2))
        if self.now is not None:
            painter.setPen(QPen(QColor(self._theme.accent), 2.5))
            painter.drawEllipse(self._box(*self.now).center(), 7, 7)
        if self._at is not None and self.hasFocus():
            painter.setPen(QPen(QColor(self._theme.text), 1.5))
            painter.drawRect(self._box(*self._at).adjusted(-1, -1, 1, 1))

    def _paint_scales(self, painter: QPainter, found: ResponseMap) -> None:
        """Values of the two dials below and at the left, with their units."""
        painter.setFont(text_font(SMALL_PX))
        painter.setPen(QColor(self._theme.text))
        plot, flags = self._plot(), Qt.AlignmentFlag
        for place in _marked(len(found.across_values)):
            x = self._box(place, 0).center().x()
            painter.drawLine(QPointF(x, plot.bottom()), QPointF(x, plot.bottom() + 4))
            box = QRectF(x - 40, plot.bottom() + 5, 80, 16)
            painter.drawText(box, flags.AlignHCenter | flags.AlignTop, f"{found.across_values[place]:g}")
        for place in _marked(len(found.up_values)):
            y = self._box(0, place).center().y()
            painter.drawLine(QPointF(plot.left() - 4, y), QPointF(plot.left(), y))
            box = QRectF(0, y - 8, plot.left() - 7, 16)
            painter.drawText(box, flags.AlignRight | flags.AlignVCenter, f"{found.up_values[place]:g}")
        across = dial_of(found.across)
        below = QRectF(plot.left(), plot.bottom() + 22, plot.width(), 16)
        painter.drawText(
            below,
            flags.AlignHCenter | flags.AlignTop,
            tr("{label}, {unit}: quieter to the right", label=across.label, unit=across.unit),
        )
        up = dial_of(found.up)
        painter.save()
        painter.translate(2, plot.bottom())
        painter.rotate(-90)
        beside = QRectF(0, 0, plot.height(), 16)
        painter.drawText(
            beside,
            flags.AlignHCenter | flags.AlignTop,
            tr("{label}, {unit}: quieter upwards", label=up.label, unit=up.unit),
        )
        painter.restore()

    def _place(self, at: QPoint) -> tuple[int, int] | None:
        if self.found is None:
            return None
        across, down = self._size()
        rows, columns = self.found.unwanted.shape
        plot = self._plot()
        column, row = int((at.x() - plot.left()) // across), int((plot.bottom() - at.y()) // down)
        return (column, row) if 0 <= column < columns and 0 <= row < rows else None

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        place = self._place(event.position().toPoint())
        if place is not None:
            self.pointed.emit(*place)

    def mousePressEvent(self, event: QMouseEvent) -> None:
        place = self._place(event.position().toPoint())
        if place is not None:
            self.picked.emit(*place)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        way = _WAYS.get(Qt.Key(event.key()))
        at = self._at or self.now
        if self.found is None or at is None:
            super().keyPressEvent(event)
        elif way is not None:
            rows, columns = self.found.unwanted.shape
            self._at = min(max(0, at[0] + way[0]), columns - 1), min(max(0, at[1] + way[1]), rows - 1)
            self.pointed.emit(*self._at)
            self.update()
        elif event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            self.picked.emit(*at)
        else:
            super().keyPressEvent(event)


def _marked(count: int) -> list[int]:
    """Places of the values that stand on a scale: both ends, and some between."""
    return sorted({round(place * (count - 1) / (_MARKS - 1)) for place in range(_MARKS)})
