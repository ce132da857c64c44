"""Sharing: where each of several tracks is in one body that holds them all.

Inside a crowd nothing tells where somebody is but its outline, and where everybody was heading: the boxes of those who share, each of
its usual size, are fitted to the cells of the body together.
"""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from north_hush.core.compiled import compiled
from north_hush.core.follow.bodies import BOTTOM, LEFT, RIGHT, TOP
from north_hush.core.follow.pairing import BELOW, TALL, WIDE, X, Y

_FIT_ROUNDS, _FIT_STEPS, _FIT_STEP = 2, 3, 0.5
"""The boxes of those who share are fitted so often, and so far to either side of where they should be, in steps of half a cell."""
_FIT_STAY = 0.15
"""What each squared cell away from where it should be costs, in cells: inside a crowd nothing tells where somebody is."""


@compiled
def lies_within(
    tracks: NDArray[np.float64], pairs: NDArray[np.int64], bodies: NDArray[np.float64]
) -> NDArray[np.int64]:
    """The body each track lies in, its own or one that another took: (tracks,) int64, -1 for none.

    Parameters
    ----------
    tracks : (tracks, TRACK_FIELDS) float64, where they should be by now
    pairs : (tracks,) int64, the body of each, -1 for none
    """
    within = pairs.copy()
    for p in range(pairs.size):
        if pairs[p] < 0:
            within[p] = _around(tracks[p], bodies)
    return within


@compiled
def places_within(
    tracks: NDArray[np.float64], within: NDArray[np.int64], bodies: NDArray[np.float64], labels: NDArray[np.int32]
) -> NDArray[np.float64]:
    """Where each track is in a body that is shared: (tracks, 3) float64, its middle, and how many cells of the body are its own
    there.

    Parameters
    ----------
    within : (tracks,) int64, the body each lies in, -1 for none
    labels : (rows, columns) int32, the body of each cell
    """
    places = np.zeros((within.size, 3))
    for b in range(bodies.shape[0]):
        if (within == b).sum() > 1:
            _share(tracks, within, labels, b, places)
    return places


@compiled
def _around(track: NDArray[np.float64], bodies: NDArray[np.float64]) -> int:
    """The body a track's prediction lies in, half a cell wider; -1 for none."""
    found = -1
    for b in range(bodies.shape[0]):
        across = bodies[b, LEFT] - 0.5 <= track[X] <= bodies[b, RIGHT] + 0.5
        if across and bodies[b, TOP] - 0.5 <= track[Y] <= bodies[b, BOTTOM] + 0.5:
            found = b
    return found


@compiled
def _share(
    tracks: NDArray[np.float64],
    within: NDArray[np.int64],
    labels: NDArray[np.int32],
    number: int,
    places: NDArray[np.float64],
) -> None:
    """Fit the boxes of all who share a body to its cells: each is moved, a little at a time, to where it
    holds most cells of the body that no other box holds, and fewest that are not the body's."""
    for p in range(within.size):
        if within[p] == number:
            places[p, 0], places[p, 1] = tracks[p, X], tracks[p, Y]
    for _ in range(_FIT_ROUNDS):
        for p in range(within.size):
            if within[p] != number:
                continue
            best, best_x, best_y = -1e18, 0.0, 0.0
            for i in range(-_FIT_STEPS, _FIT_STEPS + 1):
                for j in range(-_FIT_STEPS, _FIT_STEPS + 1):
                    dx, dy = i * _FIT_STEP, j * _FIT_STEP
                    x, y = tracks[p, X] + dx, tracks[p, Y] + dy
                    held = _held(tracks, within, labels, number, places, p, x, y)
                    held -= _FIT_STAY * (dx * dx + dy * dy)
                    if held > best:
                        best, best_x, best_y = held, x, y
            places[p, 0], places[p, 1] = best_x, best_y
            places[p, 2] = best + _FIT_STAY * ((best_x - tracks[p, X]) ** 2 + (best_y - tracks[p, Y]) ** 2)


@compiled
def _held(
    tracks: NDArray[np.float64],
    within: NDArray[np.int64],
    labels: NDArray[np.int32],
    number: int,
    places: NDArray[np.float64],
    own: int,
    x: float,
    y: float,
) -> float:
    """What a box at a place holds, in cells: those of the body, shared with the other boxes they lie in, less those that are not."""
    rows, columns = labels.shape
    wide, tall, below = max(1.0, tracks[own, WIDE]), max(1.0, tracks[own, TALL]), tracks[own, BELOW]
    held = 0.0
    for row in range(max(0, int(y + below - tall + 0.5)), min(rows, int(y + below + 0.5))):
        for column in range(max(0, int(x - wide / 2 + 0.5)), min(columns, int(x + wide / 2 + 0.5))):
            if labels[row, column] != number:
                held -= 1.0
                continue
            others = 0
            for q in range(within.size):
                if q != own and within[q] == number:
                    off_x = abs(column + 0.5 - places[q, 0])
                    off_y = row + 0.5 - places[q, 1]
                    inside = off_y <= tracks[q, BELOW] and off_y >= tracks[q, BELOW] - tracks[q, TALL]
                    others += inside and off_x <= max(1.0, tracks[q, WIDE]) / 2
            held += 1.0 / (1 + others)
    return held
