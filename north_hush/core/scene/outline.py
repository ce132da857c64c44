"""Outlines as pure geometry: points in fractions of the picture, and how much of each cell lies inside."""

from __future__ import annotations

import math
from functools import lru_cache
from itertools import pairwise
from typing import Annotated

import numpy as np
from numpy.typing import NDArray
from pydantic import Field

from north_hush.core.grid import Grid

POINTS_MIN = 3
POINTS_MAX = 2000

Fraction01 = Annotated[float, Field(ge=0, le=1)]
Point = tuple[Fraction01, Fraction01]
Outline = Annotated[tuple[Point, ...], Field(min_length=POINTS_MIN, max_length=POINTS_MAX)]

Line = Annotated[tuple[Point, ...], Field(min_length=2, max_length=POINTS_MAX)]
"""An open line of two or more points."""

WHOLE_PICTURE: tuple[Point, ...] = ((0.0, 0.0), (1.0, 0.0), (1.0, 1.0), (0.0, 1.0))

_SAMPLES_ACROSS = 4
SIXTEENTHS = _SAMPLES_ACROSS**2
"""Sample points in a cell; a share of a cell is counted in sixteenths."""


def contains(outline: tuple[Point, ...], x_frac: float, y_frac: float) -> bool:
    """Tell whether a point lies inside, by the even-odd rule (edges that cross leave holes)."""
    inside = False
    for (x0, y0), (x1, y1) in zip(outline, (*outline[1:], outline[0]), strict=True):
        if (y0 > y_frac) != (y1 > y_frac) and x_frac < x0 + (y_frac - y0) * (x1 - x0) / (y1 - y0):
            inside = not inside
    return inside


@lru_cache(maxsize=512)
def cell_shares(outline: tuple[Point, ...], grid: Grid) -> NDArray[np.uint8]:
    """Share of each cell inside an outline, by the even-odd rule at 4 x 4 sample points a cell.

    Returns
    -------
    (cells,) uint8, 0..16, row-major, read-only. Sample points beyond the picture's edge count as outside.
    """
    side = grid.cell_source_px
    flat = raster_shares(outline, grid.columns, grid.rows, side / grid.width, side / grid.height).ravel()
    flat.setflags(write=False)
    return flat


@lru_cache(maxsize=512)
def line_shares(line: tuple[Point, ...], grid: Grid) -> NDArray[np.uint8]:
    """Sixteenths of a cell's side that a line runs through each cell, rounded; at least 1 where it touches.

    Returns
    -------
    (cells,) uint8, 0..16, row-major, read-only.
    """
    corners = np.asarray(line, np.float64) * (grid.width, grid.height) / grid.cell_source_px
    places = []
    for start, end in pairwise(corners):
        steps = max(1, math.ceil(float(np.hypot(*(end - start))) * SIXTEENTHS))
        places.append(start + (end - start) * ((np.arange(steps) + 0.5) / steps)[:, None])
    cells = np.floor(np.concatenate(places)).astype(np.int64)
    inside = (cells >= 0).all(axis=1) & (cells < (grid.columns, grid.rows)).all(axis=1)
    counts = np.bincount(cells[inside, 1] * grid.columns + cells[inside, 0], minlength=grid.cells)
    shares = np.minimum(counts, SIXTEENTHS).astype(np.uint8)
    shares.setflags(write=False)
    return shares


def raster_shares(
    outline: tuple[Point, ...], columns: int, rows: int, width_frac: float, height_frac: float
) -> NDArray[np.uint8]:
    """Share of each square of a raster inside an outline; see `cell_shares`.

    Parameters
    ----------
    columns, rows : size of the raster
    width_frac, height_frac : size of one square, as fractions of the picture

    Returns
    -------
    (rows, columns) uint8, 0..16
    """
    sample_x = (np.arange(columns * _SAMPLES_ACROSS) + 0.5) * (width_frac / _SAMPLES_ACROSS)
    sample_y = (np.arange(rows * _SAMPLES_ACROSS) + 0.5) * (height_frac / _SAMPLES_ACROSS)
    start = np.asarray(outline, np.float64)
    end = np.roll(start, -1, axis=0)
    low, high = np.minimum(start[:, 1], end[:, 1]), np.maximum(start[:, 1], end[:, 1])
    flips = np.zeros((len(sample_y), len(sample_x) + 1), np.int32)
    # An edge crosses a sample row when low <= y < high; the samples left of the crossing flip.
    crossed, edges = np.nonzero((low <= sample_y[:, None]) & (sample_y[:, None] < high))
    along = (sample_y[crossed] - start[edges, 1]) / (end[edges, 1] - start[edges, 1])
    crossing = start[edges, 0] + along * (end[edges, 0] - start[edges, 0])
    np.add.at(flips, (crossed, np.searchsorted(sample_x, crossing, side="left")), 1)
    # A sample is inside when an odd number of crossings lies to its right.
    right_of = flips.sum(axis=1, keepdims=True) - np.cumsum(flips, axis=1)[:, :-1]
    inside = (right_of & 1).astype(np.uint8)
    inside *= (sample_x < 1) & (sample_y < 1)[:, None]
    shares: NDArray[np.uint8] = inside.reshape(rows, _SAMPLES_ACROSS, columns, _SAMPLES_ACROSS).sum(
        axis=(1, 3), dtype=np.uint8
    )
    return shares


def bounds(outline: tuple[Point, ...]) -> tuple[float, float, float, float]:
    """Left, top, right and bottom of an outline, in fractions."""
    xs, ys = zip(*outline, strict=True)
    return min(xs), min(ys), max(xs), max(ys)
