"""Marks along a lane: alarms as bars, incidents as brackets, and ground that counts in nothing."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass
from typing import Literal

import numpy as np
import pyqtgraph as pg
from numpy.typing import NDArray
from PySide6.QtCore import QLineF, QPointF, QRectF, Qt
from PySide6.QtGui import QBrush, QColor, QPainter, QPen, QTransform

from north_hush.core.judge.ledger import State
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


Spans = tuple[NDArray[np.float64], NDArray[np.float64]]
"""Starts and ends in seconds."""


def merged(spans: Spans, near_s: float) -> Spans:
    """Spans with those joined that lie at most so many seconds apart: of a day there are more than pixels."""
    order = np.argsort(spans[0], kind="stable")
    starts, ends = (part[order] for part in spans)
    if len(starts) == 0:
        return starts, ends
    reached = np.maximum.accumulate(ends)
    first = np.flatnonzero(np.concatenate([[True], starts[1:] - reached[:-1] > near_s]))
    return starts[first], np.maximum.reduceat(ends, first)


def _spans_of(spans: Iterable[tuple[float, float]]) -> Spans:
    held = np.array(list(spans), np.float64).reshape(-1, 2)
    return held[:, 0], held[:, 1]


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

    def _seen(self, spans: Spans) -> list[tuple[float, float]]:
        """What of spans is in view, at least so many pixels wide, joined where no pixel lies between."""
        across, _ = self._px()
        (first_s, last_s), _range = self.getViewBox().viewRange()
        seen = (spans[1] >= first_s - _LEAST_PX * across) & (spans[0] <= last_s)
        starts, ends = (part[seen] for part in spans)
        joined = merged((starts, np.maximum(ends, starts + _LEAST_PX * across)), _NEAR_PX * across)
        return list(zip(*(part.tolist() for part in joined), strict=True))


class Bars(_Marks):
    """Alarms along the top: solid, with a notch above when new; hollow when silenced, hollow and crossed when lost."""

    def __init__(self) -> None:
        super().__init__()
        self.bars: list[Bar] = []
        self._spans: dict[State | None, Spans] = {}
        self._alarm, self._muted, self._incident = QColor(), QColor(), QColor()

    def show_bars(self, bars: list[Bar], top: float, theme: Theme) -> None:
        """Show alarms, in order of time."""
        self.bars = bars
        # What was kept looks like what nobody judged.
        looks = {bar.state: None if bar.state == "kept" else bar.state for bar in bars}
        self._spans = {
            look: _spans_of((bar.start_s, bar.end_s) for bar in bars if looks[bar.state] == look)
            for look in dict.fromkeys(looks.values())
        }
        self._alarm, self._muted, self._incident = QColor(theme.alarm), QColor(theme.muted), QColor(theme.incident)
        self._reach([bar.start_s for bar in bars], [bar.end_s for bar in bars], top)

    def paint(self, painter: QPainter, *_: object) -> None:
        _across, down = self._px()
        height = self._top * SPAN_SHARE
        for state, spans in self._spans.items():
            seen = self._seen(spans)
            boxes = [QRectF(start, self._top - height * 0.85, end - start, height * 0.7) for start, end in seen]
            if state in (None, "new"):
                painter.setPen(Qt.PenStyle.NoPen)
                painter.setBrush(self._alarm)
                painter.drawRects(boxes)
                if state == "new":
                    painter.drawRects([QRectF(box.left(), box.bottom() + down, box.width(), 2 * down) for box in boxes])
                continue
            pen = QPen(self._incident if state == "lost" else self._muted, 1)
            pen.setCosmetic(True)
            painter.setPen(pen)
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.drawRects(boxes)
            if state == "lost":
                for box in boxes:
                    painter.drawLines(
                        [QLineF(box.topLeft(), box.bottomRight()), QLineF(box.bottomLeft(), box.topRight())]
                    )


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
        self._spans: dict[GroundKind, Spans] = {}
        self._muted = QColor()

    def show_stretches(self, stretches: list[tuple[float, float, GroundKind]], top: float, theme: Theme) -> None:
        """Show stretches, start and end in seconds, and their kind."""
        self.stretches, self._muted = stretches, QColor(theme.muted)
        self._spans = {
            kind: _spans_of((start, end) for start, end, held in stretches if held == kind)
            for kind in dict.fromkeys(kind for _, _, kind in stretches)
        }
        self._reach([start for start, _, _ in stretches], [end for _, end, _ in stretches], top)

    def paint(self, painter: QPainter, *_: object) -> None:
        across, down = self._px()
        for kind, spans in self._spans.items():
            boxes = [QRectF(start, 0, end - start, self._top) for start, end in self._seen(spans)]
            if kind == "gap":
                pen = QPen(faded(self._muted, 0.8), 1)
                pen.setCosmetic(True)
                painter.setPen(pen)
                for box in boxes:
                    painter.drawLines(
                        [QLineF(box.topLeft(), box.bottomLeft()), QLineF(box.topRight(), box.bottomRight())]
                    )
                continue
            pattern = Qt.BrushStyle.Dense6Pattern if kind == "guard" else Qt.BrushStyle.BDiagPattern
            brush = QBrush(faded(self._muted, 0.75), pattern)
            brush.setTransform(QTransform.fromScale(across, down))  # the pattern keeps the size of screen pixels
            for box in boxes:
                painter.fillRect(box, brush)
