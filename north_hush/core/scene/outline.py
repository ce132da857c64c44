"""Outlines as points in fractions of the picture: inside, bounds, shifting, simplifying."""

from __future__ import annotations

from typing import Annotated

import numpy as np
from numpy.typing import NDArray
from pydantic import Field

POINTS_MIN = 3
POINTS_MAX = 2000

Fraction01 = Annotated[float, Field(ge=0, le=1)]
Point = tuple[Fraction01, Fraction01]
Outline = Annotated[tuple[Point, ...], Field(min_length=POINTS_MIN, max_length=POINTS_MAX)]

Line = Annotated[tuple[Point, ...], Field(min_length=2, max_length=POINTS_MAX)]
"""An open line of two or more points."""

WHOLE_PICTURE: tuple[Point, ...] = ((0.0, 0.0), (1.0, 0.0), (1.0, 1.0), (0.0, 1.0))

_DECIMALS = 5


def inside_picture(at: tuple[float, float]) -> Point:
    """The nearest point of the picture, rounded to what is stored."""
    return round(min(max(at[0], 0.0), 1.0), _DECIMALS), round(min(max(at[1], 0.0), 1.0), _DECIMALS)


def rectangle(first: Point, second: Point) -> tuple[Point, ...]:
    """The outline of the upright rectangle between two opposite corners."""
    (x0, y0), (x1, y1) = first, second
    return ((x0, y0), (x1, y0), (x1, y1), (x0, y1))


def contains(outline: tuple[Point, ...], x_frac: float, y_frac: float) -> bool:
    """Tell whether a point lies inside, by the even-odd rule (edges that cross leave holes)."""
    inside = False
    for (x0, y0), (x1, y1) in zip(outline, (*outline[1:], outline[0]), strict=True):
        if (y0 > y_frac) != (y1 > y_frac) and x_frac < x0 + (y_frac - y0) * (x1 - x0) / (y1 - y0):
            inside = not inside
    return inside


def bounds(points: tuple[Point, ...]) -> tuple[float, float, float, float]:
    """Left, top, right and bottom of some points, in fractions."""
    xs, ys = zip(*points, strict=True)
    return min(xs), min(ys), max(xs), max(ys)


def shift_within(box: tuple[float, float, float, float], dx: float, dy: float) -> tuple[float, float]:
    """Shorten a shift so that a box (left, top, right, bottom) stays inside the picture."""
    left, top, right, bottom = box
    return min(max(dx, -left), 1 - right), min(max(dy, -top), 1 - bottom)


def shifted(points: tuple[Point, ...], dx: float, dy: float) -> tuple[Point, ...]:
    """Shift points, each held inside the picture."""
    return tuple(inside_picture((x + dx, y + dy)) for x, y in points)


def simplified(outline: tuple[Point, ...], tolerance_frac: float) -> tuple[Point, ...]:
    """Leave out corners of a closed outline that lie within a tolerance of the line without them.

    Ramer, U. (1972), "An iterative procedure for the polygonal approximation of plane curves"; Douglas and Peucker
    (1973). The outline is cut at its first corner and at the corner farthest from it. At least three corners stay.

    Parameters
    ----------
    tolerance_frac : greatest distance of a corner left out from the outline, as a fraction of width and of height
    """
    if len(outline) <= POINTS_MIN:
        return outline
    points = np.asarray(outline, np.float64)
    far = int(np.argmax(((points - points[0]) ** 2).sum(axis=1)))
    if far == 0:
        return outline[:POINTS_MIN]
    closed = np.vstack([points, points[:1]])
    kept = sorted(_kept(closed, 0, far, tolerance_frac) | _kept(closed, far, len(points), tolerance_frac))
    places = [place for place in kept if place < len(points)]
    if len(places) < POINTS_MIN:
        places = sorted({0, far, _farthest(closed, 0, far)[0] if far > 1 else _farthest(closed, far, len(points))[0]})
    return tuple(outline[place] for place in places)


def _kept(points: NDArray[np.float64], first: int, last: int, tolerance: float) -> set[int]:
    kept, open_spans = {first, last}, [(first, last)]
    while open_spans:
        start, end = open_spans.pop()
        if end - start < 2:
            continue
        place, distance = _farthest(points, start, end)
        if distance > tolerance:
            kept.add(place)
            open_spans += [(start, place), (place, end)]
    return kept


def _farthest(points: NDArray[np.float64], start: int, end: int) -> tuple[int, float]:
    """The point between two others that lies farthest from the segment they span, and its distance."""
    along = points[end] - points[start]
    offsets = points[start + 1 : end] - points[start]
    length2 = float(along @ along)
    share = np.clip(offsets @ along / length2, 0, 1) if length2 else np.zeros(len(offsets))
    distances = np.hypot(*(offsets - share[:, None] * along).T)
    place = int(np.argmax(distances))
    return start + 1 + place, float(distances[place])
