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
    grid, first = evidence.grid, int(sights[0, FRAME])
    left, right = (np.clip(sights[:, side], 0, grid.columns - 1).astype(int) for side in (LEFT, RIGHT))
    top, foot = (np.clip(sights[:, side], 0, grid.rows - 1).astype(int) for side in (TOP, FOOT))
    up, west = int(top.min()), int(left.min())
    step = evidence.values("step", first, int(sights[-1, FRAME]) + 1).reshape(grid.rows, grid.columns, -1)
    part = step[up : foot.max() + 1, west : right.max() + 1]
    # Sums of all that is above and to the left, of which a box takes four (Crow 1984).
    sums = np.zeros((part.shape[0] + 1, part.shape[1] + 1, part.shape[2]), np.int32)
    np.cumsum(part, axis=0, out=sums[1:, 1:])
    np.cumsum(sums, axis=1, out=sums)
    top, foot, left, right = top - up, foot - up + 1, left - west, right - west + 1
    at = sights[:, FRAME].astype(int) - first
    inside = sums[foot, right, at] - sums[top, right, at] - sums[foot, left, at] + sums[top, left, at]
    return np.asarray(inside / ((foot - top) * (right - left)))


def bodies_of(tracks: Sequence[NDArray[np.float64]], grid: Grid, frames: int) -> NDArray[np.bool_]:
    """Where somebody who is followed is, (cells, frames) bool."""
    held = np.zeros((grid.rows, grid.columns, frames), bool)
    for sights in tracks:
        for frame, left, right, top, foot in sights[:, [FRAME, LEFT, RIGHT, TOP, FOOT]].tolist():
            rows = slice(max(0, int(top - BODY_MARGIN_CELLS)), int(foot + BODY_MARGIN_CELLS) + 1)
            columns = slice(max(0, int(left - BODY_MARGIN_CELLS)), int(right + BODY_MARGIN_CELLS) + 1)
            held[rows, columns, int(frame)] = True
    return held.reshape(grid.cells, frames)


def beside(sights: NDArray[np.float64], cells: NDArray[np.bool_]) -> NDArray[np.bool_]:
    """In which of its sights a track's box touches the one round some cells, (sights,) bool."""
    down, across = np.nonzero(cells)
    left, right, top, bottom = across.min(), across.max() + 1, down.min(), down.max() + 1
    return _beside(np.ascontiguousarray(sights), float(left), float(right), float(top), float(bottom))


@compiled
def _beside(sights: NDArray[np.float64], left: float, right: float, top: float, bottom: float) -> NDArray[np.bool_]:
    found = np.empty(sights.shape[0], np.bool_)
    for at in range(sights.shape[0]):
        across = sights[at, LEFT] <= right + BODY_MARGIN_CELLS and sights[at, RIGHT] >= left - BODY_MARGIN_CELLS
        down = sights[at, TOP] <= bottom + BODY_MARGIN_CELLS and sights[at, FOOT] >= top - BODY_MARGIN_CELLS
        found[at] = across and down
    return found


def together(tracks: Sequence[NDArray[np.float64]]) -> NDArray[np.float64]:
    """The sights of all tracks as one array, in the order of frames."""
    sights = np.concatenate([*tracks, np.empty((0, NET + 1))])
    return np.asarray(sights[np.argsort(sights[:, FRAME], kind="stable")])
