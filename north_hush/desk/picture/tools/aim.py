"""Where the mouse aims: near a corner, on an edge, at an item, along an angle."""

from __future__ import annotations

import math

from PySide6.QtCore import QPointF

from north_hush.core.scene.handles import item_bounds, item_contains, rings
from north_hush.core.scene.items import Item, Mask, SizeMark, Wire
from north_hush.core.scene.outline import Point, inside_picture
from north_hush.core.site.model import View
from north_hush.desk.picture.canvas import Canvas

NEAR_PX = 9
_ANGLE_STEP = math.pi / 4


def near(canvas: Canvas, first: Point, second: Point, distance_px: float = NEAR_PX) -> bool:
    """Tell whether two points of the picture lie close together on the screen."""
    offset = canvas.to_widget(first) - canvas.to_widget(second)
    return QPointF.dotProduct(offset, offset) <= distance_px**2


def angled(canvas: Canvas, origin: Point, at: Point) -> Point:
    """The point nearest to `at` that lies level with, upright to or at 45 degrees from another, as seen on screen."""
    start, end = canvas.to_widget(origin), canvas.to_widget(at)
    dx, dy = end.x() - start.x(), end.y() - start.y()
    angle = round(math.atan2(dy, dx) / _ANGLE_STEP) * _ANGLE_STEP
    length = dx * math.cos(angle) + dy * math.sin(angle)
    place = QPointF(start.x() + length * math.cos(angle), start.y() + length * math.sin(angle))
    return inside_picture(canvas.to_picture(place))


def corner_at(canvas: Canvas, item: Item, at: Point) -> tuple[int, int] | None:
    """Ring and corner of an item under the mouse."""
    for number, ring in enumerate(rings(item)):
        for place, corner in enumerate(ring.points):
            if near(canvas, at, corner):
                return number, place
    return None


def edge_at(canvas: Canvas, item: Item, at: Point) -> tuple[int, int] | None:
    """Ring and number of the edge under the mouse; edge n runs from corner n to the next."""
    for number, ring in enumerate(rings(item)):
        ends = (*ring.points[1:], ring.points[0])
        edges = list(zip(ring.points, ends, strict=True))[: None if ring.closed else -1]
        for place, (first, second) in enumerate(edges):
            if edge_distance(canvas, at, first, second) <= NEAR_PX:
                return number, place
    return None


def item_at(canvas: Canvas, view: View, at: Point) -> str:
    """The item under the mouse: a wire or size mark near it, else the smallest area round it; '' when there is none."""
    shown = [item for item in view.items if not item.hidden]
    for item in shown:
        if isinstance(item, Wire | SizeMark) and edge_at(canvas, item, at) is not None:
            return item.id
    under = [item for item in shown if item_contains(item, *at)]
    if not under:
        return ""

    def extent(item: Item) -> float:
        if isinstance(item, Mask) and item.painted is not None:
            return 2.0
        left, top, right, bottom = item_bounds(item)
        return (right - left) * (bottom - top)

    return min(under, key=extent).id


def edge_distance(canvas: Canvas, at: Point, first: Point, second: Point) -> float:
    """Distance of a point from an edge in widget pixels."""
    p, a, b = canvas.to_widget(at), canvas.to_widget(first), canvas.to_widget(second)
    edge, offset = b - a, p - a
    length2 = QPointF.dotProduct(edge, edge) or 1.0
    share = min(1.0, max(0.0, QPointF.dotProduct(offset, edge) / length2))
    gap = offset - edge * share
    return float(QPointF.dotProduct(gap, gap)) ** 0.5
