"""A camera that is quiet for unusually long, whose picture may be well and shows what nobody wants to see: a wall, a mask over all.

Alarms that come by chance have gaps of which the longest of n is about ln n times their mean; one three times as long as that comes
once in about n cubed gaps. Nights and weekends are in the gaps of a week. So the rule needs no dial: longer than three times the
longest gap of the two weeks before the last alarm, of which there must be a week and thirty gaps.
"""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from north_hush.core.footage.stamps import US_PER_S
from north_hush.core.words import tr

DAY_US = 86_400 * US_PER_S
_WINDOW_US = 14 * DAY_US
LOOKED_BACK_US = 2 * _WINDOW_US
_SPAN_LEAST_US = 7 * DAY_US
_GAPS_LEAST = 30
_TIMES = 3


def unusual_quiet(starts_us: Sequence[int], now_us: int) -> tuple[int, int] | None:
    """For how long no alarm started, and the longest that was until then, in microseconds; None while that is nothing unusual.

    Parameters
    ----------
    starts_us : when alarms started, in order
    """
    starts = np.array(starts_us, np.int64)
    if len(starts):
        starts = starts[starts >= starts[-1] - _WINDOW_US]
    if len(starts) <= _GAPS_LEAST or starts[-1] - starts[0] < _SPAN_LEAST_US:
        return None
    longest, quiet = int(np.diff(starts).max()), now_us - int(starts[-1])
    return (quiet, longest) if quiet > _TIMES * longest else None


class Quiet:
    """Says it once for each view, until an alarm starts there."""

    def __init__(self) -> None:
        self._told: set[str] = set()

    def alarm(self, view: str) -> None:
        """An alarm started."""
        self._told.discard(view)

    def said(self, view: str, starts_us: Sequence[int], now_us: int) -> str:
        """What is to be said of a view now; '' for nothing."""
        found = unusual_quiet(starts_us, now_us)
        if found is None or view in self._told:
            return ""
        self._told.add(view)
        quiet, longest = (f"{span / DAY_US * 24:.0f} h" for span in found)
        return tr("no alarm for {quiet}; in two weeks before never longer than {longest}", quiet=quiet, longest=longest)
