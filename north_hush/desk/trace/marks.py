"""Marks along a lane: alarms as bars, incidents as brackets, and ground that counts in nothing."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

import numpy as np
import pyqtgraph as pg
from numpy.typing import NDArray
from PySide6.QtCore import QLineF, QPointF, QRectF, Qt
from PySide6.QtGui import QBrush, QColor, QPainter, QPen, QTransform

from north_hush.core.judge.ledger import State
from north_hush.core.runs import runs_of
from north_hush.desk.look.roles import Theme, faded

SPAN_SHARE = 0.11
"""Alarm spans fill this share of the lane, at its top."""
_BRACKET_PX = 5
_LEAST_PX = 2
_NEAR_PX = 0.5

GroundKind = Literal["guard", "uncovered", "gap"]


@dataclass(frozen=True)
class Bar:
    """An alarm from start to end in seconds, and what became of it against the pin."""

    start_s: float
    end_s: float
    state: State | None = None


class _Marks(pg.GraphicsObject):
    """Something along the time axis, under `top`, the upper end of the lane's axis."""

    def __init__(self) -> None:
        super().__init__()
        self._top, self._first_s, self._last_s = 1.0, 0.0, 0.0

    def _reach(self, starts: list[float], ends: list[float], top: float) -> None:
        self.prepareGeometryChange()
        self._top = top
        self._first_s, self._last_s = (min(starts), max(ends)) if starts else (0.0, 0.0)
        self.update()

    def boundingRect(self) -> QRectF:
        if self._last_s <= self._first_s:
            return QRectF(self._first_s, 0, 1e-3 if self._last_s else 0, self._top)
        return QRectF(self._first_s, 0, self._last_s - self._first_s, self._top)

    def _px(self) -> tuple[float, float]:
        """Seconds and heights a pixel, at least so little that nothing divides by it."""
        across, down = self.pixelSize()
        return max(across or 0.0, 1e-9), max(down or 0.0, 1e-9)


class Bars(_Marks):
    """Alarms along the top: solid, with a notch above when new; hollow when silenced, hollow and crossed when lost."""

    def __init__(self) -> None:
        super().__init__()
        self.bars: list[Bar] = []
        self._alarm, self._muted, self._incident = QColor(), QColor(), QColor()

    def show_bars(self, bars: list[Bar], top: float, theme: Theme) -> None:
        """Show alarms, in order of time."""
        self.bars = bars
        self._alarm, self._muted, self._incident = QColor(theme.alarm), QColor(theme.muted), QColor(theme.incident)
        self._reach([bar.start_s for bar in bars], [bar.end_s for bar in bars], top)

    def paint(self, painter: QPainter, *_: object) -> None:
        across, down = self._px()
        height = self._top * SPAN_SHARE
        solid: list[QRectF] = []
        notches: list[QRectF] = []
        for bar in self.bars:
            width = max(bar.end_s - bar.start_s, _LEAST_PX * across)
            box = QRectF(bar.start_s, self._top - height * 0.85, width, height * 0.7)
            if bar.state in (None, "kept", "new"):
                if solid and bar.state != "new" and box.left() - solid[-1].right() < _NEAR_PX * across:
                    solid[-1].setRight(max(solid[-1].right(), box.right()))  # of a day there are more than pixels
                    continue
                solid.append(box)
                if bar.state == "new":
                    notches.append(QRectF(box.left(), box.bottom() + down, box.width(), 2 * down))
                continue
            pen = QPen(self._incident if bar.state == "lost" else self._muted, 1)
            pen.setCosmetic(True)
            painter.setPen(pen)
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.drawRect(box)
            if bar.state == "lost":
                painter.drawLines([QLineF(box.topLeft(), box.bottomRight()), QLineF(box.bottomLeft(), box.topRight())])
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(self._alarm)
        painter.drawRects([*solid, *notches])


class Brackets(_Marks):
    """Incidents as brackets over the height of the lane."""

    def __init__(self) -> None:
        super().__init__()
        self.spans: list[tuple[float, float]] = []
        self._colour = QColor()

    def show_spans(self, spans: list[tuple[float, float]], top: float, theme: Theme) -> None:
        """Show incidents, start and end in seconds."""
        self.spans, self._colour = spans, QColor(theme.incident)
        self._reach([start for start, _ in spans], [end for _, end in spans], top)

    def paint(self, painter: QPainter, *_: object) -> None:
        across, _down = self._px()
        pen = QPen(self._colour, 1.4)
        pen.setCosmetic(True)
        painter.setPen(pen)
        high = self._top * (1 - SPAN_SHARE)
        for start, end in self.spans:
            arm = min(_BRACKET_PX * across, max((end - start) / 3, across))
            for x, way in ((start, 1), (end, -1)):
                painter.drawPolyline(
                    [QPointF(x + way * arm, high), QPointF(x, high), QPointF(x, 0), QPointF(x + way * arm, 0)]
                )


class Ground(_Marks):
    """Stretches that count in nothing: the light guard dotted, what is not covered hatched, gaps empty between two lines."""

    def __init__(self) -> None:
        super().__init__()
        self.stretches: list[tuple[float, float, GroundKind]] = []
        self._muted = QColor()

    def show_stretches(self, stretches: list[tuple[float, float, GroundKind]], top: float, theme: Theme) -> None:
        """Show stretches, start and end in seconds, and their kind."""
        self.stretches, self._muted = stretches, QColor(theme.muted)
        self._reach([start for start, _, _ in stretches], [end for _, end, _ in stretches], top)

    def paint(self, painter: QPainter, *_: object) -> None:
        across, down = self._px()
        for start, end, kind in self.stretches:
            box = QRectF(start, 0, max(end - start, _LEAST_PX * across), self._top)
            if kind == "gap":
                pen = QPen(faded(self._muted, 0.8), 1)
                pen.setCosmetic(True)
                painter.setPen(pen)
                painter.drawLines([QLineF(box.topLeft(), box.bottomLeft()), QLineF(box.topRight(), box.bottomRight())])
                continue
            pattern = Qt.BrushStyle.Dense6Pattern if kind == "guard" else Qt.BrushStyle.BDiagPattern
            brush = QBrush(faded(self._muted, 0.75), pattern)
            brush.setTransform(QTransform.fromScale(across, down))  # the pattern keeps the size of screen pixels
            painter.fillRect(box, brush)


def runs(flags: NDArray[np.bool_], seconds: NDArray[np.float64]) -> list[tuple[float, float]]:
    """Stretches of frames that are set, from the first of each to the frame after it."""
    last = len(seconds) - 1
    return [(float(seconds[first]), float(seconds[min(after, last)])) for first, after in runs_of(flags)]
