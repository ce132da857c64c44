"""Between the counted areas and the alarm rule: a lower analysis rate, smoothing, and the steady-motion level.

- *Analysis rate*: of each slot of 1 / rate seconds the first frame counts; the others count in nothing.
- *Smoothing*: the area is the lower median of that of the last n counted frames, so that a brief spike is no level.
- *Steady motion*: a slow quantile of the area is taken off, so that water that always moves has no level. It is followed
  by small steps, up by q and down by 1 - q (stochastic approximation after Robbins and Monro 1951), of which one window of
  frames that all lie above moves it over the whole zone.

All in whole numbers, so that replay and live give the same bits.
"""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from north_hush.core.compiled import compiled
from north_hush.core.detect.settings import SMOOTH_MAX_FRAMES, ZoneSettings
from north_hush.core.footage.stamps import US_PER_S

_STATE_SIZE = 6
"""Slot of the last counted frame, how many areas are held, where the next one goes, the usual area (in 1/65,536),
when the last frame counted (us), and the area it is compared by, which stays on show until the next one counts."""


class Steadier:
    """Turns areas into those the alarm rule compares. Replay feeds it all frames, live one at a time."""

    def __init__(self, settings: ZoneSettings, total: int) -> None:
        slot_us = US_PER_S // settings.analysis_per_s if settings.analysis_per_s else 0
        self.knobs = slot_us, settings.smooth_frames, round(settings.usual_s * US_PER_S), total
        """Length of a slot (us), frames smoothed over, window of the usual area (us), area of the zone: equal knobs, equal areas."""
        self._state = np.zeros(_STATE_SIZE, np.int64)
        self._state[0] = -1
        self._recent = np.zeros(SMOOTH_MAX_FRAMES, np.int64)

    @property
    def passes(self) -> bool:
        """Whether it hands on what it is given as it is."""
        slot_us, smooth, window_us, _ = self.knobs
        return not (slot_us or smooth > 1 or window_us)

    def feed(
        self,
        areas: NDArray[np.int64],
        valid: NDArray[np.bool_],
        gap: NDArray[np.bool_],
        time_us: NDArray[np.int64],
    ) -> tuple[NDArray[np.int64], NDArray[np.bool_]]:
        """Take the next frames' areas and return those to compare, and which frames count."""
        if self.passes:
            return areas, valid
        areas = np.ascontiguousarray(areas, np.int64)
        time_us = np.ascontiguousarray(time_us, np.int64)
        valid, gap = np.ascontiguousarray(valid), np.ascontiguousarray(gap)
        return _steady(self._state, self._recent, areas, valid, gap, time_us, self.knobs)


@compiled
def _steady(
    state: NDArray[np.int64],
    recent: NDArray[np.int64],
    areas: NDArray[np.int64],
    valid: NDArray[np.bool_],
    gap: NDArray[np.bool_],
    time_us: NDArray[np.int64],
    knobs: tuple[int, int, int, int],
) -> tuple[NDArray[np.int64], NDArray[np.bool_]]:
    slot_us, smooth, window_us, total = knobs
    compared = np.zeros(areas.size, np.int64)
    counts = np.zeros(areas.size, np.bool_)
    ordered = np.empty(smooth, np.int64)
    for i in range(areas.size):
        if gap[i]:
            state[1], state[2], state[4] = 0, 0, 0
        if not valid[i]:
            continue
        if slot_us > 0:
            slot = time_us[i] // slot_us
            if slot == state[0]:
                compared[i] = state[5]
                continue
            state[0] = slot
        counts[i] = True
        area = areas[i]
        if smooth > 1:
            recent[state[2]] = area
            state[2] = (state[2] + 1) % smooth
            state[1] = min(state[1] + 1, smooth)
            held = state[1]
            for k in range(held):  # insertion sort: the window is short
                value = recent[k]
                place = k
                while place > 0 and ordered[place - 1] > value:
                    ordered[place] = ordered[place - 1]
                    place -= 1
                ordered[place] = value
            area = ordered[(held - 1) // 2]
        compared[i] = area
        if window_us > 0:
            passed_us = min(time_us[i] - state[4], window_us) if state[4] > 0 else 0
            state[4] = time_us[i]
            step = total * passed_us * 65_536 // window_us
            if area * 65_536 > state[3]:
                state[3] = min(state[3] + step * 75 // 100, area * 65_536)
            else:
                state[3] = max(state[3] - step * 25 // 100, area * 65_536)
            compared[i] = max(0, area - state[3] // 65_536)
        state[5] = compared[i]
    return compared, counts
