"""What a zone or wire watches, cell by cell: how much of the cell is in it, and how strongly it counts."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from functools import cached_property

import numpy as np
from numpy.typing import NDArray

from north_hush.core.grid import Grid
from north_hush.core.scene.area import WHOLE_AREA, cell_shares, cells_touched, line_shares
from north_hush.core.scene.items import Mask, Privacy, Watcher, Wire
from north_hush.core.scene.painted import cell_strengths
from north_hush.core.scene.plan import Plan, watcher_id
from north_hush.core.scene.privacy import cells_painted
from north_hush.core.scene.raster import SIXTEENTHS

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

    @cached_property
    def total(self) -> int:
        """Watched area in sixteenths of a cell; 0 means the zone is not watched at all."""
        return int(self.area.sum(dtype=np.int64))

    @cached_property
    def key(self) -> bytes:
        """The same for equal weights."""
        return self.cells.astype(np.uint32).tobytes() + self.area.tobytes() + self.weight.tobytes()


def masked_weights(masks: Sequence[Mask], grid: Grid, privacy: Sequence[Privacy] = ()) -> NDArray[np.uint8]:
    """Weight of each cell under masks, (cells,) uint8.

    A cell belongs to a mask when at least half of it lies under it. Where masks overlap, the strongest counts. A cell
    touched by a privacy mask has none.
    """
    weights = np.full(grid.cells, FULLY_WATCHED, np.uint8)
    for mask in masks:
        if mask.painted is not None:
            left = FULLY_WATCHED - cell_strengths(mask.painted, grid)
        else:
            under = cell_shares(mask.area, grid) * 2 >= SIXTEENTHS
            kept = np.uint8(FULLY_WATCHED - mask_grey(mask))
            left = np.where(under, kept, np.uint8(FULLY_WATCHED))
        weights = np.minimum(weights, left)
    for held in privacy:
        touched = cells_painted(held.painted, grid) if held.painted else cells_touched(held.outline or (), grid)
        weights[touched] = 0
    return weights


def mask_grey(mask: Mask) -> int:
    """Strength of a drawn mask on the scale of mask images, 0..255."""
    return FULLY_WATCHED - round(FULLY_WATCHED * (100 - mask.strength_percent) / 100)


def plane_weights(watcher_id: str, plan: Plan, grid: Grid) -> NDArray[np.uint8]:
    """Weight of every cell of the view under the masks that count for a zone or wire, (cells,) uint8."""
    return masked_weights([mask for mask in plan.masks if mask.covers(watcher_id)], grid, plan.privacy)


def watched_weights(watcher: Watcher | None, plan: Plan, grid: Grid) -> Weights:
    """Weights of a zone or wire under the masks of a plan; None stands for the whole picture.

    A zone weighs each cell by the share inside it, a wire by the length that runs through.
    """
    if isinstance(watcher, Wire):
        area = line_shares(watcher.line, grid)
    else:
        area = cell_shares(WHOLE_AREA if watcher is None else watcher.area, grid)
    weight = plane_weights(watcher_id(watcher), plan, grid)
    cells = np.flatnonzero((area > 0) & (weight > 0))
    return Weights(cells, area[cells], weight[cells])
