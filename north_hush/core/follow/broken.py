"""A line that must not be broken, and what is followed on it: in which frames something of a kind that is reported is there."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from north_hush.core.detect.settings import ZoneSettings
from north_hush.core.follow.tracks import FOOT, HOW, LEFT, RIGHT, TOP, UNSEEN
from north_hush.core.grid import Grid
from north_hush.core.scene.items import Watcher, Wire
from north_hush.core.scene.weights import Weights

_WIDER_CELLS = 1.0
"""A body's box is taken wider all round: change spills over the edge of what moves."""


def names_what_breaks(watcher: Watcher | None, settings: ZoneSettings) -> bool:
    """Tell whether an item is a line that must not be broken, by some kinds of things alone."""
    return isinstance(watcher, Wire) and not watcher.crossed and settings.limits_kinds


class BrokenWatch:
    """Tells what is on a line.

    Parameters
    ----------
    weights : of the line
    """

    def __init__(self, weights: Weights, grid: Grid) -> None:
        counts = np.zeros(grid.cells, np.int64)
        counts[weights.cells] = 1
        self._sums = np.pad(counts.reshape(grid.rows, grid.columns).cumsum(axis=0).cumsum(axis=1), ((1, 0), (1, 0)))

    def on_it(self, sights: NDArray[np.float64]) -> NDArray[np.bool_]:
        """Which sights are seen on the line, (sights,) bool, of (sights, tracks.SIGHT_FIELDS) float64."""
        rows, columns = self._sums.shape[0] - 1, self._sums.shape[1] - 1
        left = np.clip(np.floor(sights[:, LEFT] - _WIDER_CELLS), 0, columns).astype(np.int64)
        right = np.clip(np.ceil(sights[:, RIGHT] + _WIDER_CELLS), 0, columns).astype(np.int64)
        top = np.clip(np.floor(sights[:, TOP] - _WIDER_CELLS), 0, rows).astype(np.int64)
        foot = np.clip(np.ceil(sights[:, FOOT] + _WIDER_CELLS), 0, rows).astype(np.int64)
        held = self._sums
        cells = held[foot, right] - held[top, right] - held[foot, left] + held[top, left]
        return np.asarray((cells > 0) & (sights[:, HOW] != UNSEEN))
