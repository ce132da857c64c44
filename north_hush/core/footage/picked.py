"""Single frames of a recording in bulk: each group of them after a key frame costs what leads to them, and nothing else."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Sequence
from contextlib import contextmanager
from itertools import groupby

import av
import numpy as np
from av.container import InputContainer
from av.video.stream import VideoStream

from north_hush.core.footage.index import FrameIndex
from north_hush.core.footage.source import open_video


def has_keys(index: FrameIndex) -> bool:
    """Whether a recording can be sought in by its stamps."""
    return index.exact and not index.footage.is_folder


def grouped(index: FrameIndex, places: Iterable[int]) -> list[list[int]]:
    """Frames by their numbers, those of one key frame together, in order; of containers that hold decoding times alone only the
    key frames can be picked, and the first frames of some recordings follow none."""
    keys = np.flatnonzero(index.key)
    first = int(keys[0]) if len(keys) else index.frames
    held = (place for place in sorted(set(places)) if index.key[place] or (index.shown and place > first))
    return [list(group) for _, group in groupby(held, lambda place: int(np.searchsorted(keys, place, side="right")))]


def picked_frames(index: FrameIndex, groups: Iterable[Sequence[int]]) -> Iterator[tuple[int, av.VideoFrame]]:
    """Frames by their numbers, group by group as asked for, see `grouped`; what cannot be found is left out.

    Raises
    ------
    FootageError : the recording was taken away.
    av.error.FFmpegError, OSError, ValueError : it cannot be read.
    """
    with opened(index) as picker:
        for group in groups:
            yield from picker.frames(group)


@contextmanager
def opened(index: FrameIndex) -> Iterator[Picker]:
    """A recording of which frames are picked now and then; it raises what `picked_frames` does."""
    with open_video(index.footage.path, 1) as (container, stream):
        yield Picker(index, container, stream)


class Picker:
    """Frames of a recording that is open."""

    def __init__(self, index: FrameIndex, container: InputContainer, stream: VideoStream) -> None:
        self._index, self._container, self._stream = index, container, stream
        self._keys = np.flatnonzero(index.key)

    def frames(self, group: Sequence[int]) -> Iterator[tuple[int, av.VideoFrame]]:
        """Some frames of one key frame by their numbers; what cannot be found is left out."""
        key = int(self._keys[np.searchsorted(self._keys, group[0], side="right") - 1])
        wanted = {int(self._index.pts[place]): place for place in group}
        for picture in _decoded(self._container, self._stream, int(self._index.pts[key]), set(wanted)):
            place = wanted.get(-1 if picture.pts is None else picture.pts)
            if place is not None:
                yield place, picture


def _decoded(container: InputContainer, stream: VideoStream, key_pts: int, wanted: set[int]) -> Iterator[av.VideoFrame]:
    """What the decoder gives from a key frame on until some stamps were read; of other frames those that none is made of are passed
    over."""
    last, reached, decoder = max(wanted), False, stream.codec_context
    container.seek(key_pts, stream=stream)
    try:
        for packet in container.demux(stream):
            at = packet.pts if packet.dts is None else packet.dts  # some packets have the one alone
            if at is None or (packet.is_keyframe and at > last):
                break
            if not reached and packet.pts != key_pts:  # a seek may land a key frame too early
                if at > key_pts:
                    return
                continue
            reached = True
            passed_over = packet.pts is not None and packet.pts not in wanted
            decoder.skip_frame = "NONREF" if passed_over else "DEFAULT"
            yield from packet.decode()
            wanted.discard(-1 if packet.pts is None else packet.pts)
            if not wanted:
                break
        # Without being told that nothing follows, the decoder waits for pictures that may be shown before.
        yield from decoder.decode(None)
    finally:
        decoder.flush_buffers()
