"""Places that are another after somebody was there than before: things are left and taken by those who come.

This needs no background that has settled, so that it holds at the begin of a recording, and after the lens was covered.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from scipy import ndimage

from north_hush.core.follow.tracks import FOOT, FRAME, LEFT, NET, RIGHT, TOP
from north_hush.core.footage.differences import CELL_SCALE
from north_hush.core.footage.evidence import Evidence
from north_hush.core.footage.stamps import US_PER_S
from north_hush.core.sight.sight import blind_of

CAME_CELLS = 4.0
"""Somebody who has come so far was there."""
CELLS_LEAST, CELLS_MOST_SHARE = 2, 0.05
BODY_MARGIN_CELLS = 1.0
_APART_GREY = 5.0
_LOOKED_S, _AWAY_S = 4.0, 0.6
"""Over so long before somebody came and after they went; so shortly before and after, their rim still shows."""
_LATER_S, _LASTS_SHARE = 6.0, 0.6
"""Again so long after, and for so long: what stayed is still so much of that apart."""
_BLIND_ROOM_S = 1.0


@dataclass(frozen=True, eq=False)
class Change:
    """A patch that changed for good: the first and last frame it was steady in, and its cells, (rows, columns) bool."""

    first: int
    last: int
    cells: NDArray[np.bool_]


def sighted(evidence: Evidence) -> NDArray[np.bool_]:
    """Frames that count and in which the camera saw, (frames,) bool."""
    seen = evidence.valid.copy()
    for blind in blind_of(evidence):
        end_us = blind.end_us if blind.end_us is not None else int(evidence.time_us[-1])
        room_us = round(_BLIND_ROOM_S * US_PER_S)
        seen[(evidence.time_us >= blind.start_us - room_us) & (evidence.time_us <= end_us + room_us)] = False
    return seen


def visited(
    evidence: Evidence,
    tracks: Sequence[NDArray[np.float64]],
    place: NDArray[np.bool_],
    bodies: NDArray[np.bool_],
    seen: NDArray[np.bool_],
) -> list[Change]:
    """Patches in a place that differ from before a visit to after it.

    Parameters
    ----------
    bodies : where somebody is, (cells, frames) bool
    seen : frames in which the camera saw, (frames,) bool
    """
    found = list[Change]()
    a_second = US_PER_S / max(1, evidence.usual_us)
    for sights in tracks:
        if len(sights) == 0 or sights[:, NET].max() < CAME_CELLS:
            continue
        first, last = int(sights[0, FRAME]), int(sights[-1, FRAME])
        cells = np.flatnonzero(_trodden(sights, evidence) & place)
        before = _looked(evidence, cells, bodies, seen, first - round(_AWAY_S * a_second), -round(_LOOKED_S * a_second))
        after = _looked(evidence, cells, bodies, seen, last + round(_AWAY_S * a_second), round(_LOOKED_S * a_second))
        later = _looked(evidence, cells, bodies, seen, last + round(_LATER_S * a_second), round(_LATER_S * a_second))
        limit = _APART_GREY * CELL_SCALE
        apart = np.zeros(place.shape, bool)
        # Who passes next, or a shadow, is gone a little later; where that is not to be seen, it may have stayed.
        apart.ravel()[cells] = (np.abs(after - before) >= limit) & ~(np.abs(later - before) < _LASTS_SHARE * limit)
        labels, count = ndimage.label(apart, structure=np.ones((3, 3), bool))
        for number in range(1, count + 1):
            held = labels == number
            if CELLS_LEAST <= held.sum() <= CELLS_MOST_SHARE * evidence.grid.cells:
                over = np.flatnonzero(bodies[np.flatnonzero(held.ravel()), first : last + 1].any(axis=0))
                at = first + (int(over[-1]) + 1 if len(over) else 0)
                found.append(Change(at, min(last + round(_LOOKED_S * a_second), len(evidence.frames) - 1), held))
    return found


def _trodden(sights: NDArray[np.float64], evidence: Evidence) -> NDArray[np.bool_]:
    """Cells that a body was over or beside, (rows, columns) bool."""
    held = np.zeros((evidence.grid.rows, evidence.grid.columns), bool)
    for left, right, top, foot in sights[:, [LEFT, RIGHT, TOP, FOOT]].tolist():
        rows = slice(max(0, int(top - BODY_MARGIN_CELLS)), int(foot + 2 * BODY_MARGIN_CELLS) + 1)
        columns = slice(max(0, int(left - 2 * BODY_MARGIN_CELLS)), int(right + 2 * BODY_MARGIN_CELLS) + 1)
        held[rows, columns] = True
    return held


def _looked(
    evidence: Evidence,
    cells: NDArray[np.int64],
    bodies: NDArray[np.bool_],
    seen: NDArray[np.bool_],
    start: int,
    frames: int,
) -> NDArray[np.float64]:
    """How far each cell usually is from the background over some frames from one on, or up to it, while nobody is before it; where it
    never was to be seen, not a number: that differs from nothing."""
    first, after = sorted((start, start + frames))
    part = slice(max(0, first), max(0, after))
    held = evidence.values("drift", part.start, min(part.stop, len(evidence.frames)), cells).astype(np.float64)
    held[bodies[cells, part] | ~seen[part][None, :]] = np.nan
    return _median_known(held)


def _median_known(values: NDArray[np.float64]) -> NDArray[np.float64]:
    """The median of each row without what is not a number, not a number where nothing is; much faster than `np.nanmedian`."""
    if values.shape[1] == 0:
        return np.full(len(values), np.nan)
    ordered = np.sort(values, axis=1)  # what is not a number goes to the end
    known = np.isfinite(values).sum(axis=1)
    middle = np.maximum(0, [(known - 1) // 2, known // 2])
    return np.asarray(np.take_along_axis(ordered, middle.T, axis=1).mean(axis=1))
