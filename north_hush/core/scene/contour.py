"""Outlines traced round regions of a raster."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from north_hush.core.scene.outline import Point

Corner = tuple[int, int]


def traced(filled: NDArray[np.bool_]) -> list[tuple[Corner, ...]]:
    """Trace closed outlines round the filled squares of a raster, holes included.

    Filled together by the even-odd rule they cover exactly the filled squares. Squares that meet at a corner only are
    parted. Straight runs are one edge.

    Parameters
    ----------
    filled : (rows, columns) bool

    Returns
    -------
    Loops of (column, row) corners of squares.
    """
    padded = np.pad(filled, 1)
    # Walk with the filled side at the right hand: along tops to the right, right sides down, bottoms left, left sides up.
    following: dict[Corner, list[Corner]] = {}
    for inner, outer, from_offset, to_offset in (
        (padded[1:-1, 1:-1], padded[:-2, 1:-1], (0, 0), (1, 0)),
        (padded[1:-1, 1:-1], padded[1:-1, 2:], (1, 0), (1, 1)),
        (padded[1:-1, 1:-1], padded[2:, 1:-1], (1, 1), (0, 1)),
        (padded[1:-1, 1:-1], padded[1:-1, :-2], (0, 1), (0, 0)),
    ):
        rows, columns = np.nonzero(inner & ~outer)
        for row, column in zip(rows.tolist(), columns.tolist(), strict=True):
            start = (column + from_offset[0], row + from_offset[1])
            following.setdefault(start, []).append((column + to_offset[0], row + to_offset[1]))
    loops = []
    while following:
        first = next(iter(following))
        loop, at, heading = [first], first, (0, 0)
        while True:
            after = _turn(following[at], at, heading)
            following[at].remove(after)
            if not following[at]:
                del following[at]
            heading, at = (after[0] - at[0], after[1] - at[1]), after
            if at == first:
                break
            loop.append(at)
        loops.append(_without_straight(loop))
    return loops


def _turn(choices: list[Corner], at: Corner, heading: Corner) -> Corner:
    """Where two squares meet at a corner, turn right, which keeps them apart."""
    right = (at[0] - heading[1], at[1] + heading[0])
    return right if right in choices else choices[0]


def _without_straight(loop: list[Corner]) -> tuple[Corner, ...]:
    count = len(loop)
    return tuple(
        loop[place]
        for place in range(count)
        if not (
            loop[place - 1][0] == loop[place][0] == loop[(place + 1) % count][0]
            or loop[place - 1][1] == loop[place][1] == loop[(place + 1) % count][1]
        )
    )


def fractions_of(loop: tuple[Corner, ...], width_frac: float, height_frac: float) -> tuple[Point, ...]:
    """A loop of square corners in fractions of the picture, held inside it."""
    return tuple((min(1.0, column * width_frac), min(1.0, row * height_frac)) for column, row in loop)
