"""How loud a recording is: ten levels a second of its sound, plain and as ears weigh it, on the clock of its pictures.

Levels are the root mean square over a tenth of a second in dB below full scale. The weighting is the A curve of IEC 61672: its poles
and zeros, by the bilinear transformation at the rate of the samples.
"""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import av
import av.error
import numpy as np
from numpy.typing import NDArray

from north_hush.core.footage.source import open_video
from north_hush.core.footage.stamps import US_PER_S

WINDOW_US = US_PER_S // 10
SILENT_DB = -120.0
"""Levels end here: nothing at all is so loud."""
_RATE_HZ = 48_000
_POLES_HZ = (20.598997, 20.598997, 107.65265, 737.86223, 12194.217, 12194.217)
_REFERENCE_HZ = 1000.0


@dataclass(frozen=True, eq=False)
class Sound:
    """Levels of a recording, from the time of its first picture on.

    Attributes
    ----------
    plain_db, weighted_db : (windows,) float32; not a number where there is no sound
    """

    plain_db: NDArray[np.float32]
    weighted_db: NDArray[np.float32]

    @property
    def time_us(self) -> NDArray[np.int64]:
        """(windows,) int64, where each begins."""
        return np.arange(len(self.plain_db), dtype=np.int64) * WINDOW_US


def sound_of(path: Path) -> Sound | None:
    """The levels of a recording's first sound track, all its channels together; None where it has none that can be decoded.

    Raises
    ------
    FootageError : it is not there, or is no recording.
    """
    with open_video(path, threads=1) as (container, video):
        if not container.streams.audio:
            return None
        from scipy import signal  # takes as long to import as the window to paint

        begins_us = _begin_us(video)
        plain, weighted = _Meter(), _Meter()
        filter_, state = weighting(_RATE_HZ), None
        for first_us, samples in _decoded(container):
            if state is None:
                state = signal.sosfilt_zi(filter_) * 0.0
            heard, state = signal.sosfilt(filter_, samples, zi=state)
            plain.add(first_us - begins_us, samples)
            weighted.add(first_us - begins_us, heard)
        found = plain.levels()
        return Sound(found, weighted.levels()) if len(found) else None


def weighting(rate_hz: float) -> NDArray[np.float64]:
    """The A curve as second-order sections, with no gain at 1 kHz."""
    from scipy import signal  # takes as long to import as the window to paint

    poles = -2 * np.pi * np.array(_POLES_HZ)
    zeros, poles, gain = signal.bilinear_zpk(np.zeros(4), poles, 1.0, rate_hz)
    sections = signal.zpk2sos(zeros, poles, gain)
    _, at_reference = signal.sosfreqz(sections, worN=[_REFERENCE_HZ], fs=rate_hz)
    sections[0, :3] /= abs(at_reference[0])
    return np.asarray(sections, np.float64)


class _Meter:
    """Sums squares of samples by windows."""

    def __init__(self) -> None:
        self._squares = np.zeros(0)
        self._counts = np.zeros(0, np.int64)

    def add(self, first_us: int, samples: NDArray[np.float64]) -> None:
        """Samples from a time on; what is before the first picture counts for nothing."""
        places = (first_us + np.arange(len(samples)) * (US_PER_S / _RATE_HZ)) // WINDOW_US
        places = places.astype(np.int64)
        samples, places = samples[places >= 0], places[places >= 0]
        if not len(places):
            return
        grown = int(places[-1]) + 1
        if grown > len(self._squares):
            room = max(grown, 2 * len(self._squares))
            self._squares = np.concatenate([self._squares, np.zeros(room - len(self._squares))])
            self._counts = np.concatenate([self._counts, np.zeros(room - len(self._counts), np.int64)])
        low = int(places[0])
        self._squares[low:grown] += np.bincount(places - low, samples**2, grown - low)
        self._counts[low:grown] += np.bincount(places - low, minlength=grown - low)

    def levels(self) -> NDArray[np.float32]:
        """(windows,) float32 in dB."""
        known = self._counts > 0
        last = int(np.flatnonzero(known)[-1]) + 1 if known.any() else 0
        with np.errstate(divide="ignore", invalid="ignore"):
            power = self._squares[:last] / self._counts[:last]
            levels = np.maximum(SILENT_DB, 10 * np.log10(np.maximum(power, 1e-30)))
        return np.where(known[:last], levels, np.nan).astype(np.float32)


def _begin_us(video: Any) -> int:
    """When the first picture is shown, on the clock of the file."""
    if video.start_time is None or video.time_base is None:
        return 0
    return int(video.start_time * video.time_base * US_PER_S)


def _decoded(container: Any) -> Iterator[tuple[int, NDArray[np.float64]]]:
    """Samples of all channels' mean, with the time of the first of each run; what is damaged is left out."""
    stream = container.streams.audio[0]
    resampler = av.AudioResampler(format="flt", layout="mono", rate=_RATE_HZ)
    for packet in container.demux(stream):
        try:
            frames = [made for frame in packet.decode() for made in resampler.resample(frame)]
        except (av.error.FFmpegError, ValueError):
            continue
        for frame in frames:
            if frame.pts is not None and frame.time_base is not None:
                yield round(frame.pts * frame.time_base * US_PER_S), frame.to_ndarray()[0].astype(np.float64)
