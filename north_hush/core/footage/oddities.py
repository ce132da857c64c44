"""What is odd about a recording, told from the times of its frames and from what its header says."""

from __future__ import annotations

from collections.abc import Iterable

import numpy as np
from numpy.typing import NDArray

from north_hush.core.footage.stamps import US_PER_S, clock_text, gap_us, usual_interval_us
from north_hush.core.words import tr

_RATE_SPREAD = 0.2
"""Intervals further than this share from the usual one make the rate variable, once more than 2 % of them are."""


def rate_oddities(time_us: NDArray[np.int64], repaired: int, restarts: tuple[int, ...]) -> Iterable[str]:
    """Words for a rate that varies, gaps, outages and stamps that were repaired.

    Parameters
    ----------
    time_us : (frames,) int64
    repaired : how many stamps were
    restarts : frames with which the stream starts again
    """
    intervals = np.diff(time_us)
    if len(intervals) == 0:
        yield tr("only one frame: nothing to compare it with")
        return
    usual = usual_interval_us(time_us)
    gaps = intervals > gap_us(usual)
    off = np.count_nonzero(np.abs(intervals[~gaps] - usual) > _RATE_SPREAD * usual)
    if off > 0.02 * len(intervals):
        yield tr(
            "variable frame rate: {min:.0f} to {max:.0f} ms between frames",
            min=intervals.min() / 1000,
            max=intervals[~gaps].max(initial=0) / 1000,
        )
    for place in restarts[:20]:
        yield tr(
            "the stream starts again at {clock_text}: an outage of unknown length before it",
            clock_text=clock_text(time_us[place]),
        )
    for place in np.setdiff1d(np.flatnonzero(gaps), np.array(restarts, np.int64) - 1)[:20]:
        yield tr(
            "gap of {intervals:.1f} s at {clock_text}",
            intervals=intervals[place] / US_PER_S,
            clock_text=clock_text(time_us[place]),
        )
    if repaired:
        yield tr("{repaired} time stamps missing, repeated or running backward: repaired", repaired=repaired)


def header_oddities(frames: int, duration_us: int | None, time_us: NDArray[np.int64]) -> Iterable[str]:
    """Words for a header that says other than the file holds: how many frames (0 when it does not say), and how long."""
    if frames and abs(frames - len(time_us)) > max(1, len(time_us) // 1000):
        yield tr("the header says {frames:,} frames, the file holds {count:,}", frames=frames, count=len(time_us))
    end_us = int(time_us[-1]) + usual_interval_us(time_us)
    if duration_us and duration_us - end_us > max(US_PER_S, 0.02 * duration_us):
        yield tr(
            "broken end: the header says {clock_text}, the frames end at {clock_text2}",
            clock_text=clock_text(duration_us),
            clock_text2=clock_text(end_us),
        )
