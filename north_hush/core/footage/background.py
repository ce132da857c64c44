"""The slow background: the median, pixel by pixel, of planes kept over the last two minutes.

Who walks through a place is there for less than half of the time, so that a median does not take him in, where a running mean
keeps a trail of everybody who passed. What stays is taken in after half the window. Until a window is full the planes lie closer:
when there are too many, every second one goes and the spacing doubles.
"""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from north_hush.core.compiled import compiled
from north_hush.core.footage.stamps import US_PER_S

PLANES_KEPT = 25
"""An odd number of planes; the median of so many is within a few percent of the noise of that of all frames."""
_FIRST_SPACING_US = US_PER_S // 4


@compiled
def medians(
    kept: NDArray[np.uint16], slots: NDArray[np.int64], first: int, after: int, median: NDArray[np.uint16]
) -> None:
    """Write the lower median of some of the kept planes into the rows from `first` to before `after`.

    Parameters
    ----------
    kept : (PLANES_KEPT, height, width) uint16
    slots : which of them count
    """
    count, width = slots.size, kept.shape[2]
    middle = (count - 1) // 2
    ordered = np.empty(count, np.uint16)
    for y in range(first, after):
        for x in range(width):
            for number in range(count):
                value = kept[slots[number], y, x]
                at = number
                while at > 0 and ordered[at - 1] > value:
                    ordered[at] = ordered[at - 1]
                    at -= 1
                ordered[at] = value
            median[y, x] = ordered[middle]


def medians_numpy(
    kept: NDArray[np.uint16], slots: NDArray[np.int64], first: int, after: int, median: NDArray[np.uint16]
) -> None:
    """The NumPy twin of `medians`."""
    if after > first:
        middle = (slots.size - 1) // 2
        median[first:after] = np.partition(kept[slots, first:after], middle, axis=0)[middle]


class Background:
    """What each pixel of the analysis plane usually shows. Feed it every plane, after comparing with `plane`.

    Parameters
    ----------
    shape : of a plane
    window_s : seconds that the median spans
    """

    def __init__(self, shape: tuple[int, int], window_s: float) -> None:
        self.plane = np.zeros(shape, np.uint16)
        self._kept = np.zeros((PLANES_KEPT, *shape), np.uint16)
        self._slots: list[int] = []
        """Of the kept planes, the oldest first."""
        self._widest_us = max(1, round(window_s * US_PER_S / (PLANES_KEPT - 1)))
        self._spacing_us = min(_FIRST_SPACING_US, self._widest_us)
        self._kept_us = 0
        self._done = 0
        """Rows of `plane` that hold the median of all kept planes. They are worked out a few at a time."""

    def feed(self, plane: NDArray[np.uint16], time_us: int) -> bool:
        """Take the next plane; True when `plane` holds the median of another plane in all its rows."""
        if not self._slots:
            self.plane[:] = plane
            self._keep(plane, time_us)
            self._done = len(plane)
            return True
        waited_us, whole = time_us - self._kept_us, len(plane)
        due = waited_us >= self._spacing_us
        wanted = whole if due else min(whole, whole * 2 * waited_us // self._spacing_us)
        before, self._done = self._done, max(self._done, wanted)
        medians(self._kept, np.array(self._slots), before, self._done, self.plane)
        finished = before < whole == self._done
        if due:
            self._keep(plane, time_us)
            self._done = 0
        return finished

    def _keep(self, plane: NDArray[np.uint16], time_us: int) -> None:
        if len(self._slots) == PLANES_KEPT:
            if self._spacing_us < self._widest_us:
                self._slots = self._slots[::2]
                self._spacing_us = min(2 * self._spacing_us, self._widest_us)
            else:
                self._slots = self._slots[1:]
        free = next(slot for slot in range(PLANES_KEPT) if slot not in self._slots)
        self._kept[free] = plane
        self._slots.append(free)
        self._kept_us = time_us
