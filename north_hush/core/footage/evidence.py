"""Evidence of a recording: per channel one value a cell and frame, and a row of facts a frame."""

from __future__ import annotations

import hashlib
from collections.abc import Callable, Iterator
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass, replace
from functools import cached_property
from itertools import pairwise
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from north_hush.core.errors import EvidenceError
from north_hush.core.footage.options import STEP_INTERVALS_US, Channel, EvidenceOptions
from north_hush.core.footage.stamps import US_PER_S, gap_us, usual_interval_us
from north_hush.core.grid import Grid
from north_hush.core.memo import SHARED
from north_hush.core.words import tr

EVIDENCE_VERSION = 10
"""Raise when a kernel or a scale changes: older evidence is then made again."""


NOISE_SCALE = 256
"""Noise is kept in so many parts of a grey level."""
EVERY_CELL = slice(None)
_PICKED_FRAMES = 4096
_LONG_BLOCKS = 2
"""Of each channel of a long recording so many blocks stay in memory: two that lie side by side."""


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
    """What a pass leaves behind, read in blocks of frames. Compare by `key`: the same key means the same bits.

    Attributes
    ----------
    frames : (frames,) FRAME_DTYPE
    load : name of a channel and number of a block -> (cells, frames of the block) uint8 in quarters of a grey level, one cell's
        frames contiguous.
    counts : frames of each block; None: one block holds all.
    whole : False while the pass still runs, and where its values were let go.
    folder : where it is stored, and what is worked out from it may be kept beside it; None where it is not.
    origin : where its values are stored, though only some of its frames may count; None where they are not, or are others.
    lean : True where its values were let go to make room: facts of frames are there, and what is kept beside it.
    """

    key: str
    grid: Grid
    options: EvidenceOptions
    frames: NDArray[np.void]
    load: Callable[[str, int], NDArray[np.uint8]]
    counts: tuple[int, ...] | None = None
    whole: bool = True
    oddities: tuple[str, ...] = ()
    soil: Soil | None = None
    folder: Path | None = None
    origin: Path | None = None
    lean: bool = False

    @cached_property
    def _starts(self) -> NDArray[np.int64]:
        """First frame of each block, and the number of all."""
        return np.cumsum([0, *((len(self.frames),) if self.counts is None else self.counts)])

    def block(self, name: str, number: int) -> NDArray[np.uint8]:
        """The values of a block. They stay in the memo as long as there is room; of a long recording only the last few looked at do,
        which would push out everything else."""
        held = self._held(name, number)
        if held is None:
            held = self._loaded(name, number)
            SHARED.put(self._block_key(name, number), (number, held))
        return held

    def _block_key(self, name: str, number: int) -> tuple[str, str, int, str, int]:
        return "block", self.key, len(self.frames), name, number if self.stays else number % _LONG_BLOCKS

    def _held(self, name: str, number: int) -> NDArray[np.uint8] | None:
        """The values of a block, if they are in memory."""
        held: tuple[int, NDArray[np.uint8]] | None = SHARED.get(self._block_key(name, number))
        return None if held is None or held[0] != number else held[1]

    def _loaded(self, name: str, number: int) -> NDArray[np.uint8]:
        values = self.load(name, number)
        expected = self.grid.cells, int(self._starts[number + 1] - self._starts[number])
        if values.shape != expected:  # the kernels read without checking bounds
            raise EvidenceError(
                self.key,
                tr("holds {shape} values of {name}.", shape=values.shape, name=name),
                tr("Open the recording again."),
            )
        return values

    @property
    def stays(self) -> bool:
        """Whether a whole channel may stay in memory, as that of an hour may."""
        return self.grid.cells * len(self.frames) <= SHARED.limit_bytes // 2

    def blocks(self, name: str) -> Iterator[tuple[int, NDArray[np.uint8]]]:
        """The first frame and the values of each block of a channel. They stay in the memo only where the whole channel may: a long
        recording would push out everything else."""
        firsts = self._starts[:-1].tolist()
        if self.stays:
            yield from ((first, self.block(name, number)) for number, first in enumerate(firsts))
            return
        with ThreadPoolExecutor(1) as ahead:  # the next one is read while this one is worked on
            coming = ahead.submit(self._loaded, name, 0)
            for number, first in enumerate(firsts):
                values = coming.result()
                if number + 1 < len(firsts):
                    coming = ahead.submit(self._loaded, name, number + 1)
                yield first, values

    def values(
        self, name: str, first: int, after: int, cells: NDArray[np.int64] | slice = EVERY_CELL
    ) -> NDArray[np.uint8]:
        """Values of some cells of a channel from one frame to before another, (cells, frames) uint8."""
        parts = [self.block(name, number)[cells, low:high] for number, low, high in self._parts(first, after)]
        if not parts:
            return np.zeros((self.grid.cells, 0), np.uint8)[cells]
        return np.ascontiguousarray(parts[0]) if len(parts) == 1 else np.concatenate(parts, axis=1)

    def values_at(
        self, name: str, frames: NDArray[np.int64], cells: NDArray[np.int64] | slice = EVERY_CELL
    ) -> NDArray[np.uint8]:
        """Values of some cells in some frames, which are in order, (cells, frames) uint8."""
        bounds = np.searchsorted(frames, self._starts)
        found = np.zeros((np.arange(self.grid.cells)[cells].size, len(frames)), np.uint8)
        for number, (low, high) in enumerate(pairwise(bounds.tolist())):
            if high > low:
                found[:, low:high] = self.block(name, number)[cells][:, frames[low:high] - self._starts[number]]
        return found

    def _parts(self, first: int, after: int) -> Iterator[tuple[int, int, int]]:
        """The blocks that hold some frames: number, and the frames within."""
        starts = self._starts
        for number in range(max(0, int(np.searchsorted(starts, first, side="right")) - 1), len(starts) - 1):
            if starts[number] >= after:
                return
            low, high = max(0, first - int(starts[number])), min(after, int(starts[number + 1])) - int(starts[number])
            if high > low:
                yield number, low, high

    def held_at(self, name: str, frame: int) -> NDArray[np.uint8] | None:
        """Values of all cells in a frame, (cells,) uint8, if its block is in memory already; never waits."""
        for number, low, _ in self._parts(frame, frame + 1):
            held = self._held(name, number)
            return None if held is None else held[:, low]
        return None

    def deflate(self) -> None:
        """Let go of the blocks in memory; they are read again when they are asked for."""
        SHARED.drop(lambda key: isinstance(key, tuple) and key[:2] == ("block", self.key))

    def between(self, first: int, after: int) -> Evidence:
        """The evidence of some frames alone."""
        parts = list(self._parts(first, after))
        return Evidence(
            f"{self.key}[{first}:{after}]",
            self.grid,
            self.options,
            self.frames[first:after],
            lambda name, number: np.ascontiguousarray(
                self.block(name, parts[number][0])[:, parts[number][1] : parts[number][2]]
            ),
            tuple(high - low for _, low, high in parts),
            self.whole,
        )

    def picked(self, key: str, frames: NDArray[np.int64], rows: NDArray[np.void]) -> Evidence:
        """As if it had only some of its frames, which are in order, with other facts."""
        bounds = [*range(0, len(frames), _PICKED_FRAMES), len(frames)]
        return Evidence(
            key,
            self.grid,
            self.options,
            rows,
            lambda name, number: np.ascontiguousarray(
                self.values_at(name, frames[bounds[number] : bounds[number + 1]])
            ),
            tuple(high - low for low, high in pairwise(bounds)),
            soil=self.soil,
        )

    def changed(self, key: str, change: Callable[[NDArray[np.uint8]], NDArray[np.uint8]]) -> Evidence:
        """As if its values were others."""
        return replace(
            self, key=key, load=lambda name, number: change(self.block(name, number)), folder=None, origin=None
        )

    def counting(self, counts: NDArray[np.bool_]) -> Evidence:
        """The evidence with only some of its frames, (frames,) bool, counting."""
        frames = self.frames.copy()
        frames["valid"] &= counts
        mark = hashlib.sha256(np.packbits(counts).tobytes()).hexdigest()[:16]
        return replace(self, key=f"{self.key}&{mark}", frames=frames, load=self.block, folder=None)

    @cached_property
    def time_us(self) -> NDArray[np.int64]:
        """(frames,) int64, contiguous: the kernels run over it at every moved dial."""
        return np.ascontiguousarray(self.frames["time_us"])

    @cached_property
    def seconds(self) -> NDArray[np.float64]:
        """(frames,) float64, the times in seconds."""
        return self.time_us / US_PER_S

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
