"""How many bytes footage takes, by stretch, from the recording's own packets."""

from __future__ import annotations

from dataclasses import dataclass

import av.error
import numpy as np
from numpy.typing import NDArray

from north_hush.core.footage.index import FrameIndex
from north_hush.core.footage.source import image_files, open_video


@dataclass(frozen=True, eq=False)
class Weight:
    """Bytes of a recording by time.

    Attributes
    ----------
    time_us : (frames,) int64, microseconds after the first frame
    bytes_before : (frames + 1,) int64, bytes of all frames before each, and of all
    """

    time_us: NDArray[np.int64]
    bytes_before: NDArray[np.int64]

    @property
    def total(self) -> int:
        """Bytes of the whole recording's pictures."""
        return int(self.bytes_before[-1])

    def between(self, start_us: int, end_us: int) -> int:
        """Bytes of the frames from a time to another, that one no longer inside."""
        first, last = np.searchsorted(self.time_us, (start_us, end_us)).tolist()
        return int(self.bytes_before[last] - self.bytes_before[first])

    def of_spans(self, spans: NDArray[np.int64]) -> int:
        """Bytes of the frames in (n, 2) spans together; where they overlap, twice."""
        places = np.searchsorted(self.time_us, spans)
        return int((self.bytes_before[places[:, 1]] - self.bytes_before[places[:, 0]]).sum())


def weight_of(index: FrameIndex) -> Weight:
    """The bytes of each frame of a recording; its packets are read and not decoded. What lies beside the picture, sound say, is spread
    over all frames.

    Raises
    ------
    FootageError : it is not there or cannot be read.
    """
    if index.footage.is_folder:
        sizes = [path.stat().st_size for path in image_files(index.footage.path)]
        return _course(index, np.array(sizes[: index.frames], np.int64))
    stamps: list[int] = []
    sizes = []
    beside = 0
    with open_video(index.footage.path, threads=1) as (container, stream):
        try:
            for packet in container.demux():
                if packet.stream is not stream:
                    beside += packet.size
                elif packet.size and not packet.is_discard:
                    stamp = packet.pts if packet.pts is not None else packet.dts
                    stamps.append(len(stamps) if stamp is None else stamp)
                    sizes.append(packet.size)
        except (av.error.FFmpegError, OSError):
            pass  # a broken end: what was read so far is the recording, and the pass reports it
    held = np.array(sizes, np.int64)
    if index.exact:
        held = held[np.argsort(np.array(stamps, np.int64), kind="stable")]
    held = np.resize(held, index.frames) if len(held) != index.frames and len(held) else held
    return _course(index, held + beside // max(1, index.frames))


def _course(index: FrameIndex, sizes: NDArray[np.int64]) -> Weight:
    return Weight(index.time_us, np.concatenate([[0], np.cumsum(sizes)]).astype(np.int64))
