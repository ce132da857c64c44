"""What a zone sees of what is followed: its own patches, each given to the track that holds most of it.

Tracks are the same for every zone. What a zone measures, size and height, is that of the patches its own channel, change limit
and masks leave; where something came from, and how far, its track knows.
"""

from __future__ import annotations

from dataclasses import dataclass, field

import numpy as np
from numpy.typing import NDArray

from north_hush.core.compiled import compiled
from north_hush.core.follow.patches import (
    BOTTOM,
    CELLS,
    FOOT_X,
    FOOT_Y,
    LEFT,
    RIGHT,
    TOP,
    find_patches,
    grouped,
    plane_limits,
)
from north_hush.core.follow.patches import FRAME as PATCH_FRAME
from north_hush.core.follow.tracks import CELLS as T_CELLS
from north_hush.core.follow.tracks import FOOT, HITS, UNSEEN
from north_hush.core.follow.tracks import FRAME as T_FRAME
from north_hush.core.follow.tracks import HOW as T_HOW
from north_hush.core.follow.tracks import LEFT as T_LEFT
from north_hush.core.follow.tracks import NET as T_NET
from north_hush.core.follow.tracks import RIGHT as T_RIGHT
from north_hush.core.follow.tracks import TOP as T_TOP
from north_hush.core.follow.tracks import TRACK as T_TRACK
from north_hush.core.follow.tracks import X as T_X
from north_hush.core.grid import Grid

FRAME, TRACK, X, Y, NET, SEEN, SIZE, TALL, LASTS, LIT = range(10)
"""Columns of a sight of a zone: frame, number of the track (-1: a patch no track holds), foot point in cells, how far the track's
middle is from where it began in cells, in how many frames it was seen by now, the cells of its patches and how tall they are from
the foot point up in cells (both 0 while it has none), whether the track is seen, patches or not, and whether the patches of the
frame were passed over: then size and height are the track's own."""
OWNED_FIELDS = 10
_WIDER_CELLS = 1.0
"""A track's box is taken wider all round: change spills over the edge of what moves, and shows where it was a moment ago."""
_SHARE_FOLLOWED = 8
"""One over this: while more of the view than that changes at once, it is light, which has no feet; its patches are passed over."""


@dataclass
class Owner:
    """Gives patches of one channel, change limit and set of masks to tracks, fed with frames in their order."""

    weights: NDArray[np.uint8]
    limit_quarters: int
    grid: Grid
    frames: int = 0
    """How many were taken before: one that begins later goes on with their numbers."""
    _limits: NDArray[np.int64] = field(init=False)

    def __post_init__(self) -> None:
        self._limits = plane_limits(self.weights, self.limit_quarters)

    def feed(
        self, values: NDArray[np.uint8], counts: NDArray[np.bool_], tracks: NDArray[np.float64]
    ) -> NDArray[np.float64]:
        """Take the next frames and return what a zone sees in them.

        Parameters
        ----------
        values : (cells, frames) uint8
        counts : (frames,) bool, the frames that are looked at
        tracks : (sights, tracks.SIGHT_FIELDS) float64 of these frames, by frame

        Returns
        -------
        (sights, OWNED_FIELDS) float64, by frame
        """
        first, frames = self.frames, values.shape[1]
        self.frames += frames
        patches = find_patches(values, self._limits, self.grid.columns, first)
        sizes = np.bincount(patches[:, PATCH_FRAME] - first, patches[:, CELLS], frames)
        looked_at = counts & (sizes * _SHARE_FOLLOWED < self.grid.cells)
        patches = patches[looked_at[patches[:, PATCH_FRAME] - first]]
        tracks = tracks[counts[tracks[:, T_FRAME].astype(np.int64) - first]]
        held, owner = _owned(patches, tracks)
        _see_by_track(held, tracks, ~looked_at[tracks[:, T_FRAME].astype(np.int64) - first])
        free = _free(grouped(patches[owner < 0]))
        both = np.concatenate([held, free])
        return both[np.argsort(both[:, FRAME], kind="stable")]


@compiled
def _owned(patches: NDArray[np.int32], tracks: NDArray[np.float64]) -> tuple[NDArray[np.float64], NDArray[np.int64]]:
    """Sights of all tracks with the patches they own, and for each patch the row of its track, -1 for none."""
    held = np.zeros((tracks.shape[0], OWNED_FIELDS), np.float64)
    owner = np.full(patches.shape[0], -1, np.int64)
    feet = np.zeros(tracks.shape[0], np.float64)
    for row in range(tracks.shape[0]):
        held[row, FRAME], held[row, TRACK] = tracks[row, T_FRAME], tracks[row, T_TRACK]
        held[row, X], held[row, Y] = tracks[row, T_X], tracks[row, FOOT]
        held[row, NET], held[row, SEEN] = tracks[row, T_NET], tracks[row, HITS]
        held[row, LASTS] = 1.0 if tracks[row, T_HOW] != UNSEEN else 0.0
        held[row, TALL] = 1e9
    first = 0
    for number in range(patches.shape[0]):
        patch = patches[number]
        while first < tracks.shape[0] and tracks[first, T_FRAME] < patch[PATCH_FRAME]:
            first += 1
        most = 0.5 * (patch[RIGHT] + 1.0 - patch[LEFT]) * (patch[BOTTOM] + 1.0 - patch[TOP])
        row = first
        while row < tracks.shape[0] and tracks[row, T_FRAME] == patch[PATCH_FRAME]:
            left, right = tracks[row, T_LEFT] - _WIDER_CELLS, tracks[row, T_RIGHT] + _WIDER_CELLS
            top, bottom = tracks[row, T_TOP] - _WIDER_CELLS, tracks[row, FOOT] + _WIDER_CELLS
            across = min(right, patch[RIGHT] + 1.0) - max(left, float(patch[LEFT]))
            down = min(bottom, patch[BOTTOM] + 1.0) - max(top, float(patch[TOP]))
            shared = across * down if across > 0 and down > 0 else 0.0
            if shared >= most and (shared > most or owner[number] < 0):
                most, owner[number] = shared, row
            row += 1
        own = owner[number]
        if own >= 0:
            held[own, SIZE] += patch[CELLS]
            held[own, TALL] = min(held[own, TALL], float(patch[TOP]))
            feet[own] = max(feet[own], patch[FOOT_Y] / 16.0)
    for row in range(tracks.shape[0]):
        held[row, TALL] = max(0.5, feet[row] - held[row, TALL]) if held[row, SIZE] > 0 else 0.0
    return held, owner


def _see_by_track(held: NDArray[np.float64], tracks: NDArray[np.float64], lit: NDArray[np.bool_]) -> None:
    """In frames whose patches were passed over, (sights,) bool, what a track is seen by itself stands for them: the slow background
    and the noise of each cell tell it from light and from grain, in which everything changes."""
    held[:, LIT] = lit
    own = lit & (tracks[:, T_CELLS] > 0)
    held[own, SIZE] = tracks[own, T_CELLS]
    held[own, TALL] = np.maximum(0.5, tracks[own, FOOT] - tracks[own, T_TOP])


def _free(patches: NDArray[np.int32]) -> NDArray[np.float64]:
    """Sights of patches that no track holds."""
    rows = np.zeros((len(patches), OWNED_FIELDS))
    rows[:, FRAME], rows[:, TRACK], rows[:, SEEN] = patches[:, PATCH_FRAME], -1, 1
    rows[:, X], rows[:, Y] = patches[:, FOOT_X] / 16, patches[:, FOOT_Y] / 16
    rows[:, SIZE] = patches[:, CELLS]
    rows[:, TALL] = np.maximum(0.5, rows[:, Y] - patches[:, TOP])
    return rows
