"""How tall a standing person is at each place of the picture, from the size marks."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray

from north_hush.core.grid import Grid
from north_hush.core.scene.items import SizeMark
from north_hush.core.scene.outline import Point

HEIGHT_MIN_FRAC = 0.002
"""Below this a person is no longer a figure; such places lie at or beyond the horizon."""


def person_height_frac(marks: Sequence[SizeMark], foot: Point) -> float | None:
    """Height of a standing person whose feet are at a point, as a fraction of the picture's height.

    On flat ground under a level camera the height on the picture grows in proportion to how far the feet are below the
    horizon (similar triangles of the pinhole camera), so it is a straight line in y. One mark gives the same height
    everywhere; marks at one y give their mean; more than two are fitted by least squares.

    Returns
    -------
    None without marks, and where the line falls to nothing: at or beyond the horizon.
    """
    if not marks:
        return None
    count = len(marks)
    mean_y = sum(mark.foot[1] for mark in marks) / count
    mean_height = sum(mark.height_frac for mark in marks) / count
    spread = sum((mark.foot[1] - mean_y) ** 2 for mark in marks)
    slope = 0.0
    if spread > 1e-9:
        slope = sum((mark.foot[1] - mean_y) * (mark.height_frac - mean_height) for mark in marks) / spread
    height = mean_height + slope * (foot[1] - mean_y)
    return height if height >= HEIGHT_MIN_FRAC else None


def person_cells(marks: Sequence[SizeMark], grid: Grid) -> NDArray[np.float64]:
    """Height in cells of a person whose feet are in each row of cells, (rows,) float64; 0 where that is not known."""
    side = grid.cell_size_frac[1]
    rows = [person_height_frac(marks, (0.5, (row + 0.5) * side)) or 0.0 for row in range(grid.rows)]
    return np.array(rows) / side
