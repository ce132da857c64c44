"""Patches: 8-connected cells over the change limit in one frame, each with its size, place and foot point."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from north_hush.core.compiled import compiled
from north_hush.core.detect.levels import cell_limits

FRAME, CELLS, LEFT, TOP, RIGHT, BOTTOM, FOOT_X, FOOT_Y, MIDDLE_Y = range(9)
"""Columns of a patch table. Foot and middle are in sixteenths of a cell; the box holds first and last column and row."""
PATCH_FIELDS = 9
_GAP_ACROSS, _GAP_DOWN = 1, 2
NEVER = 256
"""Limit of a cell that never counts; values end at 255."""


def plane_limits(weights: NDArray[np.uint8], limit_quarters: int) -> NDArray[np.int64]:
    """Smallest value that counts in each cell of the view, (cells,) int64; masked cells never count."""
    limits = np.full(weights.size, NEVER, np.int64)
    watched = weights > 0
    limits[watched] = cell_limits(weights[watched], limit_quarters)
    return limits


@compiled
def find_patches(
    values: NDArray[np.uint8], limits: NDArray[np.int64], columns: int, first_frame: int
) -> NDArray[np.int32]:
    """Label every frame.

    The foot point is the middle of the patch across, weighted by cells, near its lower edge. How far the feet reach into
    the last row is told by that row's change (with the row below it) against the row above, a quarter to one and a half
    cells; half a cell is taken off, because change spills over the edge of what moves.

    Parameters
    ----------
    values : (cells, frames) uint8, row-major cells
    limits : (cells,) int64, see `plane_limits`
    first_frame : number of the first frame

    Returns
    -------
    (patches, PATCH_FIELDS) int32, by frame, in each frame by first cell
    """
    cells, frames = values.shape
    block = min(frames, 512)
    active = np.empty((block, cells), np.int32)
    counts = np.zeros(block, np.int64)
    labels = np.full(cells, -1, np.int32)
    parent = np.empty(cells, np.int32)
    place = np.empty(cells, np.int32)
    table = np.empty((1024, PATCH_FIELDS), np.int32)
    below, above = np.zeros(cells, np.int64), np.zeros(cells, np.int64)
    made = 0
    for start in range(0, frames, block):
        end = min(start + block, frames)
        counts[:] = 0
        for cell in range(cells):
            limit = limits[cell]
            if limit > 255:
                continue
            row = values[cell, start:end]
            for t in range(end - start):
                if row[t] >= limit:
                    active[t, counts[t]] = cell
                    counts[t] += 1
        for t in range(end - start):
            count = counts[t]
            for i in range(count):
                cell = active[t, i]
                column = cell % columns
                labels[cell] = i
                parent[i] = i
                for step in range(4):
                    if step == 0:
                        other = cell - 1 if column > 0 else -1
                    elif step == 1:
                        other = cell - columns - 1 if column > 0 else -1
                    elif step == 2:
                        other = cell - columns
                    else:
                        other = cell - columns + 1 if column < columns - 1 else -1
                    if other < 0 or labels[other] < 0:
                        continue
                    a, b = i, labels[other]
                    while parent[a] != a:
                        a = parent[a]
                    while parent[b] != b:
                        parent[b] = parent[parent[b]]
                        b = parent[b]
                    if a < b:
                        parent[b] = a
                    elif b < a:
                        parent[a] = b
            first = made
            for i in range(count):
                root = i
                while parent[root] != root:
                    root = parent[root]
                cell = active[t, i]
                column, row_number = cell % columns, cell // columns
                if root == i:
                    if made == table.shape[0]:
                        larger = np.empty((2 * made, PATCH_FIELDS), np.int32)
                        larger[:made] = table
                        table = larger
                    place[i] = made
                    table[made, FRAME] = first_frame + start + t
                    table[made, CELLS] = 0
                    table[made, LEFT], table[made, TOP] = column, row_number
                    table[made, RIGHT], table[made, BOTTOM] = column, row_number
                    table[made, FOOT_X] = table[made, MIDDLE_Y] = 0
                    made += 1
                at = place[root]
                table[at, CELLS] += 1
                table[at, LEFT] = min(table[at, LEFT], column)
                table[at, RIGHT] = max(table[at, RIGHT], column)
                table[at, BOTTOM] = max(table[at, BOTTOM], row_number)
                table[at, FOOT_X] += 2 * column + 1
                table[at, MIDDLE_Y] += 2 * row_number + 1
            for at in range(first, made):
                table[at, FOOT_X] = table[at, FOOT_X] * 8 // table[at, CELLS]
                table[at, MIDDLE_Y] = table[at, MIDDLE_Y] * 8 // table[at, CELLS]
            below[: made - first] = 0
            above[: made - first] = 0
            for i in range(count):
                root = i
                while parent[root] != root:
                    root = parent[root]
                at = place[root]
                cell = active[t, i]
                row_number = cell // columns
                if row_number == table[at, BOTTOM]:
                    below[at - first] += values[cell, start + t]
                    if cell + columns < cells:
                        under = values[cell + columns, start + t]
                        below[at - first] += under
                elif row_number == table[at, BOTTOM] - 1:
                    above[at - first] += values[cell, start + t]
            for i in range(count):
                labels[active[t, i]] = -1
            for at in range(first, made):
                share = 16
                if above[at - first] > 0:
                    share = min(24, max(4, 16 * below[at - first] // above[at - first]))
                table[at, FOOT_Y] = table[at, BOTTOM] * 16 + share - 8
    return table[:made].copy()


def find_patches_numpy(
    values: NDArray[np.uint8], limits: NDArray[np.int64], columns: int, first_frame: int
) -> NDArray[np.int32]:
    """The NumPy and SciPy twin of `find_patches`."""
    from scipy import ndimage  # this twin alone needs it, and it takes long to import

    rows = []
    over = values >= limits[:, None]
    for frame in range(values.shape[1]):
        plane = over[:, frame].reshape(-1, columns)
        change = values[:, frame].reshape(-1, columns).astype(np.int64)
        labels, count = ndimage.label(plane, np.ones((3, 3), bool))
        found = []
        for number in range(1, count + 1):
            here = labels == number
            y, x = np.nonzero(here)
            size, last = len(x), int(y.max())
            below = int(change[last, here[last]].sum())
            if last + 1 < len(plane):
                below += int(change[last + 1, here[last]].sum())
            above = int(change[last - 1, here[last - 1]].sum()) if last else 0
            share = min(24, max(4, 16 * below // above)) if above else 16
            row = (
                first_frame + frame, size, x.min(), y.min(), x.max(), last,
                int((2 * x + 1).sum()) * 8 // size, last * 16 + share - 8, int((2 * y + 1).sum()) * 8 // size,
            )  # fmt: skip
            found.append((int(y[0] * columns + x[0]), row))
        rows += [row for _, row in sorted(found)]
    return np.array(rows, np.int32).reshape(-1, PATCH_FIELDS)


def grouped(patches: NDArray[np.int32]) -> NDArray[np.int32]:
    """Join the patches of one body: a walking person is often a head, a trunk and legs that move on their own.

    Patches of a frame whose boxes lie within a cell of one another across and two cells up and down become one, with the
    lower one's foot. A frame in pieces (over 200) is passed on as it is.
    """
    return _grouped(patches, _GAP_ACROSS, _GAP_DOWN)


@compiled
def _grouped(patches: NDArray[np.int32], gap_across: int, gap_down: int) -> NDArray[np.int32]:
    joined = patches.copy()
    kept = 0
    begin = 0
    while begin < patches.shape[0]:
        end = begin
        while end < patches.shape[0] and patches[end, FRAME] == patches[begin, FRAME]:
            end += 1
        count = end - begin
        rows = patches[begin:end].copy()
        again = 1 < count <= 200
        while again:
            again = False
            for a in range(count):
                b = a + 1
                while b < count:
                    across = max(rows[a, LEFT], rows[b, LEFT]) - min(rows[a, RIGHT], rows[b, RIGHT]) - 1
                    down = max(rows[a, TOP], rows[b, TOP]) - min(rows[a, BOTTOM], rows[b, BOTTOM]) - 1
                    if across > gap_across or down > gap_down:
                        b += 1
                        continue
                    size = rows[a, CELLS] + rows[b, CELLS]
                    rows[a, FOOT_X] = (rows[a, FOOT_X] * rows[a, CELLS] + rows[b, FOOT_X] * rows[b, CELLS]) // size
                    rows[a, MIDDLE_Y] = (
                        rows[a, MIDDLE_Y] * rows[a, CELLS] + rows[b, MIDDLE_Y] * rows[b, CELLS]
                    ) // size
                    rows[a, FOOT_Y] = max(rows[a, FOOT_Y], rows[b, FOOT_Y])
                    rows[a, CELLS] = size
                    for low in (LEFT, TOP):
                        rows[a, low] = min(rows[a, low], rows[b, low])
                    for high in (RIGHT, BOTTOM):
                        rows[a, high] = max(rows[a, high], rows[b, high])
                    rows[b] = rows[count - 1]
                    count -= 1
                    again = True
        for a in range(count):
            joined[kept] = rows[a]
            kept += 1
        begin = end
    return joined[:kept].copy()
