"""Where somebody who is followed is, and which sights of a track are of somebody at all: things that lie are followed too."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray
from scipy import ndimage

from north_hush.core.ask.visits import BODY_MARGIN_CELLS
from north_hush.core.compiled import compiled
from north_hush.core.follow.tracks import FOOT, FRAME, LEFT, NET, RIGHT, TOP, X
from north_hush.core.footage.differences import CELL_SCALE
from north_hush.core.footage.evidence import Evidence
from north_hush.core.grid import Grid

_STILL_CELLS = 1.5
"""A track whose box stays within so many cells stands."""
_STIRS_GREY, _STIRS_S = 0.5, 1.0
"""Where somebody is, the cells of his box change by so much on average in some frame within so long."""
_SIGHTS = 1024
"""So many are looked at at once, to stay within memory."""


def moving(sights: NDArray[np.float64], frames_around: int) -> NDArray[np.float64]:
    """The sights in which a track goes on or changes its size. A thing that was put down is followed too, and stands; so does somebody
    who waits, but not for long without a stir."""
    shape = sights[:, [X, FOOT, LEFT, RIGHT, TOP]]
    spread = ndimage.maximum_filter1d(shape, frames_around, axis=0) - ndimage.minimum_filter1d(
        shape, frames_around, axis=0
    )
    return np.asarray(sights[(spread > _STILL_CELLS).any(axis=1)])


def stirring(sights: NDArray[np.float64], evidence: Evidence) -> NDArray[np.float64]:
    """The sights of a track in whose box anything changes from frame to frame, or shortly before or after. Where a thing was taken its
    place is followed on, and its box comes and goes at its rim; but there nothing stirs."""
    if len(sights) == 0:
        return sights
    stirs = np.concatenate([_stirs(sights[n : n + _SIGHTS], evidence) for n in range(0, len(sights), _SIGHTS)])
    around = 2 * round(_STIRS_S * 1e6 / max(1, evidence.usual_us)) + 1
    return np.asarray(sights[ndimage.maximum_filter1d(stirs, around) >= _STIRS_GREY * CELL_SCALE])


def _stirs(sights: NDArray[np.float64], evidence: Evidence) -> NDArray[np.float64]:
    """How much the cells in the box of each sight change on average from the frame before."""
    grid, first, after = evidence.grid, int(sights[0, FRAME]), int(sights[-1, FRAME]) + 1
    up, foot = (int(np.clip(side, 0, grid.rows - 1)) for side in (sights[:, TOP].min(), sights[:, FOOT].max()))
    step = evidence.values("step", first, after, slice(up * grid.columns, (foot + 1) * grid.columns))
    return box_means(step.reshape(foot + 1 - up, grid.columns, after - first), np.ascontiguousarray(sights), up)


@compiled
def box_means(step: NDArray[np.uint8], sights: NDArray[np.float64], up: int) -> NDArray[np.float64]:
    """The mean of what some rows of cells hold, (rows, columns, frames) from the first sight's frame on, in the box of each sight;
    the first of the rows is row `up`."""
    rows, columns, _ = step.shape
    found = np.empty(sights.shape[0])
    for number in range(sights.shape[0]):
        left = min(max(0, int(sights[number, LEFT])), columns - 1)
        right = min(max(0, int(sights[number, RIGHT])), columns - 1)
        top = min(max(0, int(sights[number, TOP]) - up), rows - 1)
        foot = min(max(0, int(sights[number, FOOT]) - up), rows - 1)
        at, held = int(sights[number, FRAME] - sights[0, FRAME]), 0
        for row in range(top, foot + 1):
            for column in range(left, right + 1):
                held += step[row, column, at]
        found[number] = held / ((foot - top + 1) * (right - left + 1))
    return found


def bodies_of(tracks: Sequence[NDArray[np.float64]], grid: Grid, frames: int) -> NDArray[np.bool_]:
    """Where somebody who is followed is, (cells, frames) bool."""
    held = np.zeros((grid.rows, grid.columns, frames), np.bool_)
    for sights in tracks:
        cover(held, np.ascontiguousarray(sights))
    return held.reshape(grid.cells, frames)


@compiled
def cover(held: NDArray[np.bool_], sights: NDArray[np.float64]) -> None:
    """Mark the box of each sight and what is beside it in its frame; `held` is (rows, columns, frames)."""
    rows, columns, _ = held.shape
    for number in range(sights.shape[0]):
        top, foot = int(sights[number, TOP] - BODY_MARGIN_CELLS), int(sights[number, FOOT] + BODY_MARGIN_CELLS)
        left, right = int(sights[number, LEFT] - BODY_MARGIN_CELLS), int(sights[number, RIGHT] + BODY_MARGIN_CELLS)
        for row in range(max(0, top), min(rows, foot + 1)):
            for column in range(max(0, left), min(columns, right + 1)):
                held[row, column, int(sights[number, FRAME])] = True


def beside(sights: NDArray[np.float64], cells: NDArray[np.bool_]) -> NDArray[np.bool_]:
    """In which of its sights a track's box touches the one round some cells, (sights,) bool."""
    return touching(np.ascontiguousarray(sights), *bounds(cells))


def bounds(cells: NDArray[np.bool_]) -> tuple[float, float, float, float]:
    """Left, right, top and bottom of the box round some cells."""
    down, across = (np.flatnonzero(cells.any(axis=axis)) for axis in (1, 0))
    return float(across[0]), float(across[-1] + 1), float(down[0]), float(down[-1] + 1)


@compiled
def touching(sights: NDArray[np.float64], left: float, right: float, top: float, bottom: float) -> NDArray[np.bool_]:
    """In which sights a box touches one, (sights,) bool."""
    found = np.empty(sights.shape[0], np.bool_)
    for at in range(sights.shape[0]):
        across = sights[at, LEFT] <= right + BODY_MARGIN_CELLS and sights[at, RIGHT] >= left - BODY_MARGIN_CELLS
        down = sights[at, TOP] <= bottom + BODY_MARGIN_CELLS and sights[at, FOOT] >= top - BODY_MARGIN_CELLS
        found[at] = across and down
    return found


@compiled
def hide(
    hidden: NDArray[np.bool_], sights: NDArray[np.float64], left: float, right: float, top: float, bottom: float
) -> None:
    """Mark the frames, (frames,), in which some sight's box touches one."""
    for at in np.flatnonzero(touching(sights, left, right, top, bottom)):
        hidden[int(sights[at, FRAME])] = True


def together(tracks: Sequence[NDArray[np.float64]]) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
    """The sights of all tracks as one array, in the order of frames, and these frames."""
    sights = np.concatenate([*tracks, np.empty((0, NET + 1))])
    sights = sights[np.argsort(sights[:, FRAME], kind="stable")]
    return sights, np.ascontiguousarray(sights[:, FRAME])
