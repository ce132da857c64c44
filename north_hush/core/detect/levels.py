"""Levels: which share of a watched zone changed in each frame.

    level(t) = 100 * sum(a where floor(w E(t)) >= s) / sum(a)      percent of the watched zone

over the zone's counting cells, with a their area in sixteenths, w their weight, E their value and s the change limit.
Everything is kept as the integer sum of areas, so that ties are exact.
"""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from north_hush.core.compiled import compiled
from north_hush.core.footage.differences import CELL_SCALE
from north_hush.core.scene.weights import FULLY_WATCHED, Weights

WHOLE_FROM_GREY = 10
VALUES = 256
"""Cell values run from 0 to 255 quarters."""
RUNGS = np.array([*range(WHOLE_FROM_GREY * CELL_SCALE), *range(WHOLE_FROM_GREY * CELL_SCALE, VALUES, CELL_SCALE), 255])
"""Change limits, in quarters, that a dial stands on: a quarter of a grey level apart, from WHOLE_FROM_GREY on a whole one."""
_RUNG_AT = np.full(VALUES, -1, np.int16)
_RUNG_AT[RUNGS] = np.arange(len(RUNGS))


def cell_limits(weight: NDArray[np.uint8], limit_quarters: int) -> NDArray[np.int64]:
    """Smallest cell value that counts: floor(w E / 255) >= s exactly when E >= ceil(255 s / w)."""
    return -(-FULLY_WATCHED * limit_quarters // weight.astype(np.int64))


def changed_areas(values: NDArray[np.uint8], weights: Weights, limit_quarters: int) -> NDArray[np.int64]:
    """Area over the change limit per frame, in sixteenths of a cell.

    Parameters
    ----------
    values : (cells, frames) uint8, a channel of the evidence
    weights : of the zone
    limit_quarters : change limit in quarters of a grey level

    Returns
    -------
    (frames,) int64
    """
    return areas_over(values, weights, cell_limits(weights.weight, limit_quarters))


def areas_over(values: NDArray[np.uint8], weights: Weights, limits: NDArray[np.int64]) -> NDArray[np.int64]:
    """The same at limits that are known, (cells of the weights,): live they are the same in each frame."""
    return _sum_areas(values, weights.cells, weights.area, limits)


@compiled
def _sum_areas(
    values: NDArray[np.uint8], cells: NDArray[np.int64], area: NDArray[np.uint8], limits: NDArray[np.int64]
) -> NDArray[np.int64]:
    frames = values.shape[1]
    sums = np.zeros(frames, np.int64)
    block = 4096  # the sums of a block stay in the nearest cache while all cells pass over it
    for first in range(0, frames, block):
        end = min(first + block, frames)
        part = np.zeros(end - first, np.uint16)
        for i in range(cells.size):
            if limits[i] <= 255:
                limit = np.uint8(limits[i])
                share = np.uint16(area[i])
                row = values[cells[i], first:end]
                for t in range(end - first):
                    part[t] += share * np.uint16(row[t] >= limit)
            if i % 4000 == 3999:  # 4,000 cells of 16 sixteenths stay below 65,536
                for t in range(end - first):
                    sums[first + t] += part[t]
                part[:] = 0
        for t in range(end - first):
            sums[first + t] += part[t]
    return sums


def changed_areas_numpy(values: NDArray[np.uint8], weights: Weights, limit_quarters: int) -> NDArray[np.int64]:
    """The NumPy twin of `changed_areas`, written as the formula reads."""
    weighed = values[weights.cells].astype(np.int64) * weights.weight[:, None].astype(np.int64) // FULLY_WATCHED
    areas: NDArray[np.int64] = ((weighed >= limit_quarters) * weights.area[:, None].astype(np.int64)).sum(axis=0)
    return areas


def rung_of(limit_quarters: int) -> int | None:
    """Row of a change limit in a survival table, None where it has none."""
    row = int(_RUNG_AT[limit_quarters])
    return row if row >= 0 else None


def survival_table(values: NDArray[np.uint8], weights: Weights) -> NDArray[np.unsignedinteger]:
    """Changed area per frame at every change limit a dial stands on, all at once.

    Returns
    -------
    (len(RUNGS), frames) uint16, or uint32 where the watched area passes 65,535 sixteenths; row r is `changed_areas` at a
    limit of RUNGS[r] quarters.
    """
    table = np.empty((len(RUNGS), values.shape[1]), table_dtype(weights.total))
    fill_survival(values, weights, table, 0)
    return table


def fill_survival(
    values: NDArray[np.uint8], weights: Weights, table: NDArray[np.unsignedinteger], first_frame: int
) -> None:
    """Fill the columns of a survival table, (len(RUNGS), frames), that belong to a block of frames from `first_frame` on."""
    _fill_survival(values, weights.cells, weights.area, weights.weight, np.asarray(table), first_frame, _RUNG_AT)


def table_dtype(total: int) -> np.dtype[np.unsignedinteger]:
    """The smallest type that holds areas up to a total."""
    return np.dtype(np.uint16) if total <= np.iinfo(np.uint16).max else np.dtype(np.uint32)


@compiled
def _fill_survival(
    values: NDArray[np.uint8],
    cells: NDArray[np.int64],
    area: NDArray[np.uint8],
    weight: NDArray[np.uint8],
    table: NDArray[np.unsignedinteger],
    first_frame: int,
    rung_at: NDArray[np.int16],
) -> None:
    frames = values.shape[1]
    block = 256
    part = np.zeros(
        (VALUES, block), np.int32
    )  # by value first: those that occur are few, and stay in the nearest cache
    for first in range(0, frames, block):
        end = min(first + block, frames)
        part[:] = 0
        covered = np.int64(0)
        for i in range(cells.size):
            share, w = np.int32(area[i]), np.int32(weight[i])
            row = values[cells[i], first:end]
            for t in range(end - first):
                seen = np.int32(row[t])
                if seen > 0:  # most cells are still
                    part[seen if w == 255 else seen * w // 255, t] += share
            covered += area[i]
        for value in range(VALUES - 2, 0, -1):
            for t in range(end - first):
                part[value, t] += part[value + 1, t]
        part[0] = covered
        for value in range(VALUES):
            if rung_at[value] >= 0:
                for t in range(end - first):
                    table[rung_at[value], first_frame + first + t] = part[value, t]


def survival_table_numpy(values: NDArray[np.uint8], weights: Weights) -> NDArray[np.unsignedinteger]:
    """The NumPy twin of `survival_table`."""
    rows = [changed_areas_numpy(values, weights, limit) for limit in RUNGS.tolist()]
    return np.stack(rows).astype(table_dtype(weights.total))
