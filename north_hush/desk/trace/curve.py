"""A level over time, one column a pixel: the highest frame in it, so that a single frame in a whole day still shows."""

from __future__ import annotations

import numpy as np
import pyqtgraph as pg
from numpy.typing import NDArray
from PySide6.QtCore import QRectF
from PySide6.QtGui import QColor, QPainter, QPen

STRETCH_FRAMES = 64
"""While a column holds many such stretches, the highest of each tells enough: a day is painted as fast as an hour."""
_STRETCHES_A_COLUMN = 4


def column_peaks(
    seconds: NDArray[np.float64], level: NDArray[np.float64], start_s: float, end_s: float, columns: int
) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
    """Reduce a level to at most one value a column.

    Parameters
    ----------
    seconds, level : (frames,) times, increasing, and the level from each of them on
    start_s, end_s : the stretch in view
    columns : its width in pixels

    Returns
    -------
    (n + 1,) edges in seconds and (n,) the highest level between them
    """
    first = max(0, int(np.searchsorted(seconds, start_s, side="right")) - 1)
    last = max(first + 1, int(np.searchsorted(seconds, end_s, side="left")))
    times, values = seconds[first:last], level[first:last]
    if len(times) == 0:
        return np.array([start_s]), np.zeros(0)
    if len(times) <= 2 * columns:
        following = (
            seconds[last] if last < len(seconds) else times[-1] + np.median(np.diff(times)) if len(times) > 1 else end_s
        )
        return np.append(times, following), values
    column = np.floor((times - start_s) * (columns / (end_s - start_s))).astype(np.int64)
    starts = np.flatnonzero(np.diff(column, prepend=column[0] - 1))
    return np.append(times[starts], times[-1]), np.maximum.reduceat(values, starts)


def in_stretches(
    seconds: NDArray[np.float64], level: NDArray[np.float64]
) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
    """A level by stretches of STRETCH_FRAMES: the time each begins, and the highest level in it."""
    starts = np.arange(0, len(level), STRETCH_FRAMES)
    return seconds[starts], np.maximum.reduceat(level, starts) if len(level) else level


class LevelCurve(pg.GraphicsObject):
    """Draws a level as filled columns with a line along their tops."""

    def __init__(self) -> None:
        super().__init__()
        self._seconds: NDArray[np.float64] = np.zeros(0)
        self._level: NDArray[np.float64] = np.zeros(0)
        self._stretches = self._seconds, self._level
        self._fill, self._line = QColor(), QColor()

    def dress(self, line: QColor, fill: QColor) -> None:
        """Take colours for the tops and for the columns."""
        self._line, self._fill = line, fill
        self.update()

    def show_level(self, seconds: NDArray[np.float64], level: NDArray[np.float64]) -> None:
        """Show a level, on the axis' own scale, from each time on."""
        self.prepareGeometryChange()
        self._seconds, self._level = seconds, level
        self._stretches = in_stretches(seconds, level)
        self.update()

    def boundingRect(self) -> QRectF:
        if len(self._seconds) == 0:
            return QRectF()
        return QRectF(
            self._seconds[0], 0, self._seconds[-1] - self._seconds[0], max(float(self._stretches[1].max()), 1e-3)
        )

    def paint(self, painter: QPainter, *_: object) -> None:
        box = self.getViewBox()
        (start_s, end_s), _range = box.viewRange()
        columns = max(1, int(box.width()))
        first, last = np.searchsorted(self._seconds, (start_s, end_s)).tolist()
        fine = last - first < _STRETCHES_A_COLUMN * STRETCH_FRAMES * columns
        seconds, level = (self._seconds, self._level) if fine else self._stretches
        edges, peaks = column_peaks(seconds, level, start_s, end_s, columns)
        if len(peaks) == 0:
            return
        x, y = np.repeat(edges, 2)[1:-1], np.repeat(peaks, 2)
        tops = pg.functions.arrayToQPolygonF(x, y)
        ground = np.concatenate([[0.0], y, [0.0]])
        painter.setPen(pg.mkPen(None))
        painter.setBrush(self._fill)
        painter.drawPolygon(pg.functions.arrayToQPolygonF(np.concatenate([x[:1], x, x[-1:]]), ground))
        pen = QPen(self._line, 1)
        pen.setCosmetic(True)
        painter.setPen(pen)
        painter.drawPolyline(tops)
