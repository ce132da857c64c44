"""Patches that settle: places that stay changed for a while with nobody in them.

The *settle* channel holds what a fast background has taken over and a slow one has not yet.
"""

from __future__ import annotations

from itertools import pairwise

import numpy as np
from numpy.typing import NDArray

from north_hush.core.ask.visits import CELLS_LEAST, CELLS_MOST_SHARE, Change
from north_hush.core.compiled import compiled
from north_hush.core.footage.differences import CELL_SCALE
from north_hush.core.footage.evidence import Evidence

_LIMITS_GREY = (6.0, 12.0, 24.0)
"""A thing over which a cloud's shadow goes is one patch with it at the lowest limit, and by itself at a higher one."""
_STEADY_TENTHS = 8
"""In so many tenths of the frames of its least time a cell must be over the limit."""
CELL, FIRST, AFTER, PIECE = range(4)
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
    frames = len(evidence.frames)
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
        for change in _patches(steady, cells, step, least_s, evidence):
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


def _patches(
    steady: NDArray[np.bool_], cells: NDArray[np.int64], step: int, least_s: float, evidence: Evidence
) -> list[Change]:
    """Connected pieces of some cells and every so many frames that are no larger than things, and last."""
    grid = evidence.grid
    runs = joined_runs(steady, cells, grid.rows, grid.columns)
    runs = runs[np.argsort(runs[:, PIECE], kind="stable")]
    begins = np.flatnonzero(np.diff(runs[:, PIECE], prepend=-1))
    found = []
    for low, high in pairwise([*begins.tolist(), len(runs)]):
        held = runs[low:high]
        first, after = int(held[:, FIRST].min()) * step, int(held[:, AFTER].max()) * step
        if (after - first) * evidence.usual_us / 1e6 < 0.5 * least_s:
            continue
        whole = np.zeros(grid.cells, bool)
        whole[held[:, CELL]] = True
        if CELLS_LEAST <= whole.sum() <= CELLS_MOST_SHARE * grid.cells:
            found.append(Change(first, after - step, whole.reshape(grid.rows, grid.columns)))
    return found


@compiled
def joined_runs(steady: NDArray[np.bool_], cells: NDArray[np.int64], rows: int, columns: int) -> NDArray[np.int64]:
    """Runs of each cell, and which piece each is of: runs of neighbours, corners included, that overlap or touch are of one.

    Parameters
    ----------
    steady : (places, times) bool
    cells : (places,) the cell of each place, in their order

    Returns
    -------
    (runs, 4) int64: CELL, FIRST, AFTER, PIECE, by cell and time; a piece is named by its first run
    """
    runs = np.zeros((1024, 4), np.int64)
    begins = np.full(rows * columns + 1, -1, np.int64)
    ends = np.zeros(rows * columns + 1, np.int64)
    made = 0
    for place in range(steady.shape[0]):
        cell = cells[place]
        begins[cell] = made
        time = 0
        while time < steady.shape[1]:
            if not steady[place, time]:
                time += 1
                continue
            if made == runs.shape[0]:
                larger = np.zeros((2 * made, 4), np.int64)
                larger[:made] = runs
                runs = larger
            runs[made, CELL], runs[made, FIRST], runs[made, PIECE] = cell, time, made
            while time < steady.shape[1] and steady[place, time]:
                time += 1
            runs[made, AFTER] = time
            made += 1
        ends[cell] = made
        row, column = cell // columns, cell % columns
        for side in range(4):
            beside = column - 1 if side in (0, 3) else column + side - 1
            above = row - 1 if side < 3 else row
            if above < 0 or beside < 0 or beside >= columns or begins[above * columns + beside] < 0:
                continue
            other, last = begins[above * columns + beside], ends[above * columns + beside]
            for run in range(begins[cell], made):
                while other < last and runs[other, AFTER] < runs[run, FIRST]:
                    other += 1
                near = other
                while near < last and runs[near, FIRST] <= runs[run, AFTER]:
                    a, b = run, near
                    while runs[a, PIECE] != a:
                        runs[a, PIECE] = runs[runs[a, PIECE], PIECE]
                        a = runs[a, PIECE]
                    while runs[b, PIECE] != b:
                        runs[b, PIECE] = runs[runs[b, PIECE], PIECE]
                        b = runs[b, PIECE]
                    runs[max(a, b), PIECE] = min(a, b)
                    near += 1
    for run in range(made):
        runs[run, PIECE] = runs[runs[run, PIECE], PIECE]  # those before it are known already
    return runs[:made].copy()
