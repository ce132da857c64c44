"""Privacy masks on pixels: one function that blanks, used wherever pixels are shown, exported or saved."""

from __future__ import annotations

from collections.abc import Sequence
from functools import lru_cache

import numpy as np
from numpy.typing import NDArray

from north_hush.core.grid import Grid
from north_hush.core.scene.items import Privacy
from north_hush.core.scene.outline import Point
from north_hush.core.scene.painted import Painted, strengths_of
from north_hush.core.scene.raster import squares_touched

BLANK_GREY = 52
COVERED_FROM = 128
"""Strength from which a painted pixel is covered."""


def blanked(
    pixels: NDArray[np.uint8], privacy: Sequence[Privacy], extent: tuple[float, float] = (1.0, 1.0)
) -> NDArray[np.uint8]:
    """Pixels with everything under privacy masks made one flat grey.

    Parameters
    ----------
    pixels : (height, width) or (height, width, channels) uint8 of an oriented picture, at any size
    extent : width and height of the array as fractions of the picture; an analysis plane may reach a little beyond it

    Returns
    -------
    The same array when there is nothing to cover, else a copy.
    """
    if not privacy:
        return pixels
    height, width = pixels.shape[:2]
    covered = covered_pixels(tuple(privacy), width, height, extent)
    blank = pixels.copy()
    blank[covered] = BLANK_GREY
    return blank


@lru_cache(maxsize=16)
def covered_pixels(
    privacy: tuple[Privacy, ...], width: int, height: int, extent: tuple[float, float] = (1.0, 1.0)
) -> NDArray[np.bool_]:
    """Pixels that privacy masks touch by any part, (height, width) bool, read-only."""
    covered = np.zeros((height, width), bool)
    for held in privacy:
        if held.painted is not None:
            covered |= _painted_pixels(held.painted, width, height, extent)
        elif held.outline is not None:
            covered |= _outlined_pixels(held.outline, width, height, extent)
    covered.setflags(write=False)
    return covered


def _outlined_pixels(
    outline: tuple[Point, ...], width: int, height: int, extent: tuple[float, float]
) -> NDArray[np.bool_]:
    return squares_touched(outline, width, height, extent[0] / width, extent[1] / height)


def _painted_pixels(image: Painted, width: int, height: int, extent: tuple[float, float]) -> NDArray[np.bool_]:
    """Pixels of an array that overlap a covered pixel of the image, counted through sums over both axes."""
    covered = strengths_of(image) >= COVERED_FROM
    if (image.width, image.height) == (width, height) and extent == (1.0, 1.0):
        return covered
    sums = np.pad(covered.cumsum(axis=0, dtype=np.int64).cumsum(axis=1), ((1, 0), (1, 0)))
    top, bottom = _overlapped(height, extent[1], image.height)
    left, right = _overlapped(width, extent[0], image.width)
    held = sums[bottom][:, right] - sums[top][:, right] - sums[bottom][:, left] + sums[top][:, left]
    touched: NDArray[np.bool_] = held > 0
    return touched


def _overlapped(squares: int, extent: float, pixels: int) -> tuple[NDArray[np.int64], NDArray[np.int64]]:
    """First pixel, and the one after the last, that each square of a row overlaps."""
    edges = np.arange(squares + 1) * (extent * pixels / squares)
    # A hair inside, so that a square that ends at a pixel's edge does not take that pixel for rounding's sake.
    first = np.floor(edges[:-1] + 1e-6).astype(np.int64)
    after = np.ceil(edges[1:] - 1e-6).astype(np.int64)
    return np.clip(first, 0, pixels), np.clip(after, 0, pixels)


@lru_cache(maxsize=16)
def cells_painted(image: Painted, grid: Grid) -> NDArray[np.bool_]:
    """Cells that overlap a covered pixel of the image, (cells,) bool, read-only."""
    side = grid.cell_source_px
    extent = (grid.columns * side / grid.width, grid.rows * side / grid.height)
    flat = _painted_pixels(image, grid.columns, grid.rows, extent).ravel()
    flat.setflags(write=False)
    return flat
