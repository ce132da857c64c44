"""Patches that settle: places that stay changed for a while with nobody in them.

The *settle* channel holds what a fast background has taken over and a slow one has not yet.
"""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray
from scipy import ndimage

from north_hush.core.ask.visits import CELLS_LEAST, CELLS_MOST_SHARE, Change
from north_hush.core.compiled import compiled
from north_hush.core.footage.differences import CELL_SCALE
from north_hush.core.footage.evidence import Evidence

_LIMITS_GREY = (6.0, 12.0, 24.0)
"""A thing over which a cloud's shadow goes is one patch with it at the lowest limit, and by itself at a higher one."""
_STEADY_TENTHS = 8
"""In so many tenths of the frames of its least time a cell must be over the limit."""
_STEPS = 20
"""So many times within its least time it is asked whether a cell was."""


def changes(
    evidence: Evidence,
    place: NDArray[np.bool_],
    bodies: NDArray[np.bool_],
    seen: NDArray[np.bool_],
    least_s: float,
) -> list[Change]:
    """Patches in a place that stay changed for a while with nobody in them, by the frame they settled in; see `visited`."""
    grid, frames = evidence.grid, len(evidence.frames)
    if frames == 0:
        return []
    rate = 1e6 / max(1, evidence.usual_us)
    window = max(2, round(least_s * rate))
    cells = np.flatnonzero(place.ravel())
    settles = np.concatenate([values[cells] for _, values in evidence.blocks("settle")], axis=1)
    settles[~seen[None, :] | bodies[cells]] = 0
    found = []
    step = max(1, window // _STEPS)
    for limit in _LIMITS_GREY:
        steady = steadily(settles, round(limit * CELL_SCALE), window, step)
        volume = np.zeros((grid.rows, grid.columns, steady.shape[1]), bool)
        volume.reshape(grid.cells, -1)[cells] = steady
        for change in _patches(volume, step, least_s, evidence):
            first, last = change.first - window // 2, min(frames, change.last + step) - 1 + window // 2
            found.append(Change(max(0, first), min(frames - 1, last), change.cells))
    return found


@compiled
def steadily(settles: NDArray[np.uint8], limit: int, window: int, step: int) -> NDArray[np.bool_]:
    """Whether each cell was over a limit in eight tenths of a window of frames around every so many of them.

    Parameters
    ----------
    settles : (cells, frames) uint8
    limit : on the scale of cell values

    Returns
    -------
    (cells, frames / step, rounded up) bool; before the first frame and after the last a cell is not over it
    """
    cells, frames = settles.shape
    found = np.zeros((cells, (frames + step - 1) // step), np.bool_)
    sums = np.zeros(frames + 1, np.int32)
    for cell in range(cells):
        count = 0
        for frame in range(frames):
            count += settles[cell, frame] >= limit
            sums[frame + 1] = count
        if count * 10 < _STEADY_TENTHS * window:
            continue
        for place in range(found.shape[1]):
            first = place * step - window // 2
            held = sums[min(frames, first + window)] - sums[max(0, first)]
            found[cell, place] = held * 10 >= _STEADY_TENTHS * window
    return found


def _patches(volume: NDArray[np.bool_], step: int, least_s: float, evidence: Evidence) -> list[Change]:
    """Connected pieces of (rows, columns, every so many frames) that are no larger than things, and last."""
    grid = evidence.grid
    labels, _ = ndimage.label(volume, structure=np.ones((3, 3, 3), bool))
    found = []
    for number, part in enumerate(ndimage.find_objects(labels), 1):
        held = labels[part] == number
        once = held.any(axis=2)
        if once.sum() < CELLS_LEAST or once.sum() > CELLS_MOST_SHARE * grid.cells:
            continue
        first, after = part[2].start * step, part[2].stop * step
        if (after - first) * evidence.usual_us / 1e6 < 0.5 * least_s:
            continue
        whole = np.zeros((grid.rows, grid.columns), bool)
        whole[part[0], part[1]] = once
        found.append(Change(first, after - step, whole))
    return found
