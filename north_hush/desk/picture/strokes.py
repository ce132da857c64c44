"""Strokes and plates that read on any picture: a dark edge round a light core."""

from __future__ import annotations

from functools import lru_cache

from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QColor, QPainter, QPainterPath, QPen, QPolygonF, QTransform

from north_hush.core.scene.area import Brushed, Part, Polygon, filled_cells
from north_hush.core.scene.contour import fractions_of, traced
from north_hush.core.scene.outline import Point
from north_hush.desk.look.roles import Theme, faded
from north_hush.desk.look.style import text_font
from north_hush.desk.picture.canvas import Canvas

HANDLE_PX = 7
_EDGE_PX, _CORE_PX = 4.0, 2.0
_PATH_UNITS = 10_000.0
"""Paths are kept in ten-thousandths of the picture: Qt joins paths badly when their numbers are below one."""


def polygon_of(points: tuple[Point, ...] | list[Point], canvas: Canvas) -> QPolygonF:
    """Points in widget coordinates."""
    return QPolygonF([canvas.to_widget(point) for point in points])


@lru_cache(maxsize=1024)
def _path_of(area: tuple[Part, ...]) -> QPainterPath:
    path = QPainterPath()
    for part in area:
        piece = _part_path(part)
        if part.cuts:
            path = path.subtracted(piece)
        else:
            path = piece if path.isEmpty() else path.united(piece)
    return path


def _part_path(part: Part) -> QPainterPath:
    path = QPainterPath()
    if isinstance(part, Polygon):
        loops = [part.points]
    else:
        loops = _loops_of(part)
    for loop in loops:
        path.addPolygon(QPolygonF([QPointF(x * _PATH_UNITS, y * _PATH_UNITS) for x, y in loop]))
        path.closeSubpath()
    return path


def _loops_of(part: Brushed) -> list[tuple[Point, ...]]:
    return [fractions_of(loop, part.cell_width_frac, part.cell_height_frac) for loop in traced(filled_cells(part))]


def area_path(area: tuple[Part, ...], canvas: Canvas) -> QPainterPath:
    """An area in widget coordinates, its parts added and cut out in their order."""
    rect = canvas.picture_rect()
    place = QTransform(rect.width() / _PATH_UNITS, 0, 0, rect.height() / _PATH_UNITS, rect.left(), rect.top())
    return place.map(_path_of(area))


def closed_path(polygon: QPolygonF, *, closed: bool = True) -> QPainterPath:
    """A path along some points."""
    path = QPainterPath()
    path.addPolygon(polygon)
    if closed:
        path.closeSubpath()
    return path


def two_tone(
    painter: QPainter,
    path: QPainterPath,
    core: QColor,
    dash: tuple[float, ...],
    theme: Theme,
    *,
    wide: bool = False,
) -> None:
    """Draw a path with a dark edge and a light core, which reads on snow and on night."""
    painter.setBrush(Qt.BrushStyle.NoBrush)
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


def paint_plate(painter: QPainter, at: QPointF, text: str, colour: QColor, theme: Theme, *, bold: bool = True) -> None:
    """Text on a small dark plate whose upper left corner is at a place."""
    painter.setFont(text_font(13, bold=bold))
    width = max(18, painter.fontMetrics().horizontalAdvance(text) + 8)
    plate = QRectF(at.x(), at.y(), width, 18)
    painter.setPen(Qt.PenStyle.NoPen)
    painter.setBrush(faded(theme.outline_dark, 0.85))
    painter.drawRoundedRect(plate, 2, 2)
    painter.setPen(colour)
    painter.drawText(plate, Qt.AlignmentFlag.AlignCenter, text)


def paint_readout(painter: QPainter, canvas: Canvas, at: QPointF, text: str, theme: Theme) -> None:
    """A small plate with text beside the mouse."""
    painter.setFont(text_font(12))
    width = painter.fontMetrics().horizontalAdvance(text) + 12
    left = min(at.x() + 14, canvas.width() - width - 4)
    plate = QRectF(left, max(4.0, at.y() - 28), width, 22)
    painter.setPen(Qt.PenStyle.NoPen)
    painter.setBrush(faded(theme.outline_dark, 0.88))
    painter.drawRoundedRect(plate, 3, 3)
    painter.setPen(QColor(theme.outline_light))
    painter.drawText(plate, Qt.AlignmentFlag.AlignCenter, text)


def paint_arrow(painter: QPainter, foot: QPointF, tip: QPointF, colour: QColor, theme: Theme) -> None:
    """A two-tone arrow."""
    along = tip - foot
    length = max(1.0, (along.x() ** 2 + along.y() ** 2) ** 0.5)
    unit = along / length
    side = QPointF(-unit.y(), unit.x())
    head = QPolygonF([tip, tip - unit * 10 + side * 6, tip - unit * 10 - side * 6])
    shaft = QPainterPath(foot)
    shaft.lineTo(tip - unit * 8)
    two_tone(painter, shaft, colour, (), theme, wide=True)
    painter.setPen(QPen(faded(theme.outline_dark, 0.85), 1.5))
    painter.setBrush(colour)
    painter.drawPolygon(head)


def corners(rect: QRectF) -> QPainterPath:
    """The four corners of a rectangle, open between them."""
    path, arm = QPainterPath(), min(10.0, rect.width() / 3, rect.height() / 3)
    for corner, x, y in (
        (rect.topLeft(), 1, 1), (rect.topRight(), -1, 1), (rect.bottomRight(), -1, -1), (rect.bottomLeft(), 1, -1),
    ):  # fmt: skip
        path.moveTo(corner + QPointF(x * arm, 0))
        path.lineTo(corner)
        path.lineTo(corner + QPointF(0, y * arm))
    return path
