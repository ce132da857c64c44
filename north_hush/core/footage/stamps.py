"""Times of frames, from their stamps and never from index / frame rate, with one stated rule for bad stamps.

The rule, over the stamps of a recording in order of presentation:

- A stamp is used as it is while it moves on.
- One that is missing, repeated, or out of line with both neighbours (it jumps away and the next comes back) is put one
  usual interval after the frame before it; those that follow keep their own times.
- Where the stamps fall back and stay behind, the clock was set back or another stream begins. By more than a gap, or to
  where they began: how long nothing was recorded is not known, so a gap of the least length that is one is put there. By
  less: times go on one usual interval after the frame before.
- Jumps forward that last are kept, as gaps.
"""

from __future__ import annotations

from collections import deque
from collections.abc import Sequence
from dataclasses import dataclass
from statistics import median_low

import numpy as np
from numpy.typing import NDArray

US_PER_S = 1_000_000
GAP_S = 1.0
"""A pause between frames longer than this is a gap, unless the recording is slower than three frames in this time."""

_REMEMBERED_INTERVALS = 15
ASSUMED_FRAMES_PER_S = 25
"""Where neither the stamps nor the file tell."""


def usual_interval_us(time_us: NDArray[np.int64]) -> int:
    """Median interval of increasing times in microseconds; 40 ms when there is only one frame."""
    if len(time_us) < 2:
        return US_PER_S // ASSUMED_FRAMES_PER_S
    return max(1, int(np.median(np.diff(time_us))))


def clock_text(time_us: float) -> str:
    """Minutes and seconds of a time in microseconds, with hours when there are any."""
    minutes, seconds = divmod(time_us / US_PER_S, 60)
    hours, minutes = divmod(int(minutes), 60)
    return f"{hours}:{minutes:02d}:{seconds:04.1f}" if hours else f"{minutes}:{seconds:04.1f}"


def gap_us(usual_interval_us: int) -> int:
    """The pause above which a recording with this usual interval has a gap, in microseconds."""
    return max(round(GAP_S * US_PER_S), 3 * usual_interval_us)


@dataclass(frozen=True, eq=False)
class Times:
    """Times of the frames of a recording.

    Attributes
    ----------
    time_us : (frames,) int64, strictly increasing, the first one 0
    repaired : how many stamps were not used as they are
    restarts : frames with which stamps began anew, behind those before; the pause before each is of unknown length
    """

    time_us: NDArray[np.int64]
    repaired: int
    restarts: tuple[int, ...]


def repaired_times(raw_us: Sequence[int | None], usual_interval_us: int) -> Times:
    """Times of frames in microseconds from their raw stamps (None: it has none), by the rule above."""
    usual_interval_us = max(1, usual_interval_us)
    pause_us = gap_us(usual_interval_us)
    if len(raw_us) and None not in raw_us:
        plain = np.array(raw_us, np.int64)
        steps = np.diff(plain)
        if ((steps > 0) & (steps <= pause_us)).all():  # nothing to repair, and a day of frames is gone through at once
            return Times(plain - plain[0], 0, ())
    intervals: deque[int] = deque([usual_interval_us], maxlen=_REMEMBERED_INTERVALS)
    time_us = np.zeros(len(raw_us), np.int64)
    restarts: list[int] = []
    repaired = 0
    offset: int | None = None  # time of a frame is its stamp and this
    first = next((raw for raw in raw_us if raw is not None), None)
    last_us = -1
    for place, raw in enumerate(raw_us):
        expected_us = last_us + median_low(intervals) if place else 0
        if raw is None or (place and raw == raw_us[place - 1]):
            repaired += 1
            time_us[place] = last_us = expected_us
            continue
        if offset is None:
            offset = expected_us - raw
        plain_us = raw + offset
        if place and (plain_us <= last_us or plain_us - last_us > pause_us):
            following = _next_known(raw_us, place)
            if _goes_back(following, raw, offset, last_us, plain_us):
                repaired += 1
                time_us[place] = last_us = expected_us
                continue
            if plain_us <= last_us:  # it fell back, and stays there
                repaired += 1
                if last_us - plain_us > pause_us or (first is not None and raw <= first):
                    restarts.append(place)
                    expected_us = last_us + pause_us + usual_interval_us
                offset = expected_us - raw
                time_us[place] = last_us = expected_us
                continue
        if place and plain_us - last_us <= pause_us:
            intervals.append(plain_us - last_us)
        time_us[place] = last_us = plain_us
    return Times(time_us, repaired, tuple(restarts))


def _next_known(raw_us: Sequence[int | None], place: int) -> int | None:
    return next((raw for raw in raw_us[place + 1 : place + 1 + _REMEMBERED_INTERVALS] if raw is not None), None)


def _goes_back(following: int | None, raw: int, offset: int, last_us: int, plain_us: int) -> bool:
    """Tell whether a stamp is out of line: the next one fits the frames before it better."""
    if following is None:
        return plain_us <= last_us  # nothing to tell by: a last frame that is late comes after a gap
    next_us = following + offset
    if plain_us <= last_us:
        return next_us > last_us
    return last_us < next_us < plain_us
