"""Links: patches followed over time as paths, one frame after the other, with bounded memory.

Each path carries a position and a speed (an alpha-beta filter, see Benedict and Bordner 1962). In each frame the pairs of
path and patch are taken by growing distance, measured against a gate that grows with the patch's height and with the time
the path was not seen. A patch nobody takes begins a path; a path without a patch goes on at its speed for a while, longer
while it lies inside a patch that another path took: two people who meet are one patch until they part.
"""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from north_hush.core.compiled import compiled
from north_hush.core.follow.patches import BOTTOM as P_BOTTOM
from north_hush.core.follow.patches import CELLS as P_CELLS
from north_hush.core.follow.patches import FOOT_X as P_FOOT_X
from north_hush.core.follow.patches import FOOT_Y as P_FOOT_Y
from north_hush.core.follow.patches import FRAME as P_FRAME
from north_hush.core.follow.patches import LEFT as P_LEFT
from north_hush.core.follow.patches import RIGHT as P_RIGHT
from north_hush.core.follow.patches import TOP as P_TOP

PATHS_MAX = 256
NUMBER, PX, PY, SPEED_X, SPEED_Y, SEEN_US, MOVED_US, SEEN_IN, HEIGHT, BEGAN_X, BEGAN_Y, USUAL_CELLS = range(12)
"""Columns of a path: number, x, y, speed in x and y (cells a second), when it was last seen and last moved (us), in how many
frames it was seen, height in cells, where it began, and how many cells it usually has."""
STATE_FIELDS = 12

FRAME, PATH, PATCH, X, Y, NET, SEEN, SIZE, TALL = range(9)
"""Columns of a sight: frame, path number, row of the patch table (-1 while it is not seen), place in cells, the
distance from where the path began in cells, in how many frames it was seen by now,
the cells of its patch, and how tall that is from its foot point up in cells (both 0 while it is not seen)."""
SIGHT_FIELDS = 9

_ALPHA, _BETA = 0.55, 0.25
_LIKE, _UNLIKE = 1.0, 0.3
"""A patch up to twice or half as large as a path's is like it; beyond, each doubling costs so much of the gate."""


class LinkState:
    """The paths that are alive, and the number of the next one."""

    def __init__(self) -> None:
        self.paths = np.zeros((PATHS_MAX, STATE_FIELDS), np.float64)
        self.numbers = np.zeros(2, np.int64)
        """How many are alive, and the number the next one gets."""


def follow(
    state: LinkState,
    patches: NDArray[np.int32],
    time_us: NDArray[np.int64],
    valid: NDArray[np.bool_],
    gap: NDArray[np.bool_],
    first_frame: int,
    first_patch: int = 0,
) -> NDArray[np.float64]:
    """Follow patches over frames, changing the state.

    Parameters
    ----------
    patches : (patches, PATCH_FIELDS) int32 of these frames, by frame
    time_us, valid, gap : (frames,) of these frames; a gap ends every path, an invalid frame is passed over
    first_frame, first_patch : numbers of the first frame and patch

    Returns
    -------
    (sights, SIGHT_FIELDS) float64, by frame
    """
    return _follow(state.paths, state.numbers, patches, time_us, valid, gap, first_frame, first_patch)


@compiled
def _follow(
    paths: NDArray[np.float64],
    numbers: NDArray[np.int64],
    patches: NDArray[np.int32],
    time_us: NDArray[np.int64],
    valid: NDArray[np.bool_],
    gap: NDArray[np.bool_],
    first_frame: int,
    first_patch: int,
) -> NDArray[np.float64]:
    unseen_us, merged_us = 1_200_000.0, 2_500_000.0
    most = paths.shape[0]
    sights = np.empty((1024, SIGHT_FIELDS), np.float64)
    made = 0
    at = 0
    for i in range(time_us.size):
        begin = at
        while at < patches.shape[0] and patches[at, P_FRAME] == first_frame + i:
            at += 1
        if gap[i]:
            numbers[0] = 0
        if not valid[i]:
            continue
        count = at - begin
        now = float(time_us[i])
        alive = numbers[0]
        path_taken = np.zeros(most, np.bool_)
        patch_of = np.full(most, -1, np.int64)
        patch_taken = np.zeros(max(count, 1), np.bool_)
        cost = np.full((most, max(count, 1)), 1e9)
        for p in range(alive):
            dt = (now - paths[p, MOVED_US]) / 1e6
            paths[p, PX] += paths[p, SPEED_X] * dt
            paths[p, PY] += paths[p, SPEED_Y] * dt
            paths[p, MOVED_US] = now
            lost_s = (now - paths[p, SEEN_US]) / 1e6
            for k in range(count):
                row = patches[begin + k]
                height = float(row[P_BOTTOM] - row[P_TOP] + 1)
                tall = max(height, paths[p, HEIGHT])
                reach_x = 1.0 + 0.45 * tall + 2.0 * lost_s
                reach_y = 1.0 + 0.55 * tall + 2.0 * lost_s
                dx = (row[P_FOOT_X] / 16.0 - paths[p, PX]) / reach_x
                dy = (row[P_FOOT_Y] / 16.0 - paths[p, PY]) / reach_y
                distance = dx * dx + dy * dy
                if distance < 1.0:
                    # A path that was seen often holds its patch against one that has just begun, but a speck beside it
                    # is not the body it was.
                    known = min(paths[p, SEEN_IN], 10.0) / 10.0
                    unlike = max(0.0, abs(np.log2(float(row[P_CELLS]) / paths[p, USUAL_CELLS])) - _LIKE)
                    cost[p, k] = distance - 0.3 * known + _UNLIKE * known * unlike
        while True:
            best, best_p, best_k = 1e8, -1, -1
            for p in range(alive):
                if path_taken[p]:
                    continue
                for k in range(count):
                    if not patch_taken[k] and cost[p, k] < best:
                        best, best_p, best_k = cost[p, k], p, k
            if best_p < 0:
                break
            path_taken[best_p] = True
            patch_taken[best_k] = True
            patch_of[best_p] = best_k
        kept = 0
        for p in range(alive):
            k = patch_of[p]
            inside = False
            if k >= 0:
                row = patches[begin + k]
                dt = max((now - paths[p, SEEN_US]) / 1e6, 1e-3)
                off_x, off_y = row[P_FOOT_X] / 16.0 - paths[p, PX], row[P_FOOT_Y] / 16.0 - paths[p, PY]
                paths[p, PX] += _ALPHA * off_x
                paths[p, PY] += _ALPHA * off_y
                paths[p, SPEED_X] += _BETA * off_x / max(dt, 0.1)
                paths[p, SPEED_Y] += _BETA * off_y / max(dt, 0.1)
                paths[p, SEEN_US] = now
                paths[p, SEEN_IN] += 1
                paths[p, HEIGHT] += 0.2 * (float(row[P_BOTTOM] - row[P_TOP] + 1) - paths[p, HEIGHT])
                paths[p, USUAL_CELLS] += 0.2 * (float(row[P_CELLS]) - paths[p, USUAL_CELLS])
            else:
                for k2 in range(count):
                    row = patches[begin + k2]
                    if (
                        row[P_LEFT] - 0.5 <= paths[p, PX] <= row[P_RIGHT] + 1.5
                        and row[P_TOP] <= paths[p, PY] <= row[P_BOTTOM] + 2.0
                    ):
                        inside = True
                lost = now - paths[p, SEEN_US]
                if paths[p, SEEN_IN] < 3.0 or lost > (merged_us if inside else unseen_us):
                    continue
            if made == sights.shape[0]:
                larger = np.empty((2 * made, SIGHT_FIELDS), np.float64)
                larger[:made] = sights
                sights = larger
            net = np.sqrt((paths[p, PX] - paths[p, BEGAN_X]) ** 2 + (paths[p, PY] - paths[p, BEGAN_Y]) ** 2)
            sights[made, FRAME], sights[made, PATH] = first_frame + i, paths[p, NUMBER]
            sights[made, PATCH] = first_patch + begin + k if k >= 0 else -1.0
            sights[made, X], sights[made, Y], sights[made, NET] = paths[p, PX], paths[p, PY], net
            sights[made, SEEN] = paths[p, SEEN_IN]
            sights[made, SIZE] = float(patches[begin + k, P_CELLS]) if k >= 0 else 0.0
            sights[made, TALL] = (
                max(0.5, patches[begin + k, P_FOOT_Y] / 16.0 - patches[begin + k, P_TOP]) if k >= 0 else 0.0
            )
            made += 1
            if kept != p:
                paths[kept] = paths[p]
            kept += 1
        for k in range(count):
            if patch_taken[k] or kept >= most:
                continue
            row = patches[begin + k]
            x, y = row[P_FOOT_X] / 16.0, row[P_FOOT_Y] / 16.0
            paths[kept, NUMBER], paths[kept, PX], paths[kept, PY] = numbers[1], x, y
            paths[kept, SPEED_X] = paths[kept, SPEED_Y] = 0.0
            paths[kept, SEEN_US] = paths[kept, MOVED_US] = now
            paths[kept, SEEN_IN], paths[kept, HEIGHT] = 1.0, float(row[P_BOTTOM] - row[P_TOP] + 1)
            paths[kept, BEGAN_X], paths[kept, BEGAN_Y] = x, y
            paths[kept, USUAL_CELLS] = float(row[P_CELLS])
            if made == sights.shape[0]:
                larger = np.empty((2 * made, SIGHT_FIELDS), np.float64)
                larger[:made] = sights
                sights = larger
            sights[made, FRAME], sights[made, PATH], sights[made, PATCH] = (
                first_frame + i,
                numbers[1],
                first_patch + begin + k,
            )
            sights[made, X], sights[made, Y], sights[made, NET], sights[made, SEEN] = x, y, 0.0, 1.0
            sights[made, SIZE], sights[made, TALL] = float(row[P_CELLS]), max(0.5, row[P_FOOT_Y] / 16.0 - row[P_TOP])
            made += 1
            numbers[1] += 1
            kept += 1
        numbers[0] = kept
    return sights[:made].copy()
