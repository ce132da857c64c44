"""The light guard: a change of the whole view is light, not somebody who came in.

While it is on, the level counts as nothing: no frame confirms, and an alarm that runs may end.
"""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from north_hush.core.detect.settings import PERCENT_SCALE, ZoneSettings
from north_hush.core.footage.stamps import US_PER_S

GUARD_LIMIT_GREY = 8
"""The changed share of the view is counted at this limit, before the light shift is taken out."""
OFF_PERCENT = 100.0


class LightGuard:
    """Tells in which frames the level counts as nothing. Replay feeds it all frames, live one at a time."""

    def __init__(self, settings: ZoneSettings) -> None:
        self._least = round(settings.guard_percent * PERCENT_SCALE)
        self._hold_us = round(settings.guard_hold_s * US_PER_S)
        self._on = settings.guard_percent < OFF_PERCENT
        self._until_us = -1

    def feed(self, frames: NDArray[np.void]) -> NDArray[np.bool_]:
        """Guarded frames, (frames,) bool, of rows of FRAME_DTYPE; invalid frames set nothing off."""
        guarded = np.zeros(len(frames), bool)
        if not self._on:
            return guarded
        time_us = frames["time_us"]
        flashes = np.flatnonzero(frames["valid"] & (frames[f"share_{GUARD_LIMIT_GREY}"] >= self._least))
        ends = np.concatenate([[self._until_us], time_us[flashes] + self._hold_us])
        # For each frame the end of the last flash at or before it.
        guarded = time_us <= ends[np.searchsorted(flashes, np.arange(len(frames)), side="right")]
        self._until_us = int(ends[-1])
        return guarded
