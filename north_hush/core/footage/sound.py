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


Level = tuple[int, float, float]
"""When a tenth of a second begins in microseconds, and how loud it is, plain and weighted, in dB."""


class LiveMeter:
    """The same levels from samples as they come, on any clock; a tenth of a second is told once the next one has begun."""

    def __init__(self) -> None:
        self._filter = weighting(_RATE_HZ)
        self._state: NDArray[np.float64] | None = None
        self._window = -1
        self._sums, self._count = np.zeros(2), 0

    def push(self, first_us: int, samples: NDArray[np.float64]) -> list[Level]:
        """Take samples (at 48 kHz, one channel) from a time on; levels that are whole by now.

        Parameters
        ----------
        samples : (samples,) float64, full scale is 1
        """
        from scipy import signal  # takes as long to import as the window to paint

        if self._state is None:
            self._state = signal.sosfilt_zi(self._filter) * 0.0
        heard, self._state = signal.sosfilt(self._filter, samples, zi=self._state)
        places = ((first_us + np.arange(len(samples)) * (US_PER_S / _RATE_HZ)) // WINDOW_US).astype(np.int64)
        found = list[Level]()
        for window in np.unique(places).tolist():
            inside = places == window
            if window > self._window:
                found += self._told()
                self._window, self._sums, self._count = window, np.zeros(2), 0
            if window == self._window:
                self._sums += (samples[inside] ** 2).sum(), (heard[inside] ** 2).sum()
                self._count += int(inside.sum())
        return found

    def _told(self) -> list[Level]:
        if not self._count:
            return []
        plain, weighted = np.maximum(SILENT_DB, 10 * np.log10(np.maximum(self._sums / self._count, 1e-30))).tolist()
        return [(self._window * WINDOW_US, plain, weighted)]


class LiveSamples:
    """Decodes packets of a sound track into samples as the meter takes them; what is damaged is left out."""

    def __init__(self) -> None:
        self._resampler = av.AudioResampler(format="flt", layout="mono", rate=_RATE_HZ)

    def of(self, packet: Any) -> list[tuple[int, NDArray[np.float64]]]:
        """Samples of a packet, with the time of the first of each run on the clock of the stream."""
        try:
            frames = [made for frame in packet.decode() for made in self._resampler.resample(frame)]
        except (av.error.FFmpegError, ValueError):
            return []
        return [
            (round(frame.pts * frame.time_base * US_PER_S), frame.to_ndarray()[0].astype(np.float64))
            for frame in frames
            if frame.pts is not None and frame.time_base is not None
        ]


def _begin_us(video: Any) -> int:
    """When the first picture is shown, on the clock of the file."""
    if video.start_time is None or video.time_base is None:
        return 0
    return int(video.start_time * video.time_base * US_PER_S)


def _decoded(container: Any) -> Iterator[tuple[int, NDArray[np.float64]]]:
    """Samples of all channels' mean, with the time of the first of each run; what is damaged is left out."""
    samples = LiveSamples()
    for packet in container.demux(container.streams.audio[0]):
        yield from samples.of(packet)
