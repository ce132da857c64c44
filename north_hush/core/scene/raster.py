"""Outlines and lines on a raster of squares: shares in sixteenths, and squares that are touched at all."""

from __future__ import annotations

import math
from itertools import pairwise

import numpy as np
from numpy.typing import NDArray

from north_hush.core.scene.outline import Point

SAMPLES_ACROSS = 4
SIXTEENTHS = SAMPLES_ACROSS**2
"""Sample points in a square; a share of a square is counted in sixteenths."""


def samples_inside(outline: tuple[Point, ...], xs: NDArray[np.float64], ys: NDArray[np.float64]) -> NDArray[np.bool_]:
    """Which points of a lattice lie inside an outline, by the even-odd rule.

    Parameters
    ----------
    xs, ys : ascending, in fractions of the picture

    Returns
    -------
    (len(ys), len(xs)) bool. Points beyond the picture's edge are outside.
    """
    start = np.asarray(outline, np.float64)
    end = np.roll(start, -1, axis=0)
    low, high = np.minimum(start[:, 1], end[:, 1]), np.maximum(start[:, 1], end[:, 1])
    flips = np.zeros((len(ys), len(xs) + 1), np.int32)
    # An edge crosses a row of points when low <= y < high; the points left of the crossing flip.
    crossed, edges = np.nonzero((low <= ys[:, None]) & (ys[:, None] < high))
    along = (ys[crossed] - start[edges, 1]) / (end[edges, 1] - start[edges, 1])
    crossing = start[edges, 0] + along * (end[edges, 0] - start[edges, 0])
    np.add.at(flips, (crossed, np.searchsorted(xs, crossing, side="left")), 1)
    # A point is inside when an odd number of crossings lies to its right.
    right_of = flips.sum(axis=1, keepdims=True) - np.cumsum(flips, axis=1)[:, :-1]
    inside: NDArray[np.bool_] = (right_of & 1).astype(bool)
    inside &= (xs < 1) & (ys < 1)[:, None]
    return inside


def sample_places(squares: int, size_frac: float, across: int = SAMPLES_ACROSS) -> NDArray[np.float64]:
    """Places of the sample points of a row of squares, in fractions of the picture."""
    return np.asarray((np.arange(squares * across) + 0.5) * (size_frac / across), np.float64)


def shares_of(inside: NDArray[np.bool_]) -> NDArray[np.uint8]:
    """Count sample points by square: (rows * 4, columns * 4) bool to (rows, columns) uint8, 0..16."""
    rows, columns = (side // SAMPLES_ACROSS for side in inside.shape)
    counted: NDArray[np.uint8] = inside.reshape(rows, SAMPLES_ACROSS, columns, SAMPLES_ACROSS).sum(
        axis=(1, 3), dtype=np.uint8
    )
    return counted


def raster_shares(
    outline: tuple[Point, ...], columns: int, rows: int, width_frac: float, height_frac: float
) -> NDArray[np.uint8]:
    """Share of each square of a raster inside an outline, by the even-odd rule at 4 x 4 sample points a square.

    Parameters
    ----------
    columns, rows : size of the raster
    width_frac, height_frac : size of one square, as fractions of the picture

    Returns
    -------
    (rows, columns) uint8, 0..16
    """
    return shares_of(samples_inside(outline, sample_places(columns, width_frac), sample_places(rows, height_frac)))


def line_raster_shares(
    line: tuple[Point, ...], columns: int, rows: int, width_frac: float, height_frac: float
) -> NDArray[np.uint8]:
    """Sixteenths of a square's side that a line runs through each square, rounded; at least 1 where it touches.

    Returns
    -------
    (rows, columns) uint8, 0..16
    """
    corners = np.asarray(line, np.float64) / (width_frac, height_frac)
    places = []
    for start, end in pairwise(corners):
        steps = max(1, math.ceil(float(np.hypot(*(end - start))) * SIXTEENTHS))
        places.append(start + (end - start) * ((np.arange(steps) + 0.5) / steps)[:, None])
    squares = np.floor(np.concatenate(places)).astype(np.int64)
    inside = (squares >= 0).all(axis=1) & (squares < (columns, rows)).all(axis=1)
    counts = np.bincount(squares[inside, 1] * columns + squares[inside, 0], minlength=columns * rows)
    shares: NDArray[np.uint8] = np.minimum(counts, SIXTEENTHS).astype(np.uint8).reshape(rows, columns)
    return shares


_CORNER = 1e-9
"""Within so many squares of a corner an edge runs through it."""


def squares_touched(
    outline: tuple[Point, ...], columns: int, rows: int, width_frac: float, height_frac: float
) -> NDArray[np.bool_]:
    """Every square of a raster that an outline covers, be it by the smallest part.

    Squares whose middle is inside, and every square an edge runs through: each edge is cut where it meets the lines of
    the raster, and the middle of each piece names its square.

    Returns
    -------
    (rows, columns) bool
    """
    xs, ys = sample_places(columns, width_frac, 1), sample_places(rows, height_frac, 1)
    touched = samples_inside(outline, xs, ys)
    corners = np.asarray(outline, np.float64) / (width_frac, height_frac)
    for start, end in zip(corners, np.roll(corners, -1, axis=0), strict=True):
        cuts = [np.array([0.0, 1.0])]
        for axis in (0, 1):
            low, high = sorted((start[axis], end[axis]))
            if high > low:
                lines = np.arange(math.ceil(low), math.floor(high) + 1)
                cuts.append((lines - start[axis]) / (end[axis] - start[axis]))
        pieces = np.unique(np.clip(np.concatenate(cuts), 0, 1))
        middles = (pieces[1:] + pieces[:-1]) / 2
        squares = np.floor(start + (end - start) * middles[:, None]).astype(np.int64)
        if (start != end).all():  # a slanted edge through a corner of the raster: rounding must not decide the side
            places = start + (end - start) * pieces[1:-1, None]
            nearest = np.rint(places)
            at_corner = nearest[(np.abs(places - nearest) < _CORNER).all(axis=1)].astype(np.int64)
            around = [at_corner - offset for offset in ((0, 0), (1, 0), (0, 1), (1, 1))]
            squares = np.concatenate([squares, *around])
        squares = squares[(squares >= 0).all(axis=1) & (squares < (columns, rows)).all(axis=1)]
        touched[squares[:, 1], squares[:, 0]] = True
    return touched
