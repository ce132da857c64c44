"""What is painted over the picture: zones, tripwires, masks, the outline being drawn, and single cells."""

from __future__ import annotations

import numpy as np
from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QBrush, QColor, QFont, QImage, QPainter, QPainterPath, QPen, QPolygonF

from north_hush.core.footage.reduce import CELL_SCALE
from north_hush.core.scene.items import Item, Mask, Wire, Zone
from north_hush.core.scene.outline import Point
from north_hush.core.site.model import View
from north_hush.desk.look.roles import PATTERN_MASK, Theme, faded, picture_hue, zone_dash
from north_hush.desk.look.style import text_font
from north_hush.desk.picture.canvas import Canvas

HANDLE_PX = 7
_EDGE_PX, _CORE_PX = 4.0, 2.0


def polygon_of(outline: tuple[Point, ...], canvas: Canvas) -> QPolygonF:
    """An outline in widget coordinates."""
    return QPolygonF([canvas.to_widget(point) for point in outline])


def paint_items(painter: QPainter, canvas: Canvas, view: View, theme: Theme, selected: str) -> None:
    """Masks first, then zones and wires, the selected item last."""
    items: list[Item] = [*view.masks, *view.watchers]
    for item in sorted(items, key=lambda item: item.id == selected):
        if isinstance(item, Mask):
            _paint_mask(painter, canvas, item, theme, item.id == selected)
        elif isinstance(item, Wire):
            _paint_wire(painter, canvas, item, theme, item.id == selected)
        else:
            _paint_zone(painter, canvas, item, theme, item.id == selected)


def _paint_zone(painter: QPainter, canvas: Canvas, zone: Zone, theme: Theme, selected: bool) -> None:
    polygon = polygon_of(zone.outline, canvas)
    two_tone(painter, polygon, picture_hue(theme, zone.letter), zone_dash(zone.letter), theme, wide=selected)
    _paint_tag(painter, canvas, zone.outline, zone.letter, picture_hue(theme, zone.letter), theme)
    if selected:
        paint_handles(painter, polygon, theme)


def _paint_wire(painter: QPainter, canvas: Canvas, wire: Wire, theme: Theme, selected: bool) -> None:
    """A line between two posts: it must not be broken."""
    polygon = polygon_of(wire.outline, canvas)
    hue = picture_hue(theme, wire.letter)
    two_tone(painter, polygon, hue, zone_dash(wire.letter), theme, wide=selected, closed=False)
    for end in (wire.outline[0], wire.outline[-1]):
        at = canvas.to_widget(end)
        for colour, size in ((theme.outline_dark, 6.0), (hue, 4.0)):
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(QColor(colour))
            painter.drawPolygon(
                QPolygonF([at + QPointF(*corner) * size for corner in ((0, -1), (1, 0), (0, 1), (-1, 0))])
            )
    _paint_tag(painter, canvas, wire.outline, wire.letter, hue, theme)
    if selected:
        paint_handles(painter, polygon, theme)


def _paint_mask(painter: QPainter, canvas: Canvas, mask: Mask, theme: Theme, selected: bool) -> None:
    polygon = polygon_of(mask.outline, canvas)
    painter.setPen(Qt.PenStyle.NoPen)
    for colour, offset in ((theme.outline_dark, 0), (theme.outline_light, 2)):
        brush = QBrush(faded(colour, 0.5 * mask.strength_percent / 100), PATTERN_MASK)
        painter.setBrushOrigin(offset, 0)
        painter.setBrush(brush)
        painter.drawPolygon(polygon)
    two_tone(painter, polygon, QColor(theme.outline_light), (), theme, wide=selected)
    if selected:
        paint_handles(painter, polygon, theme)


def two_tone(
    painter: QPainter,
    polygon: QPolygonF,
    core: QColor,
    dash: tuple[float, ...],
    theme: Theme,
    *,
    wide: bool = False,
    closed: bool = True,
) -> None:
    """Draw an outline with a dark edge and a light core, which reads on snow and on night."""
    painter.setBrush(Qt.BrushStyle.NoBrush)
    path = QPainterPath()
    path.addPolygon(polygon)
    if closed:
        path.closeSubpath()
    edge = QPen(faded(theme.outline_dark, 0.85), _EDGE_PX + 1.5 * wide)
    edge.setJoinStyle(Qt.PenJoinStyle.RoundJoin)
    painter.strokePath(path, edge)
    pen = QPen(core, _CORE_PX + 0.8 * wide)
    pen.setJoinStyle(Qt.PenJoinStyle.RoundJoin)
    if dash:
        pen.setDashPattern(list(dash))
        pen.setCapStyle(Qt.PenCapStyle.FlatCap)
    painter.strokePath(path, pen)


def paint_handles(painter: QPainter, polygon: QPolygonF, theme: Theme) -> None:
    """Square handles on the corners; they keep their size on screen."""
    painter.setPen(QPen(QColor(theme.outline_dark), 1.5))
    painter.setBrush(QColor(theme.outline_light))
    half = HANDLE_PX / 2
    for corner in polygon.toList():
        painter.drawRect(QRectF(corner.x() - half, corner.y() - half, HANDLE_PX, HANDLE_PX))


def _paint_tag(
    painter: QPainter, canvas: Canvas, outline: tuple[Point, ...], letter: str, hue: QColor, theme: Theme
) -> None:
    """The zone's letter on a small dark plate at its topmost corner."""
    top = min(outline, key=lambda point: (point[1], point[0]))
    place = canvas.to_widget(top)
    plate = QRectF(place.x() + 6, place.y() + 6, 8 + 10 * len(letter), 18)
    painter.setPen(Qt.PenStyle.NoPen)
    painter.setBrush(faded(theme.outline_dark, 0.85))
    painter.drawRoundedRect(plate, 2, 2)
    painter.setPen(hue)
    painter.setFont(text_font(13, bold=True))
    painter.drawText(plate, Qt.AlignmentFlag.AlignCenter, letter)


def paint_draft(painter: QPainter, canvas: Canvas, points: list[Point], theme: Theme) -> None:
    """The outline being drawn, with its first corner marked as the place to close it."""
    corners = [canvas.to_widget(point) for point in points]
    polygon = QPolygonF(corners)
    two_tone(painter, polygon, QColor(theme.outline_light), (4, 2), theme, closed=False)
    paint_handles(painter, QPolygonF(corners[:-1]), theme)
    if len(points) > 3:
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.setPen(QPen(QColor(theme.outline_light), 2))
        painter.drawEllipse(corners[0], 8, 8)


def cells_image(values: np.ndarray, columns: int, rows: int, limit_grey: float) -> QImage:
    """Cells by brightness, and by texture once they pass the limit: small dots, growing with the change.

    Parameters
    ----------
    values : (cells,) uint8 in quarters of a grey level
    """
    side = 8
    level = np.sqrt(values.reshape(rows, columns) / 255.0)
    base = np.kron(20 + 150 * level, np.ones((side, side)))
    over = np.kron(values.reshape(rows, columns) >= limit_grey * CELL_SCALE, np.ones((side, side), bool))
    y, x = np.mgrid[0 : rows * side, 0 : columns * side] % side
    dot = (x - 3.5) ** 2 + (y - 3.5) ** 2 < 6.5
    grey = np.where(over & dot, 250, base).astype(np.uint8)
    height, width = grey.shape
    return QImage(np.ascontiguousarray(grey).data, width, height, width, QImage.Format.Format_Grayscale8).copy()


def paint_readout(painter: QPainter, canvas: Canvas, at: QPointF, text: str, theme: Theme) -> None:
    """A small plate with text beside the mouse."""
    painter.setFont(QFont(text_font(12)))
    width = painter.fontMetrics().horizontalAdvance(text) + 12
    left = min(at.x() + 14, canvas.width() - width - 4)
    plate = QRectF(left, max(4.0, at.y() - 28), width, 22)
    painter.setPen(Qt.PenStyle.NoPen)
    painter.setBrush(faded(theme.outline_dark, 0.88))
    painter.drawRoundedRect(plate, 3, 3)
    painter.setPen(QColor(theme.outline_light))
    painter.drawText(plate, Qt.AlignmentFlag.AlignCenter, text)
