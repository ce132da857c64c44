"""A layer that is painted once and then moved with the picture, for what changes seldom and costs much to paint."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QPainter, QPixmap

from north_hush.desk.picture.canvas import Canvas

_MARGIN_PX = 512
"""How far beyond the window it is painted, so that panning finds it there."""
_OVERHANG_PX = 120
"""How far tags and arrows reach beyond the picture."""


class StillLayer:
    """Keeps a pixmap of what `paint` paints, as long as its parts, the zoom and the sizes stay the same."""

    def __init__(self) -> None:
        self._parts: tuple[Any, ...] = ()
        self._pixmap = QPixmap()
        self._region = QRectF()
        self._place = QRectF()
        """Where the picture lay when the pixmap was painted."""

    def show(
        self, painter: QPainter, canvas: Canvas, parts: tuple[Any, ...], paint: Callable[[QPainter], None]
    ) -> None:
        """Paint from the pixmap, made again when one of `parts` is another object or the pixmap does not reach."""
        place = canvas.picture_rect()
        moved = place.topLeft() - self._place.topLeft()
        same = len(parts) == len(self._parts) and all(a is b for a, b in zip(parts, self._parts, strict=True))
        wanted = self._reach(place).intersected(QRectF(canvas.rect()))
        if not (same and self._place.size() == place.size() and self._region.translated(moved).contains(wanted)):
            self._make(canvas, place, paint)
            self._parts, moved = parts, QPointF()
        painter.drawPixmap(self._region.topLeft() + moved, self._pixmap)

    def _reach(self, place: QRectF) -> QRectF:
        return place.adjusted(-_OVERHANG_PX, -_OVERHANG_PX, _OVERHANG_PX, _OVERHANG_PX)

    def _make(self, canvas: Canvas, place: QRectF, paint: Callable[[QPainter], None]) -> None:
        around = QRectF(canvas.rect()).adjusted(-_MARGIN_PX, -_MARGIN_PX, _MARGIN_PX, _MARGIN_PX)
        self._place = place
        # Whole pixels, so that nothing is blurred while the picture stands.
        self._region = QRectF(self._reach(place).intersected(around).toAlignedRect())
        ratio = canvas.devicePixelRatioF()
        self._pixmap = QPixmap((self._region.size() * ratio).toSize())
        self._pixmap.setDevicePixelRatio(ratio)
        self._pixmap.fill(Qt.GlobalColor.transparent)
        painter = QPainter(self._pixmap)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.translate(-self._region.topLeft())
        paint(painter)
        painter.end()
