"""Images to lay over the picture, which dim it: how much changed, where, and how restless each place is."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from PySide6.QtGui import QColor, QImage

from north_hush.core.explain.restless import Restlessness

_SIDE = 8
_SEEN_PX = 0.6
_DIMMING = 165
_FAINT_POWER = 0.6
"""Lifts what changed little, so that it is seen beside what changed much."""
_GAINS = (8, 4, 2, 1)
_BRIGHT_SHARE = 0.002
"""The gain is the largest at which no more of the picture than this would be brighter than the brightest."""


@dataclass(frozen=True)
class Tones:
    """The dark that dims the picture, and the light that marks it."""

    light: QColor
    dark: QColor

    def blend(self, share: NDArray) -> NDArray[np.uint8]:
        """Dimming (0) to full light (1), as (..., 4) bytes of an ARGB32 image."""
        ends = np.array([_bytes_of(self.dark, _DIMMING), _bytes_of(self.light, 255)], float)
        return (ends[0] + np.asarray(share)[..., None] * (ends[1] - ends[0])).astype(np.uint8)


def _bytes_of(colour: QColor, alpha: int) -> tuple[int, int, int, int]:
    return colour.blue(), colour.green(), colour.red(), alpha


def _image_of(pixels: NDArray[np.uint8]) -> QImage:
    height, width = pixels.shape[:2]
    return QImage(np.ascontiguousarray(pixels).data, width, height, width * 4, QImage.Format.Format_ARGB32).copy()


def _spread(values: NDArray, columns: int, rows: int) -> NDArray:
    return values.reshape(rows, columns).repeat(_SIDE, axis=0).repeat(_SIDE, axis=1)


def _within_cell(columns: int, rows: int) -> tuple[NDArray[np.int64], NDArray[np.int64]]:
    y, x = np.mgrid[0 : rows * _SIDE, 0 : columns * _SIDE] % _SIDE
    return x, y


def fitting_gain(grey: NDArray[np.uint8]) -> int:
    """How much brighter a difference is shown, so that what changed is seen and little of it is cut off."""
    allowed = max(1, int(_BRIGHT_SHARE * grey.size))
    return next((gain for gain in _GAINS if int((grey > 255 // gain).sum()) <= allowed), 1)


def difference_image(grey: NDArray[np.uint8], gain: int, tones: Tones) -> QImage:
    """The difference to the frame before, (height, width) in grey levels: light where much changed."""
    table = tones.blend(np.minimum(1.0, np.arange(256) * gain / 255) ** _FAINT_POWER)
    return _image_of(table[grey])


def cells_image(
    values: NDArray[np.uint8],
    columns: int,
    rows: int,
    limits: NDArray[np.int64],
    masked: NDArray[np.bool_],
    tones: Tones,
) -> QImage:
    """Cells by brightness; by texture those that count (a bright dot), those a part-strength mask keeps below (a hollow
    dot, where the change itself would pass), and masked ones (a dark stroke).

    Parameters
    ----------
    values : (cells,) uint8 in quarters of a grey level
    limits : (cells,) smallest value that counts in each, see `plane_limits`
    masked : (cells,) bool
    """
    over = _spread(values >= limits, columns, rows)
    plain = int(limits[~masked].min()) if (~masked).any() else 256
    weakened = _spread((values >= plain) & (values < limits) & ~masked, columns, rows)
    struck = _spread(masked, columns, rows)
    x, y = _within_cell(columns, rows)
    reach = (x - 3.5) ** 2 + (y - 3.5) ** 2
    pixels = _spread_pixels(tones.blend(0.55 * np.sqrt(values / 255.0)), columns, rows)
    pixels[over & (reach < 6.5)] = _bytes_of(tones.light, 255)
    pixels[weakened & (reach < 6.5) & (reach > 2)] = _bytes_of(tones.light, 255)
    pixels[struck & ((x + y) % _SIDE < 2)] = _bytes_of(tones.dark, 255)
    return _image_of(pixels)


def _spread_pixels(pixels: NDArray[np.uint8], columns: int, rows: int) -> NDArray[np.uint8]:
    return pixels.reshape(rows, columns, 4).repeat(_SIDE, axis=0).repeat(_SIDE, axis=1)


def restlessness_image(restless: Restlessness, tones: Tones) -> QImage:
    """Each cell marked by how often it changes.

    A dot, wider for more often (its area goes with the share, so that 1 % is just seen); a bar as high as the dot would
    be where the cell keeps a rhythm.
    """
    grid = restless.grid
    reach = _spread((_SIDE * np.sqrt(restless.share)).clip(0, _SIDE / 2), grid.columns, grid.rows)
    periodic = _spread(restless.period_s > 0, grid.columns, grid.rows)
    x, y = (place - (_SIDE - 1) / 2 for place in _within_cell(grid.columns, grid.rows))
    marked = np.where(periodic, np.abs(y) < reach, x**2 + y**2 < reach**2) & (reach >= _SEEN_PX)
    return _image_of(tones.blend(marked))
