"""Parting: a body that several upright tracks lie in is taken apart where its outline, in halves of cells, shows people side by side.

Cells are as wide as a person far away, so that two who meet are one body while a gap is between them. Quarters of cells show the
gap; but in rain, in snow and at dusk they show gaps in everybody. So only a body is parted that holds at least two who were seen
upright before, and only if every piece of it that counts is upright too.
"""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from north_hush.core.compiled import compiled
from north_hush.core.follow.bodies import (
    BODY_FIELDS,
    BOTTOM,
    CELLS,
    FOOT,
    FOOT_SPILL,
    LEFT,
    RIGHT,
    STRENGTH,
    TOP,
    X,
    Y,
)
from north_hush.core.follow.pairing import HITS, TALL, WIDE
from north_hush.core.footage.foreground import FOREGROUND_SCALE

_GUIDES, _GUIDE_HITS, _GUIDE_TALL = 2, 4, 1.5
"""So many tracks, each seen in so many frames and so many times as tall as wide, make a body one of several people."""
_CLOSED_HALVES = 2
"""Gaps of so many half cells in a column are closed, as a cell is in whole ones: a belt, a hand."""
_LYING = 0.4
"""What is lower than this share of its piece's highest column, run by run, lies on the ground: a shadow."""
_VALLEY, _HEAD_HALVES = 0.6, 6
"""Where columns are lower than this share of those on both sides, which are at least so high, one person ends."""
_PIECE_CELLS, _PIECE_TALL = 3.0, 0.4
"""A piece of fewer cells, or of less than this share of the tallest piece's height, is nobody's whole outline."""
_UPRIGHT = 1.3
"""So many times as tall as wide is upright; somebody with open legs still is."""
_LARGE_SHARE = 8
"""One over this of the view: of a larger body the outline tells nothing."""
_NONE, _OPEN = -1, -2


@compiled
def are_several(tracks: NDArray[np.float64], within: NDArray[np.int64], count: int) -> NDArray[np.bool_]:
    """Which of so many bodies hold tracks enough of people to be parted, (count,) bool.

    Parameters
    ----------
    tracks : (tracks, TRACK_FIELDS) float64
    within : (tracks,) int64, the body each lies in, -1 for none
    """
    guides = np.zeros(count, np.int64)
    for p in range(within.size):
        upright = tracks[p, TALL] >= _GUIDE_TALL * tracks[p, WIDE]
        if within[p] >= 0 and upright and tracks[p, HITS] >= _GUIDE_HITS:
            guides[within[p]] += 1
    return guides >= _GUIDES


@compiled
def part_bodies(
    several: NDArray[np.bool_],
    bodies: NDArray[np.float64],
    labels: NDArray[np.int32],
    plane: NDArray[np.uint8],
    quarters: NDArray[np.uint8],
) -> int:
    """Take bodies apart, and tell how many there are by then. The first piece of a body takes its row, the others come last.

    Parameters
    ----------
    several : (count,) bool, which of the bodies are looked at
    bodies : (BODIES_MAX, BODY_FIELDS) float64, of which the first `count` are bodies; changed
    labels : (rows, columns) int32, the body of each cell; changed, -1 where no piece is
    plane, quarters : (rows, columns) uint8, see `foreground` and `quarters_over`
    """
    made = several.size
    for number in range(several.size):
        if several[number] and bodies[number, CELLS] * _LARGE_SHARE <= plane.size:
            made = _part(number, made, bodies, labels, plane, quarters)
    return made


@compiled
def _part(
    number: int,
    made: int,
    bodies: NDArray[np.float64],
    labels: NDArray[np.int32],
    plane: NDArray[np.uint8],
    quarters: NDArray[np.uint8],
) -> int:
    top, left = int(bodies[number, TOP]), int(bodies[number, LEFT])
    halves = _outline(number, bodies[number], labels, plane, quarters)
    count = _cut(halves, _standing(halves))
    pieces = _measured(halves, count)
    kept = _upright(pieces)
    people = int((kept >= 0).sum())
    if people < 2 or made + people - 1 > bodies.shape[0]:
        return made
    strength = bodies[number, STRENGTH]
    for piece in range(count):
        if kept[piece] >= 0:
            at = number if kept[piece] == 0 else made + kept[piece] - 1
            bodies[at] = pieces[piece]
            bodies[at, STRENGTH] = strength
            bodies[at, X] += left
            bodies[at, LEFT] += left
            bodies[at, RIGHT] += left
            for field in (Y, TOP, BOTTOM, FOOT):
                bodies[at, field] += top
    _label(labels[top : top + halves.shape[0] // 2, left : left + halves.shape[1] // 2], number, made, halves, kept)
    return made + people - 1


@compiled
def _label(
    labels: NDArray[np.int32], number: int, made: int, halves: NDArray[np.int32], kept: NDArray[np.int64]
) -> None:
    """Give the cells of a body to the pieces that count; where none is, they are nobody's."""
    for row in range(labels.shape[0]):
        for column in range(labels.shape[1]):
            if labels[row, column] != number:
                continue
            labels[row, column] = -1
            for half in range(4):
                piece = halves[2 * row + half // 2, 2 * column + half % 2]
                if piece >= 0 and kept[piece] >= 0:
                    labels[row, column] = number if kept[piece] == 0 else made + kept[piece] - 1


@compiled
def _outline(
    number: int,
    body: NDArray[np.float64],
    labels: NDArray[np.int32],
    plane: NDArray[np.uint8],
    quarters: NDArray[np.uint8],
) -> NDArray[np.int32]:
    """The half cells of a body, _OPEN where they are over the limit, with short gaps down a column closed."""
    top, left = int(body[TOP]), int(body[LEFT])
    rows, columns = int(body[BOTTOM]) - top, int(body[RIGHT]) - left
    halves = np.full((2 * rows, 2 * columns), _NONE, np.int32)
    for row in range(rows):
        for column in range(columns):
            y, x = top + row, left + column
            if labels[y, x] == number and plane[y, x] >= FOREGROUND_SCALE:
                for quarter in range(4):
                    if quarters[y, x] >> quarter & 1:
                        halves[2 * row + quarter // 2, 2 * column + quarter % 2] = _OPEN
    for x in range(2 * columns):
        last = 2 * rows
        for y in range(2 * rows):
            if halves[y, x] == _OPEN:
                if 0 < y - last - 1 <= _CLOSED_HALVES:
                    halves[last + 1 : y, x] = _OPEN
                last = y
    return halves


@compiled
def _join(halves: NDArray[np.int32]) -> int:
    """Number the pieces of the open half cells that touch, corners included; how many there are."""
    rows, columns = halves.shape
    stack = np.empty(halves.size, np.int32)
    count = 0
    for start in range(halves.size):
        if halves[start // columns, start % columns] != _OPEN:
            continue
        stack[0], waiting = start, 1
        halves[start // columns, start % columns] = count
        while waiting:
            waiting -= 1
            row, column = stack[waiting] // columns, stack[waiting] % columns
            for y in range(max(0, row - 1), min(rows, row + 2)):
                for x in range(max(0, column - 1), min(columns, column + 2)):
                    if halves[y, x] == _OPEN:
                        halves[y, x] = count
                        stack[waiting] = y * columns + x
                        waiting += 1
        count += 1
    return count


@compiled
def _runs(halves: NDArray[np.int32]) -> NDArray[np.int32]:
    """How long the run of one piece down a column is that each half cell lies in."""
    rows, columns = halves.shape
    runs = np.zeros(halves.shape, np.int32)
    for x in range(columns):
        first = 0
        for y in range(rows + 1):
            if y == rows or halves[y, x] != halves[first, x]:
                runs[first:y, x] = y - first
                first = y
    return runs


@compiled
def _standing(halves: NDArray[np.int32]) -> int:
    """Number the pieces once what lies on the ground is taken away; how many there are."""
    highest = np.zeros(_join(halves), np.int32)
    runs = _runs(halves)
    rows, columns = halves.shape
    for y in range(rows):
        for x in range(columns):
            if halves[y, x] >= 0:
                highest[halves[y, x]] = max(highest[halves[y, x]], runs[y, x])
    for y in range(rows):
        for x in range(columns):
            if halves[y, x] >= 0:
                halves[y, x] = _OPEN if runs[y, x] >= _LYING * highest[halves[y, x]] else _NONE
    return _join(halves)


@compiled
def _cut(halves: NDArray[np.int32], count: int) -> int:
    """Cut pieces at the valleys of their columns, the deepest first; how many there are by then."""
    rows, columns = halves.shape
    made = count
    for piece in range(count):
        high = np.zeros(columns, np.int32)
        for x in range(columns):
            high[x] = (halves[:, x] == piece).sum()
        waiting = [(0, columns)]
        own = True
        while len(waiting) > 0:
            first, after = waiting.pop()
            valley = _valley(high[first:after])
            if valley >= 0:
                waiting.append((first, first + valley))
                waiting.append((first + valley, after))
            elif own:  # what is left last keeps the number of the piece
                own = False
            else:
                for x in range(first, after):
                    for y in range(rows):
                        if halves[y, x] == piece:
                            halves[y, x] = made
                made += 1
    return made


@compiled
def _valley(high: NDArray[np.int32]) -> int:
    """The column that is lowest beside what is higher on both sides of it, -1 where none is low enough."""
    right = high.copy()
    for x in range(high.size - 2, -1, -1):
        right[x] = max(right[x], right[x + 1])
    found, least, left = -1, _VALLEY, 0
    for x in range(1, high.size - 1):
        left = max(left, high[x - 1])
        beside = min(left, right[x])
        if beside >= _HEAD_HALVES and high[x] < least * beside:
            found, least = x, high[x] / beside
    return found


@compiled
def _measured(halves: NDArray[np.int32], count: int) -> NDArray[np.float64]:
    """Pieces as bodies, in cells from the corner of what they were cut of: (count, BODY_FIELDS) float64."""
    rows, columns = halves.shape
    pieces = np.zeros((count, BODY_FIELDS))
    pieces[:, LEFT], pieces[:, TOP] = columns, rows
    for y in range(rows):
        for x in range(columns):
            if halves[y, x] >= 0:
                piece = pieces[halves[y, x]]
                piece[CELLS] += 1.0
                piece[X] += x + 0.5
                piece[Y] += y + 0.5
                piece[LEFT], piece[RIGHT] = min(piece[LEFT], x), max(piece[RIGHT], x + 1)
                piece[TOP], piece[BOTTOM] = min(piece[TOP], y), max(piece[BOTTOM], y + 1)
    for number in range(count):
        piece = pieces[number]
        piece[X] /= piece[CELLS]
        piece[Y] /= piece[CELLS]
        piece[FOOT] = piece[BOTTOM] - 2 * FOOT_SPILL
        for field in (X, Y, LEFT, TOP, RIGHT, BOTTOM, FOOT):
            piece[field] /= 2
        piece[CELLS] /= 4
    return pieces


@compiled
def _upright(pieces: NDArray[np.float64]) -> NDArray[np.int64]:
    """Number the pieces that count, -1 for the others, (pieces,) int64; none counts where one of them is not upright."""
    kept = np.full(len(pieces), -1)
    tallest, people = 0.0, 0
    for piece in pieces:
        tallest = max(tallest, piece[BOTTOM] - piece[TOP])
    for number in range(len(pieces)):
        piece = pieces[number]
        tall, wide = piece[BOTTOM] - piece[TOP], piece[RIGHT] - piece[LEFT]
        if piece[CELLS] < _PIECE_CELLS or tall < _PIECE_TALL * tallest:
            continue
        if tall < _UPRIGHT * wide:
            kept[:] = -1
            return kept
        kept[number] = people
        people += 1
    return kept
