"""The slow background: the median, pixel by pixel, of planes kept over the last two minutes.

Who walks through a place is there for less than half of the time, so that a median does not take him in, where a running mean
keeps a trail of everybody who passed. What stays is taken in after half the window. Until a window is full the planes lie closer:
when there are too many, every second one goes and the spacing doubles.

The values of each pixel are kept in order, so that a plane that comes or goes costs a run along them and no sorting, and a few rows
are done with each frame.
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
def reorder(
    ordered: NDArray[np.uint16],
    count: int,
    kept: NDArray[np.uint16],
    gone: NDArray[np.int64],
    come: int,
    first: int,
    after: int,
    median: NDArray[np.uint16],
) -> None:
    """Take planes out of the ordered values and one in, in the rows from `first` to before `after`, and write their lower median.

    Parameters
    ----------
    ordered : (PLANES_KEPT, height, width) uint16, of which the first `count` count, each pixel's in order
    kept : (PLANES_KEPT + 1, height, width) uint16, the planes as they were
    gone, come : which of them go, and which one comes
    """
    value = np.empty(ordered.shape[2], np.uint16)
    for y in range(first, after):
        held = count
        for slot in gone:
            held -= 1
            for k in range(held):
                _close_up(ordered[k, y], ordered[k + 1, y], kept[slot, y])
        value[:] = kept[come, y]
        for k in range(held):
            _sift(ordered[k, y], value)
        ordered[held, y] = value
        median[y] = ordered[held // 2, y]


@compiled
def _close_up(row: NDArray[np.uint16], above: NDArray[np.uint16], old: NDArray[np.uint16]) -> None:
    """Where a value goes, what is above it moves down. A function of its own, since only then it runs in vector units."""
    for x in range(row.size):
        row[x] = row[x] if row[x] < old[x] else above[x]


@compiled
def _sift(row: NDArray[np.uint16], value: NDArray[np.uint16]) -> None:
    """Leave the lower of two values, and go on with the higher."""
    for x in range(row.size):
        low = min(row[x], value[x])
        value[x] = max(row[x], value[x])
        row[x] = low


def reorder_numpy(
    ordered: NDArray[np.uint16],
    count: int,
    kept: NDArray[np.uint16],
    gone: NDArray[np.int64],
    come: int,
    first: int,
    after: int,
    median: NDArray[np.uint16],
) -> None:
    """The NumPy twin of `reorder`, value by value."""
    for y in range(first, after):
        for x in range(ordered.shape[2]):
            values = ordered[:count, y, x].tolist()
            for slot in gone.tolist():
                values.remove(int(kept[slot, y, x]))
            values = sorted([*values, int(kept[come, y, x])])
            ordered[: len(values), y, x] = values
            median[y, x] = values[(len(values) - 1) // 2]


class Background:
    """What each pixel of the analysis plane usually shows. Feed it every plane, after comparing with `plane`.

    Parameters
    ----------
    shape : of a plane
    window_s : seconds that the median spans
    """

    def __init__(self, shape: tuple[int, int], window_s: float) -> None:
        self.plane = np.zeros(shape, np.uint16)
        self._kept = np.zeros((PLANES_KEPT + 1, *shape), np.uint16)
        self._ordered = np.zeros((PLANES_KEPT, *shape), np.uint16)
        self._slots: list[int] = []
        """Of the kept planes, the oldest first."""
        self._gone: list[int] = []
        """Those that go when the newest comes."""
        self._widest_us = max(1, round(window_s * US_PER_S / (PLANES_KEPT - 1)))
        self._spacing_us = min(_FIRST_SPACING_US, self._widest_us)
        self._kept_us = 0
        self._done = 0
        """Rows in which the newest has come."""

    def feed(self, plane: NDArray[np.uint16], time_us: int) -> bool:
        """Take the next plane; True when `plane` holds the median of another plane in all its rows."""
        waited_us, whole = time_us - self._kept_us, len(plane)
        first = not self._slots
        due = first or waited_us >= self._spacing_us
        wanted = whole if due else min(whole, whole * 2 * waited_us // self._spacing_us)
        before, self._done = self._done, max(self._done, wanted)
        if not first:
            self._reorder(before, self._done)
        if due:
            self._keep(plane, time_us)
            self._done = 0
        if first:
            self._reorder(0, whole)
            self._done = whole
        return first or before < whole == max(self._done, wanted)

    def _reorder(self, first: int, after: int) -> None:
        count = len(self._slots) - 1 + len(self._gone)
        gone = np.array(self._gone, np.int64)
        reorder(self._ordered, count, self._kept, gone, self._slots[-1], first, after, self.plane)

    def _keep(self, plane: NDArray[np.uint16], time_us: int) -> None:
        self._gone = []
        if len(self._slots) == PLANES_KEPT:
            if self._spacing_us < self._widest_us:
                self._gone, self._slots = self._slots[1::2], self._slots[::2]
                self._spacing_us = min(2 * self._spacing_us, self._widest_us)
            else:
                self._gone, self._slots = self._slots[:1], self._slots[1:]
        used = {*self._slots, *self._gone}
        free = next(slot for slot in range(PLANES_KEPT + 1) if slot not in used)
        self._kept[free] = plane
        self._slots.append(free)
        self._kept_us = time_us
