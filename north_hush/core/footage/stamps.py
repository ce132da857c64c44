"""Times of frames, from their stamps and never from index / frame rate, with one stated rule for bad stamps.

The rule: a stamp is used as it is while it moves on. One that is missing, or not later than the frame before, is put
one usual interval after it. If the stamps stay behind from there (a clock set back), they are shifted by the same
amount; if they return to where they were, so do the times. Forward jumps are kept, as gaps.
"""

from __future__ import annotations

from collections import deque
from statistics import median_low

US_PER_S = 1_000_000
GAP_S = 1.0
"""A pause between frames longer than this is a gap, unless the recording is slower than three frames in this time."""

_REMEMBERED_INTERVALS = 15


def gap_us(usual_interval_us: int) -> int:
    """The pause above which a recording with this usual interval has a gap, in microseconds."""
    return max(round(GAP_S * US_PER_S), 3 * usual_interval_us)


class StampRepair:
    """Turn raw stamps into times in microseconds, strictly increasing, the first one 0."""

    def __init__(self, usual_interval_us: int) -> None:
        self._intervals: deque[int] = deque([max(1, usual_interval_us)], maxlen=_REMEMBERED_INTERVALS)
        self._base: int | None = None
        self._shift = 0
        self._last = -1
        self.repaired = 0

    def time_us(self, raw_us: int | None) -> int:
        """Return the time of the next frame, given its raw stamp in microseconds (None: it has none)."""
        if self._last < 0:
            self._base = raw_us
            self._last = 0
            self.repaired += raw_us is None
            return 0
        usual = self._last + median_low(self._intervals)
        if raw_us is None:
            self.repaired += 1
            return self._accept(usual, measured=False)
        if self._base is None:
            self._base = raw_us - usual
        plain = raw_us - self._base
        if plain > self._last:
            self._shift = 0
            return self._accept(plain, measured=True)
        self.repaired += 1
        if self._shift and plain + self._shift > self._last:
            return self._accept(plain + self._shift, measured=True)
        self._shift = usual - plain
        return self._accept(usual, measured=False)

    def _accept(self, time_us: int, *, measured: bool) -> int:
        if measured:
            self._intervals.append(time_us - self._last)
        self._last = time_us
        return time_us
