"""Evidence of a recording: per channel one value a cell and frame, and a row of facts a frame."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field
from functools import cached_property

import numpy as np
from numpy.typing import NDArray

from north_hush.core.errors import EvidenceError
from north_hush.core.footage.index import usual_interval_us
from north_hush.core.footage.options import EvidenceOptions
from north_hush.core.footage.stamps import US_PER_S
from north_hush.core.grid import Grid

EVIDENCE_VERSION = 3
"""Raise when a kernel or a scale changes: older evidence is then made again."""


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
    _channels: dict[str, NDArray[np.uint8]] = field(default_factory=dict, repr=False)

    def channel(self, name: str) -> NDArray[np.uint8]:
        """Cell values of a channel, (cells, frames) uint8. Only the channel last asked for stays inflated."""
        values = self._channels.get(name)
        if values is None:
            self._channels.clear()
            values = self.load(name)
            if values.shape != (self.grid.cells, len(self.frames)):  # the kernels read without checking bounds
                raise EvidenceError(self.key, f"holds {values.shape} values of {name}.", "Open the recording again.")
            self._channels[name] = values
        return values

    def held(self, name: str) -> NDArray[np.uint8] | None:
        """A channel if it is inflated already; never waits."""
        return self._channels.get(name)

    def deflate(self) -> None:
        """Let go of the inflated channel; it is read again when it is asked for."""
        self._channels.clear()

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
    def duration_s(self) -> float:
        """From the first frame to the end of the last."""
        if len(self.frames) == 0:
            return 0.0
        return float(self.time_us[-1] + usual_interval_us(self.time_us)) / US_PER_S
