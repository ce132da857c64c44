"""Bodies: the patches of foreground in one frame, each what one or several things that move are seen as.

Cells over the limit are closed by one cell up and down, since a belt or a hand of the ground's colour cuts a person in two, and
joined where they touch, corners included. Across nothing is closed: people walk side by side.
"""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from north_hush.core.compiled import compiled
from north_hush.core.footage.foreground import FOREGROUND_SCALE, MOVES

BODIES_MAX = 256
CELLS, X, Y, LEFT, TOP, RIGHT, BOTTOM, FOOT, STRENGTH = range(9)
"""Columns of a body: its cells, its middle, its box (right and bottom one after the last cell) and its lower edge, in cells; and
how far above the limit its cells are, as a multiple of it."""
BODY_FIELDS = 9
_CELLS_LEAST = 2
_LARGE_SHARE = 40
"""One over this of the view: a larger body of which most does not move is light, or parked, and only what moves in it is looked
at: a lamp that goes on at dusk shines for longer than the background takes to know it."""
_OPEN = -2
"""Label of a cell that belongs to a body not looked at yet."""
_FOOT_LEAST, _FOOT_MOST = 0.25, 1.5
FOOT_SPILL = 0.2
"""How far into its last row a body reaches is told from that row's change, with the row below it, against the row above; change
spills a little over the edge of what moves."""


@compiled
def find_bodies(plane: NDArray[np.uint8], labels: NDArray[np.int32], bodies: NDArray[np.float64]) -> int:
    """Find the bodies of one frame.

    Parameters
    ----------
    plane : (rows, columns) uint8 foreground
    labels : (rows, columns) int32, overwritten: the body each cell belongs to, -1 for none
    bodies : (BODIES_MAX, BODY_FIELDS) float64, overwritten

    Returns
    -------
    How many there are; in a frame with more than BODIES_MAX none.
    """
    rows, columns = plane.shape
    _close(plane, labels)
    stack = np.empty(rows * columns, np.int32)
    count = 0
    start = 0
    while start < rows * columns:
        if labels[start // columns, start % columns] != _OPEN:
            start += 1
            continue
        if count == BODIES_MAX:
            labels[:] = -1
            return 0
        body = bodies[count]
        body[:] = 0.0
        body[LEFT], body[TOP] = columns, rows
        stack[0], waiting = start, 1
        labels[start // columns, start % columns] = count
        while waiting:
            waiting -= 1
            row, column = stack[waiting] // columns, stack[waiting] % columns
            body[CELLS] += 1.0
            body[STRENGTH] += plane[row, column] / FOREGROUND_SCALE
            body[X] += column + 0.5
            body[Y] += row + 0.5
            body[LEFT], body[RIGHT] = min(body[LEFT], column), max(body[RIGHT], column + 1)
            body[TOP], body[BOTTOM] = min(body[TOP], row), max(body[BOTTOM], row + 1)
            for r in range(max(0, row - 1), min(rows, row + 2)):
                for c in range(max(0, column - 1), min(columns, column + 2)):
                    if labels[r, c] == _OPEN:
                        labels[r, c] = count
                        stack[waiting] = r * columns + c
                        waiting += 1
        if body[CELLS] * _LARGE_SHARE > rows * columns and _dimmed(plane, labels, count, body):
            continue  # what moves in it is open again
        if body[CELLS] >= _CELLS_LEAST:
            body[X] /= body[CELLS]
            body[Y] /= body[CELLS]
            body[STRENGTH] /= body[CELLS]
            body[FOOT] = _foot(plane, labels, count, body)
            count += 1
        else:
            labels[start // columns, start % columns] = -1
    return count


@compiled
def _dimmed(plane: NDArray[np.uint8], labels: NDArray[np.int32], number: int, body: NDArray[np.float64]) -> bool:
    """Take what does not move out of a body, if that is most of it."""
    moving = 0
    for row in range(int(body[TOP]), int(body[BOTTOM])):
        for column in range(int(body[LEFT]), int(body[RIGHT])):
            moving += labels[row, column] == number and plane[row, column] & MOVES
    if 2 * moving >= body[CELLS]:
        return False
    for row in range(int(body[TOP]), int(body[BOTTOM])):
        for column in range(int(body[LEFT]), int(body[RIGHT])):
            if labels[row, column] == number:
                labels[row, column] = _OPEN if plane[row, column] & MOVES else -1
    return True


@compiled
def _close(plane: NDArray[np.uint8], labels: NDArray[np.int32]) -> None:
    """Mark the cells over the limit, and those between two of them in a column, no further than two apart."""
    rows, columns = plane.shape
    for row in range(rows):
        for column in range(columns):
            labels[row, column] = -1
            if plane[row, column] >= FOREGROUND_SCALE:
                labels[row, column] = _OPEN
                continue
            above = row > 0 and plane[row - 1, column] >= FOREGROUND_SCALE
            below = row + 1 < rows and plane[row + 1, column] >= FOREGROUND_SCALE
            second = row > 1 and plane[row - 2, column] >= FOREGROUND_SCALE
            fourth = row + 2 < rows and plane[row + 2, column] >= FOREGROUND_SCALE
            if (above and (below or fourth)) or (second and below):
                labels[row, column] = _OPEN


@compiled
def _foot(plane: NDArray[np.uint8], labels: NDArray[np.int32], number: int, body: NDArray[np.float64]) -> float:
    last = int(body[BOTTOM]) - 1
    below, above = 0.0, 0.0
    for column in range(int(body[LEFT]), int(body[RIGHT])):
        if labels[last, column] == number:
            below += plane[last, column]
            if last + 1 < plane.shape[0]:
                below += plane[last + 1, column]
        if last > 0 and labels[last - 1, column] == number:
            above += plane[last - 1, column]
    share = 1.0 if above == 0 else min(_FOOT_MOST, max(_FOOT_LEAST, below / above))
    return last + share - FOOT_SPILL
