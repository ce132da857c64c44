"""Key frames by themselves: each costs one picture, where any other costs all since its key frame."""

from __future__ import annotations

from collections.abc import Iterable, Iterator

import av

from north_hush.core.footage.index import FrameIndex
from north_hush.core.footage.source import open_video


def has_keys(index: FrameIndex) -> bool:
    """Whether a recording can be sought in by its stamps."""
    return index.exact and not index.footage.is_folder


def key_pictures(index: FrameIndex, places: Iterable[int]) -> Iterator[tuple[int, av.VideoFrame]]:
    """The pictures of some key frames by their numbers, in the order they are asked for; what cannot be found is left out.

    Raises
    ------
    FootageError : the recording was taken away.
    av.error.FFmpegError, OSError, ValueError : it cannot be read.
    """
    with open_video(index.footage.path, 1) as (container, stream):
        for place in places:
            pts = int(index.pts[place])
            container.seek(pts, stream=stream)
            for packet in container.demux(stream):  # a seek may land a key frame too early
                if packet.pts == pts:
                    # Without being told that nothing follows, the decoder waits for pictures that may be shown before.
                    pictures = [*packet.decode(), *stream.codec_context.decode(None)]
                    stream.codec_context.flush_buffers()
                    yield from ((place, picture) for picture in pictures if picture.pts == pts)
                    break
                reached = packet.pts if packet.dts is None else packet.dts  # some packets have the one alone
                if reached is None or reached > pts:
                    break
