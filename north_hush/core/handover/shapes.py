"""Shapes as devices take them: cells over the picture, polygons with few corners, rectangles."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from north_hush.core.scene.area import Brushed, Part, Polygon, area_bounds, area_samples, brushed_part
from north_hush.core.scene.contour import traced
from north_hush.core.scene.items import Mask
from north_hush.core.scene.outline import Point, rectangle, simplified
from north_hush.core.scene.painted import Painted, strengths_of
from north_hush.core.scene.raster import SIXTEENTHS, sample_places, shares_of

_FINE = 240
"""Squares across the picture, of which an outline is traced where the drawing is no single polygon."""
_SIMPLIFY_FROM_FRAC, _SIMPLIFY_TO_FRAC = 0.001, 0.5


def shares_on(area: tuple[Part, ...], columns: int, rows: int) -> NDArray[np.uint8]:
    """Share of each cell of a raster over the whole picture that lies inside an area, (rows, columns) uint8 in sixteenths."""
    return shares_of(area_samples(area, sample_places(columns, 1 / columns), sample_places(rows, 1 / rows)))


def cells_of(area: tuple[Part, ...], masks: tuple[Mask, ...], columns: int, rows: int) -> NDArray[np.bool_]:
    """The cells of a raster that an area fills by half or more and that no mask takes out by half or more, (rows, columns) bool."""
    kept = 2 * shares_on(area, columns, rows) >= SIXTEENTHS
    for mask in masks:
        if mask.strength_percent > 50 or mask.painted is not None:
            kept &= ~_masked(mask, columns, rows)
    return kept


def _masked(mask: Mask, columns: int, rows: int) -> NDArray[np.bool_]:
    if mask.painted is not None:
        return _painted_on(mask.painted, columns, rows) >= 128
    return np.asarray(2 * shares_on(mask.area, columns, rows) >= SIXTEENTHS)


def _painted_on(image: Painted, columns: int, rows: int) -> NDArray[np.float64]:
    """Mean strength of an image in each cell of a raster, at 4 x 4 places a cell."""
    strengths = strengths_of(image).astype(np.float64)
    xs, ys = ((np.arange(4 * count) + 0.5) / (4 * count) for count in (columns, rows))
    held = strengths[np.ix_((ys * image.height).astype(int), (xs * image.width).astype(int))]
    return np.asarray(held.reshape(rows, 4, columns, 4).mean(axis=(1, 3)))


def brushed_cells(filled: NDArray[np.bool_]) -> Brushed:
    """Cells of a raster over the whole picture as a part of an area."""
    rows, columns = filled.shape
    return brushed_part((columns, rows, 1 / columns, 1 / rows), filled)


def polygon_of(area: tuple[Part, ...], corners_most: int) -> tuple[Point, ...]:
    """An area as one polygon with so many corners at most: its own where it is one, else the largest outline of it.
    () of nothing."""
    outline = _outline(area)
    tolerance = _SIMPLIFY_FROM_FRAC
    while len(outline) > corners_most and tolerance < _SIMPLIFY_TO_FRAC:
        outline = simplified(outline, tolerance)
        tolerance *= 1.5
    return outline if 3 <= len(outline) <= corners_most else rectangle_of(area)


def _outline(area: tuple[Part, ...]) -> tuple[Point, ...]:
    if len(area) == 1 and isinstance(area[0], Polygon) and not area[0].cuts:
        return area[0].points
    filled = 2 * shares_on(area, _FINE, _FINE) >= SIXTEENTHS
    loops = [tuple((x / _FINE, y / _FINE) for x, y in loop) for loop in traced(filled)]
    return max(loops, key=_extent, default=())


def _extent(outline: tuple[Point, ...]) -> float:
    """Twice the area of a polygon (shoelace formula)."""
    xs, ys = np.array(outline).T
    return float(abs((xs * np.roll(ys, -1) - ys * np.roll(xs, -1)).sum()))


def rectangle_of(area: tuple[Part, ...]) -> tuple[Point, ...]:
    """The rectangle around an area; () of nothing."""
    box = area_bounds(area)
    return () if box is None else rectangle((box[0], box[1]), (box[2], box[3]))
