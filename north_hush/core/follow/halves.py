"""Somebody in two pieces, one above the other: where the waist is as dark as the ground, he is two bodies and two tracks.

The lower piece has the feet, and passes a line for both; of the upper one the lower edge is the waist, which is where the feet come
seconds later or never. What tells pieces from people is that both together are no taller than a person: of two who walk one behind
the other each is as tall as that alone.
"""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

Box = tuple[float, float, float, float]
"""Left, top, right and bottom, in cells."""
SEEN_BY_US, WHOLE_BY_US = 250_000, 3_000_000
"""Both are followed at once, or nearly; how tall they were together is known for as long as somebody takes over a line."""
_ABOVE, _BESIDE = 0.5, 0.5
"""The upper one ends half its height above the feet at least; the narrower one is above or below the other by half its width."""
_TALL_MOST = 1.15
"""Person heights: a person, and what a cell and a size mark are wrong by."""


def heights_together(upper: Box, lower: Box, person_cells: NDArray[np.float64]) -> float | None:
    """How tall a body is that one box stands on another of, in person heights; None where it does not, or both are more than one
    person.

    Parameters
    ----------
    person_cells : (rows,) float64, height in cells of a person whose feet are in each row; 0 where no size mark tells
    """
    left, top, right, bottom = upper
    lower_left, _, lower_right, feet = lower
    person = float(person_cells[min(len(person_cells) - 1, max(0, int(feet)))])
    narrower = min(right - left, lower_right - lower_left)
    shared = min(right, lower_right) - max(left, lower_left)
    stands = feet > bottom + _ABOVE * (bottom - top) and shared >= _BESIDE * narrower > 0
    together = (feet - top) / person if person else np.inf
    return together if stands and together <= _TALL_MOST else None
