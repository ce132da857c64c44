"""The corners of an item that can be taken hold of, whatever kind it is."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

from north_hush.core.scene.area import Polygon, area_bounds, area_contains, shifted_area
from north_hush.core.scene.items import Item, Mask, Privacy, SizeMark, Wire, Zone
from north_hush.core.scene.outline import (
    POINTS_MIN,
    WHOLE_PICTURE,
    Point,
    bounds,
    contains,
    shift_within,
    shifted,
)


@dataclass(frozen=True)
class Ring:
    """One chain of corners of an item."""

    points: tuple[Point, ...]
    closed: bool = True

    @property
    def points_min(self) -> int:
        """How many corners must stay."""
        return POINTS_MIN if self.closed else 2


def rings(item: Item) -> tuple[Ring, ...]:
    """Corners of an item: of each polygon of its area, of its line, or foot and head of a size mark."""
    if isinstance(item, Zone | Mask):
        return tuple(Ring(part.points) for part in item.area if isinstance(part, Polygon))
    if isinstance(item, Wire):
        return (Ring(item.line, closed=False),)
    if isinstance(item, SizeMark):
        return (Ring((item.foot, item.head), closed=False),)
    return (Ring(item.outline),) if item.outline else ()


def with_ring(item: Item, place: int, points: tuple[Point, ...]) -> dict[str, Any]:
    """The fields of an item that change when the corners of one of its rings do."""
    if isinstance(item, Zone | Mask):
        polygons = [number for number, part in enumerate(item.area) if isinstance(part, Polygon)]
        area = list(item.area)
        area[polygons[place]] = Polygon(points=points, cuts=area[polygons[place]].cuts)
        return {"area": tuple(area)}
    if isinstance(item, Wire):
        return {"line": points}
    if isinstance(item, SizeMark):
        foot, head = points
        top, bottom = sorted((foot[1], head[1]))
        # The end that was not moved keeps its place; a mark stands upright.
        x_frac = head[0] if foot == item.foot else foot[0]
        bottom = max(bottom, _MARK_MIN_FRAC)  # a mark keeps some height even against the upper edge
        return {"foot": (x_frac, bottom), "height_frac": max(bottom - top, _MARK_MIN_FRAC)}
    return {"outline": points}


_MARK_MIN_FRAC = 0.002


def moved(item: Item, dx: float, dy: float) -> dict[str, Any]:
    """The fields of an item that change when it is moved as a whole, as far as it stays inside the picture."""
    if isinstance(item, Zone | Mask):
        return {"area": shifted_area(item.area, dx, dy)}
    if isinstance(item, SizeMark):
        box = bounds((item.foot, item.head))
        return {"foot": shifted((item.foot,), *shift_within(box, dx, dy))[0]}
    points = item.line if isinstance(item, Wire) else item.outline
    if points is None:
        return {}
    kept = shifted(points, *shift_within(bounds(points), dx, dy))
    return {"line": kept} if isinstance(item, Wire) else {"outline": kept}


def item_contains(item: Item, x_frac: float, y_frac: float) -> bool:
    """Tell whether a point lies in an item that has an inside."""
    if isinstance(item, Mask) and item.painted is not None:
        return True
    if isinstance(item, Zone | Mask):
        return area_contains(item.area, x_frac, y_frac)
    if isinstance(item, Privacy):
        return item.outline is None or contains(item.outline, x_frac, y_frac)
    return False


def item_bounds(item: Item) -> tuple[float, float, float, float]:
    """Left, top, right and bottom of an item; a painted one reaches over the whole picture."""
    if isinstance(item, Zone | Mask) and item.area:
        return area_bounds(item.area) or (0.0, 0.0, 0.0, 0.0)
    held = rings(item)
    return bounds(held[0].points if held else WHOLE_PICTURE)
