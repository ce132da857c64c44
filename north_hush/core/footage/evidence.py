"""Evidence of a recording: per channel one value a cell and frame, and a row of facts a frame."""

from __future__ import annotations

import hashlib
from collections.abc import Callable
from dataclasses import dataclass, field
from functools import cached_property

import numpy as np
from numpy.typing import NDArray

from north_hush.core.errors import EvidenceError
from north_hush.core.footage.index import usual_interval_us
from north_hush.core.footage.options import STEP_INTERVALS_US, Channel, EvidenceOptions
from north_hush.core.footage.stamps import US_PER_S, gap_us
from north_hush.core.grid import Grid
from north_hush.core.memo import SHARED

EVIDENCE_VERSION = 8
"""Raise when a kernel or a scale changes: older evidence is then made again."""


NOISE_SCALE = 256
"""Noise is kept in so many parts of a grey level."""


@dataclass(frozen=True, eq=False)
class Soil:
    """What each cell was like by itself, over stretches of a recording.

    Attributes
    ----------
    first_frame : (stretches,) int64, where each begins
    noise : (stretches, cells) uint16, the usual change from frame to frame, measured before faint change is left out, in
        1/NOISE_SCALE grey level: the median over time
    luma : (stretches, cells) uint16, how bright the slow background was at its end, in 1/16 grey level
    """

    first_frame: NDArray[np.int64]
    noise: NDArray[np.uint16]
    luma: NDArray[np.uint16]

    def stretches(self, frames: int) -> list[tuple[int, int]]:
        """First frame, and that after the last, of each stretch."""
        return list(zip(self.first_frame.tolist(), [*self.first_frame[1:].tolist(), frames], strict=True))


@dataclass(frozen=True, eq=False)
class Evidence:
    """What a pass leaves behind. Compare by `key`: the same key means the same bits.

    Attributes
    ----------
    frames : (frames,) FRAME_DTYPE
    load : name of a channel -> (cells, frames) uint8 in quarters of a grey level, one cell's frames contiguous.
    whole : False while the pass still runs.
    """

    key: str
    grid: Grid
    options: EvidenceOptions
    frames: NDArray[np.void]
    load: Callable[[str], NDArray[np.uint8]]
    whole: bool = True
    oddities: tuple[str, ...] = ()
    soil: Soil | None = None
    _channels: dict[str, NDArray[np.uint8]] = field(default_factory=dict, repr=False)

    def channel(self, name: str) -> NDArray[np.uint8]:
        """Cell values of a channel, (cells, frames) uint8. The channel last asked for stays inflated; others do as long as
        the memo has room."""
        values = self._channels.get(name)
        if values is None:
            self._channels.clear()
            values = SHARED.made(("channel", self.key, len(self.frames), name), lambda: self.load(name))
            if values.shape != (self.grid.cells, len(self.frames)):  # the kernels read without checking bounds
                raise EvidenceError(self.key, f"holds {values.shape} values of {name}.", "Open the recording again.")
            self._channels[name] = values
        return values

    def held(self, name: str) -> NDArray[np.uint8] | None:
        """A channel if it is inflated already; never waits."""
        held = self._channels.get(name)
        return held if held is not None else SHARED.get(("channel", self.key, len(self.frames), name))

    def deflate(self) -> None:
        """Let go of the inflated channels; they are read again when they are asked for."""
        self._channels.clear()
        SHARED.drop(lambda key: isinstance(key, tuple) and key[:2] == ("channel", self.key))

    def between(self, first: int, after: int) -> Evidence:
        """The evidence of some frames alone."""
        return Evidence(
            f"{self.key}[{first}:{after}]",
            self.grid,
            self.options,
            self.frames[first:after],
            lambda name: np.ascontiguousarray(self.channel(name)[:, first:after]),
            self.whole,
        )

    def counting(self, counts: NDArray[np.bool_]) -> Evidence:
        """The evidence with only some of its frames, (frames,) bool, counting."""
        frames = self.frames.copy()
        frames["valid"] &= counts
        mark = hashlib.sha256(np.packbits(counts).tobytes()).hexdigest()[:16]
        return Evidence(
            f"{self.key}&{mark}", self.grid, self.options, frames, self.channel, self.whole, self.oddities, self.soil
        )

    @cached_property
    def time_us(self) -> NDArray[np.int64]:
        """(frames,) int64, contiguous: the kernels run over it at every moved dial."""
        return np.ascontiguousarray(self.frames["time_us"])

    @cached_property
    def valid(self) -> NDArray[np.bool_]:
        """(frames,) bool, contiguous."""
        return np.ascontiguousarray(self.frames["valid"])

    @cached_property
    def gap(self) -> NDArray[np.bool_]:
        """(frames,) bool, contiguous; the first frames after gaps."""
        return np.ascontiguousarray(self.frames["gap"])

    @cached_property
    def usual_us(self) -> int:
        """Median interval between frames in microseconds."""
        return usual_interval_us(self.time_us)

    def interval_s(self, channel: Channel) -> float:
        """Seconds between what a step channel compares."""
        return max(STEP_INTERVALS_US.get(channel, 0), self.usual_us) / US_PER_S

    @cached_property
    def footage_s(self) -> float:
        """Time with footage: the length without its gaps."""
        pauses = np.diff(self.time_us)
        gaps = pauses[pauses > gap_us(self.usual_us)]
        return self.duration_s - float((gaps - self.usual_us).sum()) / US_PER_S

    @cached_property
    def duration_s(self) -> float:
        """From the first frame to the end of the last."""
        if len(self.frames) == 0:
            return 0.0
        return float(self.time_us[-1] + self.usual_us) / US_PER_S
