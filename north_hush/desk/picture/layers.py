"""What is painted over the picture: masks, privacy masks, zones, tripwires, size marks and what is being drawn."""

from __future__ import annotations

from collections.abc import Collection, Iterable
from functools import lru_cache
from typing import Any

import numpy as np
from PySide6.QtCore import QPointF, Qt
from PySide6.QtGui import QBrush, QColor, QImage, QPainter, QPainterPath, QPen, QPolygonF

from north_hush.core.scene.handles import rings
from north_hush.core.scene.items import Item, Mask, Privacy, Wire, Zone
from north_hush.core.scene.outline import Point
from north_hush.core.scene.painted import Painted, rescaled, strengths_of
from north_hush.core.scene.privacy import BLANK_GREY, COVERED_FROM
from north_hush.core.site.model import View
from north_hush.desk.look.roles import PATTERN_MASK, Theme, faded, picture_hue, zone_dash
from north_hush.desk.look.style import text_font
from north_hush.desk.picture.canvas import Canvas
from north_hush.desk.picture.draft import Draft
from north_hush.desk.picture.strokes import (
    area_path,
    closed_path,
    paint_arrow,
    paint_handles,
    paint_plate,
    polygon_of,
    two_tone,
)

_ARROW_PX = 30
_PAINTED_WIDTH_MAX = 640


def painted_items(view: View, selected: Collection[str]) -> tuple[Item, ...]:
    """What is painted, in its order: privacy masks and masks first, then zones, wires and size marks."""
    order: list[Item] = [*view.privacy, *view.masks, *view.zones, *view.wires, *view.size_marks]
    return tuple(item for item in order if not item.hidden or item.id in selected or isinstance(item, Privacy))


def paint_items(
    painter: QPainter, canvas: Canvas, items: Iterable[Item], theme: Theme, *, selected: bool, uncovered: bool = False
) -> None:
    """Paint items; selected ones wider and with handles.

    `uncovered`: privacy masks are outlined only, because what is below is being shown.
    """
    for item in items:
        _paint_item(painter, canvas, item, theme, selected, uncovered)
        if selected and not item.locked:
            for ring in rings(item):
                paint_handles(painter, polygon_of(ring.points, canvas), theme)


def _paint_item(painter: QPainter, canvas: Canvas, item: Item, theme: Theme, selected: bool, uncovered: bool) -> None:
    if isinstance(item, Zone):
        _paint_zone(painter, canvas, item, theme, selected)
    elif isinstance(item, Wire):
        _paint_wire(painter, canvas, item, theme, selected)
    elif isinstance(item, Mask):
        _paint_mask(painter, canvas, item, theme, selected)
    elif isinstance(item, Privacy):
        _paint_privacy(painter, canvas, item, theme, selected, uncovered)
    else:
        paint_figure(painter, canvas, item.foot, item.height_frac, theme, ruled=True)


def _paint_zone(painter: QPainter, canvas: Canvas, zone: Zone, theme: Theme, selected: bool) -> None:
    hue = picture_hue(theme, zone.letter)
    two_tone(painter, area_path(zone.area, canvas), hue, zone_dash(zone.letter), theme, wide=selected)
    corners = [point for ring in rings(zone) for point in ring.points]
    if corners:
        tag_at = canvas.to_widget(min(corners, key=lambda point: (point[1], point[0])))
    else:
        tag_at = area_path(zone.area, canvas).boundingRect().topLeft()
    if zone.area:
        paint_plate(painter, tag_at + QPointF(6, 6), zone.letter, hue, theme)


def _paint_wire(painter: QPainter, canvas: Canvas, wire: Wire, theme: Theme, selected: bool) -> None:
    """A line between two posts. Arrows show which way a crossing alarms; without one it must not be broken."""
    polygon = polygon_of(wire.line, canvas)
    hue = picture_hue(theme, wire.letter)
    two_tone(painter, closed_path(polygon, closed=False), hue, zone_dash(wire.letter), theme, wide=selected)
    for end in (polygon.at(0), polygon.at(polygon.count() - 1)):
        for colour, size in ((QColor(theme.outline_dark), 6.0), (hue, 4.0)):
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(colour)
            painter.drawPolygon(
                QPolygonF([end + QPointF(*corner) * size for corner in ((0, -1), (1, 0), (0, 1), (-1, 0))])
            )
    middle, to_a = _middle_and_left(polygon)
    if wire.watches in ("a_to_b", "both"):
        paint_arrow(painter, middle + to_a * 4, middle - to_a * _ARROW_PX, hue, theme)
    if wire.watches in ("b_to_a", "both"):
        paint_arrow(painter, middle - to_a * 4, middle + to_a * _ARROW_PX, hue, theme)
    if wire.crossed or selected:
        for sign, name in ((1, wire.side_a), (-1, wire.side_b)):
            at = middle + to_a * sign * (_ARROW_PX + 14)
            painter.setFont(text_font(13, bold=True))
            width = max(18, painter.fontMetrics().horizontalAdvance(name) + 8)
            paint_plate(painter, at - QPointF(width / 2, 9), name, QColor(theme.outline_light), theme)
    top = min(polygon.toList(), key=lambda point: (point.y(), point.x()))
    paint_plate(painter, top + QPointF(6, 6), wire.letter, hue, theme)


def _middle_and_left(polygon: QPolygonF) -> tuple[QPointF, QPointF]:
    """The point half way along a line, and the unit vector to its left hand there."""
    path = closed_path(polygon, closed=False)
    middle = path.pointAtPercent(0.5) if path.length() > 0 else polygon.at(0)
    before, after = path.pointAtPercent(0.49), path.pointAtPercent(0.51)
    along = after - before
    length = (along.x() ** 2 + along.y() ** 2) ** 0.5
    return (middle, QPointF(along.y(), -along.x()) / length) if length > 0 else (middle, QPointF(0, -1))


def _paint_mask(painter: QPainter, canvas: Canvas, mask: Mask, theme: Theme, selected: bool) -> None:
    if mask.painted is not None:
        painter.drawImage(canvas.picture_rect(), _painted_image(mask.painted, theme.outline_light, theme.outline_dark))
        return
    path = area_path(mask.area, canvas)
    painter.setPen(Qt.PenStyle.NoPen)
    for colour, offset in ((theme.outline_dark, 0), (theme.outline_light, 2)):
        brush = QBrush(faded(colour, 0.5 * mask.strength_percent / 100), PATTERN_MASK)
        painter.setBrushOrigin(offset, 0)
        painter.setBrush(brush)
        painter.drawPath(path)
    two_tone(painter, path, QColor(theme.outline_light), (), theme, wide=selected)


@lru_cache(maxsize=8)
def _painted_image(image: Painted, light: str, dark: str) -> QImage:
    """Hatching over a painted mask, as dense in itself as the mask is strong."""
    strengths = strengths_of(image)
    width = min(_PAINTED_WIDTH_MAX, image.width)
    strengths = rescaled(strengths, width, max(1, image.height * width // image.width))
    height = strengths.shape[0]
    y, x = np.mgrid[0:height, 0:width]
    stripe = (x + y) % 6
    pixels = np.zeros((height, width, 4), np.uint8)
    for colour, place in ((QColor(light), 0), (QColor(dark), 1)):
        pixels[stripe == place, :3] = (colour.blue(), colour.green(), colour.red())
    pixels[..., 3] = np.where(stripe <= 1, strengths // 2 + strengths // 8, 0)
    return QImage(pixels.data, width, height, width * 4, QImage.Format.Format_ARGB32).copy()


def _paint_privacy(
    painter: QPainter, canvas: Canvas, privacy: Privacy, theme: Theme, selected: bool, uncovered: bool
) -> None:
    blank = QColor(BLANK_GREY, BLANK_GREY, BLANK_GREY)
    if privacy.outline is None:
        if privacy.painted is not None and not uncovered:
            painter.drawImage(canvas.picture_rect(), _covered_image(privacy.painted))
        return
    path = closed_path(polygon_of(privacy.outline, canvas))
    if not uncovered:
        painter.fillPath(path, blank)
    two_tone(painter, path, QColor(theme.outline_light), (2, 3), theme, wide=selected)
    inner = path.boundingRect()
    painter.setFont(text_font(12))
    if (
        not uncovered
        and inner.width() > painter.fontMetrics().horizontalAdvance(privacy.name) + 12
        and inner.height() > 20
    ):
        painter.setPen(QColor(theme.outline_light))
        painter.drawText(inner, Qt.AlignmentFlag.AlignCenter, privacy.name)


@lru_cache(maxsize=8)
def _covered_image(image: Painted) -> QImage:
    pixels = np.zeros((image.height, image.width, 4), np.uint8)
    pixels[strengths_of(image) >= COVERED_FROM] = (BLANK_GREY, BLANK_GREY, BLANK_GREY, 255)
    return QImage(pixels.data, image.width, image.height, image.width * 4, QImage.Format.Format_ARGB32).copy()


_BODY = ((0.05, 0.16), (0.12, 0.19), (0.13, 0.5), (0.085, 0.5), (0.075, 0.55), (0.07, 1.0), (0.015, 1.0), (0.0, 0.58))
_FIGURE = (*_BODY, *((-x, y) for x, y in reversed(_BODY[:-1])))
"""Half the outline of somebody standing, and the other half, in heights."""


def paint_figure(
    painter: QPainter, canvas: Canvas, foot: Point, height_frac: float, theme: Theme, *, ruled: bool = False
) -> None:
    """A standing person as an outline; `ruled` adds the bars of a size mark at head and foot."""
    base, top = canvas.to_widget(foot), canvas.to_widget((foot[0], foot[1] - height_frac))
    height = base.y() - top.y()
    path = QPainterPath()
    path.addEllipse(QPointF(base.x(), top.y() + height * 0.07), height * 0.055, height * 0.07)
    outline = [QPointF(base.x() + x * height, top.y() + y * height) for x, y in _FIGURE]
    path.addPolygon(QPolygonF(outline))
    path.closeSubpath()
    two_tone(painter, path, QColor(theme.outline_light), (), theme)
    if ruled:
        for place in (top, base):
            bar = QPainterPath(place - QPointF(12, 0))
            bar.lineTo(place + QPointF(12, 0))
            two_tone(painter, bar, QColor(theme.outline_light), (), theme)


def paint_draft(painter: QPainter, canvas: Canvas, draft: Draft, theme: Theme) -> None:
    """What is being drawn; a first corner is marked as the place to close it."""
    points = draft.points
    if draft.brush_radius_frac and draft.at is not None:
        rect = canvas.picture_rect()
        ring = QPainterPath()
        width, height = draft.brush_radius_frac
        ring.addEllipse(canvas.to_widget(draft.at), width * rect.width(), height * rect.height())
        two_tone(painter, ring, QColor(theme.outline_light), (2, 2) if draft.cuts else (), theme)
    if len(points) < 2:
        return
    corners = polygon_of(points, canvas)
    dash = (1.5, 2) if draft.cuts else (4, 2)
    two_tone(painter, closed_path(corners, closed=draft.closed), QColor(theme.outline_light), dash, theme)
    if not draft.closed:
        paint_handles(painter, QPolygonF(corners.toList()[:-1]), theme)
        if len(points) > 3 and draft.closes:
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.setPen(QPen(QColor(theme.outline_light), 2))
            painter.drawEllipse(corners.at(0), 8, 8)


def paint_proposal(painter: QPainter, canvas: Canvas, outline: tuple[Point, ...], theme: Theme) -> None:
    """A proposed mask: dotted, with handles, not hatched while it is not taken."""
    polygon: Any = polygon_of(outline, canvas)
    two_tone(painter, closed_path(polygon), QColor(theme.accent), (1.5, 2), theme, wide=True)
    paint_handles(painter, polygon, theme)
    below = polygon.boundingRect().bottomLeft() + QPointF(0, 8)
    paint_plate(painter, below, "proposed", QColor(theme.outline_light), theme, bold=False)
