"""What a zone or wire watches, cell by cell: how much of the cell is in it, and how strongly it counts."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from north_hush.core.grid import Grid
from north_hush.core.scene.items import Mask, Watcher, Wire
from north_hush.core.scene.outline import SIXTEENTHS, WHOLE_PICTURE, cell_shares, line_shares

FULLY_WATCHED = 255


@dataclass(frozen=True, eq=False)
class Weights:
    """Only the cells that count, that is with a share above 0 and a weight above 0.

    Attributes
    ----------
    cells : (n,) int64, ascending cell numbers
    area : (n,) uint8, sixteenths of the cell inside the zone, 1..16
    weight : (n,) uint8, 1..255; 255 counts in full, less weakens the cell's value
    """

    cells: NDArray[np.int64]
    area: NDArray[np.uint8]
    weight: NDArray[np.uint8]

    @property
    def total(self) -> int:
        """Watched area in sixteenths of a cell; 0 means the zone is not watched at all."""
        return int(self.area.sum(dtype=np.int64))


def masked_weights(masks: Sequence[Mask], grid: Grid) -> NDArray[np.uint8]:
    """Weight of each cell under masks, (cells,) uint8.

    A cell belongs to a mask when at least half of it lies under it. Where masks overlap, the strongest counts.
    """
    weights = np.full(grid.cells, FULLY_WATCHED, np.uint8)
    for mask in masks:
        under = cell_shares(mask.outline, grid) * 2 >= SIXTEENTHS
        left = round(FULLY_WATCHED * (100 - mask.strength_percent) / 100)
        weights[under] = np.minimum(weights[under], left)
    return weights


def watched_weights(watcher: Watcher | None, masks: Sequence[Mask], grid: Grid) -> Weights:
    """Weights of a zone or wire under masks; None stands for the whole picture.

    A zone weighs each cell by the share inside it, a wire by the length that runs through.
    """
    if isinstance(watcher, Wire):
        area = line_shares(watcher.outline, grid)
    else:
        area = cell_shares(WHOLE_PICTURE if watcher is None else watcher.outline, grid)
    weight = masked_weights(masks, grid)
    cells = np.flatnonzero((area > 0) & (weight > 0))
    return Weights(cells, area[cells], weight[cells])
