"""Cells as images: how much each changes in a frame, and how restless each is over a stretch."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray
from PySide6.QtGui import QColor, QImage

from north_hush.core.explain.restless import Restlessness

_SIDE = 8
_SEEN_PX = 0.6
_DIMMING = 165


def _grey_image(grey: NDArray[np.uint8]) -> QImage:
    height, width = grey.shape
    return QImage(np.ascontiguousarray(grey).data, width, height, width, QImage.Format.Format_Grayscale8).copy()


def _spread(values: NDArray, columns: int, rows: int) -> NDArray:
    return np.kron(values.reshape(rows, columns), np.ones((_SIDE, _SIDE), values.dtype))


def _within_cell(columns: int, rows: int) -> tuple[NDArray[np.int64], NDArray[np.int64]]:
    y, x = np.mgrid[0 : rows * _SIDE, 0 : columns * _SIDE] % _SIDE
    return x, y


def cells_image(
    values: NDArray[np.uint8], columns: int, rows: int, limits: NDArray[np.int64], masked: NDArray[np.bool_]
) -> QImage:
    """Cells by brightness; by texture those that count (a bright dot), those a part-strength mask keeps below (a hollow
    dot, where the change itself would pass), and masked ones (a dark stroke).

    Parameters
    ----------
    values : (cells,) uint8 in quarters of a grey level
    limits : (cells,) smallest value that counts in each, see `plane_limits`
    masked : (cells,) bool
    """
    base = _spread(20 + 150 * np.sqrt(values / 255.0), columns, rows)
    over = _spread(values >= limits, columns, rows)
    plain = int(limits[~masked].min()) if (~masked).any() else 256
    weakened = _spread((values >= plain) & (values < limits) & ~masked, columns, rows)
    struck = _spread(masked, columns, rows)
    x, y = _within_cell(columns, rows)
    reach = (x - 3.5) ** 2 + (y - 3.5) ** 2
    image = np.where(over & (reach < 6.5), 250, base)
    image = np.where(weakened & (reach < 6.5) & (reach > 2), 250, image)
    image = np.where(struck & ((x + y) % _SIDE < 2), 6, image)
    return _grey_image(image.astype(np.uint8))


def restlessness_image(restless: Restlessness, light: QColor, dark: QColor) -> QImage:
    """An image to lay over the picture: it dims it, and marks each cell by how often it changes.

    A dot, wider for more often (its area goes with the share, so that 1 % is just seen); a bar as high as the dot would
    be where the cell keeps a rhythm.
    """
    grid = restless.grid
    reach = _spread((_SIDE * np.sqrt(restless.share)).clip(0, _SIDE / 2), grid.columns, grid.rows)
    periodic = _spread(restless.period_s > 0, grid.columns, grid.rows)
    x, y = (place - (_SIDE - 1) / 2 for place in _within_cell(grid.columns, grid.rows))
    marked = np.where(periodic, np.abs(y) < reach, x**2 + y**2 < reach**2) & (reach >= _SEEN_PX)
    pixels = np.empty((*marked.shape, 4), np.uint8)
    pixels[:] = (dark.blue(), dark.green(), dark.red(), _DIMMING)
    pixels[marked] = (light.blue(), light.green(), light.red(), 255)
    height, width = marked.shape
    return QImage(pixels.data, width, height, width * 4, QImage.Format.Format_ARGB32).copy()
