"""Pairs of tracks and bodies of one frame, so that the sum of distances is least.

Distances are measured against a gate that grows with the size of the track and with the time it was not seen.
"""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from north_hush.core.compiled import compiled
from north_hush.core.follow.bodies import CELLS as B_CELLS
from north_hush.core.follow.bodies import X as B_X
from north_hush.core.follow.bodies import Y as B_Y

NUMBER, X, Y, SPEED_X, SPEED_Y, WIDE, TALL, CELLS, OWN_S, AT_S, HITS, FROM_X, FROM_Y, BELOW = range(14)
"""Columns of a track that is alive: its number, middle, speed (cells a second), size, its usual cells, when it last had a body of
its own and when it was last moved, in how many frames it was seen, where it began, and how far its lower edge lies below its
middle."""
TRACK_FIELDS = 14

_GATE_CELLS, _GATE_WIDE, _GATE_TALL = 1.5, 0.5, 0.3
_GATE_CELLS_PER_S, _GATE_ROWS_PER_S = 2.5, 1.5
"""A gate is a body's own half, the coarseness of cells, and what a walker can turn in the time he was not seen."""
_UNLIKE = 0.1
"""Each doubling of the cells costs so much of the gate."""
_NO_PAIR = 1e3


@compiled
def pairs_of(tracks: NDArray[np.float64], bodies: NDArray[np.float64], now_s: float) -> NDArray[np.int64]:
    """Move the tracks to where they should be by now, and give each its body.

    Returns
    -------
    (tracks,) int64, the body of each; -1 where it has none
    """
    _predict(tracks, now_s)
    return assign(_costs(tracks, bodies, now_s))


@compiled
def _predict(tracks: NDArray[np.float64], now_s: float) -> None:
    for track in tracks:
        passed = now_s - track[AT_S]
        track[X] += track[SPEED_X] * passed
        track[Y] += track[SPEED_Y] * passed
        track[AT_S] = now_s


@compiled
def _costs(tracks: NDArray[np.float64], bodies: NDArray[np.float64], now_s: float) -> NDArray[np.float64]:
    """Squared distance of each track and body in gates, and what their sizes cost; beyond the gate _NO_PAIR."""
    costs = np.full((tracks.shape[0], bodies.shape[0]), _NO_PAIR)
    for p in range(tracks.shape[0]):
        track = tracks[p]
        lost = now_s - track[OWN_S]
        across = _GATE_CELLS + _GATE_WIDE * max(1.0, track[WIDE]) + _GATE_CELLS_PER_S * lost
        down = _GATE_CELLS + _GATE_TALL * max(1.0, track[TALL]) + _GATE_ROWS_PER_S * lost
        for b in range(bodies.shape[0]):
            x, y = (bodies[b, B_X] - track[X]) / across, (bodies[b, B_Y] - track[Y]) / down
            distance = x * x + y * y
            if distance < 1.0:
                costs[p, b] = distance + _UNLIKE * abs(np.log2(bodies[b, B_CELLS] / track[CELLS]))
    return costs


@compiled
def assign(costs: NDArray[np.float64]) -> NDArray[np.int64]:
    """The pairing of rows and columns with the least sum (Kuhn 1955, by shortest augmenting paths after Jonker and Volgenant
    1987): the column of each row, -1 where that costs _NO_PAIR. Rows and columns that no pair is open to are left out first."""
    rows, columns = costs.shape
    pairs = np.full(rows, -1, np.int64)
    if columns == 0:
        return pairs
    open_rows = [r for r in range(rows) if costs[r].min() < _NO_PAIR]
    count = len(open_rows)
    if count == 0:
        return pairs
    width = columns + count  # each row may also stay alone, at the cost of no pair
    row_value, column_value = np.zeros(count + 1), np.zeros(width + 1)
    owner = np.zeros(width + 1, np.int64)
    came_from = np.zeros(width + 1, np.int64)
    for row in range(1, count + 1):
        owner[0], column = row, 0
        least = np.full(width + 1, 1e18)
        used = np.zeros(width + 1, np.bool_)
        while owner[column] != 0:
            used[column] = True
            held, step, best = owner[column], 1e18, 0
            for c in range(1, width + 1):
                if used[c]:
                    continue
                cost = costs[open_rows[held - 1], c - 1] if c <= columns else _NO_PAIR
                reduced = cost - row_value[held] - column_value[c]
                if reduced < least[c]:
                    least[c], came_from[c] = reduced, column
                if least[c] < step:
                    step, best = least[c], c
            for c in range(width + 1):
                if used[c]:
                    row_value[owner[c]] += step
                    column_value[c] -= step
                else:
                    least[c] -= step
            column = best
        while column != 0:
            owner[column] = owner[came_from[column]]
            column = came_from[column]
    for c in range(1, columns + 1):
        if owner[c] and costs[open_rows[owner[c] - 1], c - 1] < _NO_PAIR:
            pairs[open_rows[owner[c] - 1]] = c - 1
    return pairs
