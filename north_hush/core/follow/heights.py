"""How tall a followed body usually is, in person heights, where size marks tell how tall a person is."""

from __future__ import annotations

from collections import deque
from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray

_WINDOW_US = 1_500_000
"""Two steps of a walk: legs open and close, and what joins somebody for a moment goes again."""


class Heights:
    """Follows one track, sight by sight.

    Parameters
    ----------
    person_cells : (rows,) float64, height in cells of a person whose feet are in each row; 0 where no size mark tells
    """

    def __init__(self, person_cells: NDArray[np.float64]) -> None:
        self._person_cells = person_cells
        self._recent: deque[tuple[int, float]] = deque()

    def feed(self, now_us: int, foot: float, tall_cells: float) -> float | None:
        """Take its lower edge and its height in cells, and tell the median of its heights lately; None where none is known."""
        person = float(self._person_cells[min(len(self._person_cells) - 1, max(0, int(foot)))])
        if person:
            self._recent.append((now_us, tall_cells / person))
        while self._recent and self._recent[0][0] < now_us - _WINDOW_US:
            self._recent.popleft()
        return middle([held for _, held in self._recent]) if person else None


def middle(values: Sequence[float]) -> float:
    """The median; of an even number the mean of the two in the middle."""
    ordered, half = sorted(values), len(values) // 2
    return ordered[half] if len(values) % 2 else (ordered[half - 1] + ordered[half]) / 2
