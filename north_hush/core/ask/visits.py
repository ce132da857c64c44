"""Places that are another after somebody was there than before: things are left and taken by those who come.

This needs no background that has settled, so that it holds at the begin of a recording, and after the lens was covered.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from scipy import ndimage

from north_hush.core.compiled import compiled
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
        limit = _APART_GREY * CELL_SCALE
        differs = np.abs(after - before) >= limit
        if not differs.any():
            continue
        cells, before = cells[differs], before[differs]
        later = _looked(evidence, cells, bodies, seen, last + round(_LATER_S * a_second), round(_LATER_S * a_second))
        apart = np.zeros(place.shape, bool)
        # Who passes next, or a shadow, is gone a little later; where that is not to be seen, it may have stayed.
        apart.ravel()[cells] = ~(np.abs(later - before) < _LASTS_SHARE * limit)
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
    held = np.zeros((evidence.grid.rows, evidence.grid.columns), np.bool_)
    tread(held, np.ascontiguousarray(sights))
    return held


@compiled
def tread(held: NDArray[np.bool_], sights: NDArray[np.float64]) -> None:
    """Mark the box of each sight and what is beside and below it; `held` is (rows, columns)."""
    rows, columns = held.shape
    for number in range(sights.shape[0]):
        top, foot = int(sights[number, TOP] - BODY_MARGIN_CELLS), int(sights[number, FOOT] + 2 * BODY_MARGIN_CELLS)
        left = int(sights[number, LEFT] - 2 * BODY_MARGIN_CELLS)
        right = int(sights[number, RIGHT] + 2 * BODY_MARGIN_CELLS)
        for row in range(max(0, top), min(rows, foot + 1)):
            for column in range(max(0, left), min(columns, right + 1)):
                held[row, column] = True


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
    first, after = sorted((max(0, start), max(0, start + frames)))
    after = min(after, len(evidence.frames))
    return usual_open(evidence.values("drift", first, after, cells), bodies, seen, cells, first)


@compiled
def usual_open(
    values: NDArray[np.uint8],
    bodies: NDArray[np.bool_],
    seen: NDArray[np.bool_],
    cells: NDArray[np.int64],
    first: int,
) -> NDArray[np.float64]:
    """The median of each cell's values over the frames in which it is to be seen, (cells,); not a number where there are none.

    Parameters
    ----------
    values : (cells, frames) from frame `first` on
    bodies : (all cells, all frames), where somebody is
    seen : (all frames,)
    """
    found = np.full(values.shape[0], np.nan)
    counts = np.empty(256, np.int64)
    for place in range(values.shape[0]):
        counts[:] = 0
        known = 0
        for frame in range(values.shape[1]):
            if seen[first + frame] and not bodies[cells[place], first + frame]:
                counts[values[place, frame]] += 1
                known += 1
        if known == 0:
            continue
        value, passed = 0, counts[0]
        while passed <= (known - 1) // 2:
            value += 1
            passed += counts[value]
        lower = value
        while passed <= known // 2:
            value += 1
            passed += counts[value]
        found[place] = (lower + value) / 2
    return found
