"""What a recording follows on: the background that the files before it had by their end.

A recorder cuts its footage where it likes. Without what came before, each file would begin with a background of its first frame, and
who stands there would be taken for the scene. Key frames of the last two minutes are enough: a background needs no more than a few
planes a minute, and decoding those alone costs little.
"""

from __future__ import annotations

from collections.abc import Generator
from contextlib import closing
from pathlib import Path

import av
import av.error

from north_hush.core.errors import FootageError
from north_hush.core.footage.index import Footage, FrameIndex, index_recording
from north_hush.core.footage.luma import luma_of
from north_hush.core.footage.options import Lead
from north_hush.core.footage.reduce import Reducer
from north_hush.core.footage.source import Ending, RawFrame, decode_images, decode_video, image_files, open_video
from north_hush.core.footage.stamps import US_PER_S
from north_hush.core.words import tr

_MOST_PLANES = 60


def lead_in(reducer: Reducer, leads: tuple[Lead, ...], index: FrameIndex, window_s: float) -> tuple[str, ...]:
    """Show a reducer what lay before a recording, the oldest first; returns what is odd about it.

    Parameters
    ----------
    index : of the recording itself; one with pictures of another size lends it nothing
    window_s : how far back
    """
    odd = []
    for lead in reversed(leads):
        try:
            before = index_recording(Footage(Path(lead.path), lead.frames_per_s))
            if (before.coded_width, before.coded_height) != (index.coded_width, index.coded_height):
                raise FootageError(lead.path, tr("has pictures of another size."), "")
            _recall(reducer, before, lead.ahead_s * US_PER_S, window_s)
        except (FootageError, av.error.FFmpegError, OSError) as error:
            what = error.what if isinstance(error, FootageError) else tr("cannot be read.")
            odd.append(
                tr(
                    "begins without the background of {name}, which {what}",
                    name=Path(lead.path).name,
                    what=what.rstrip("."),
                )
            )
    return tuple(odd)


def _recall(reducer: Reducer, before: FrameIndex, ahead_us: int, window_s: float) -> None:
    first_us = ahead_us - round(window_s * US_PER_S)  # of the other's own time, from which on it counts
    times = dict(zip(before.pts.tolist(), before.time_us.tolist(), strict=True))
    with closing(_key_frames(before, first_us)) as frames:
        for frame in frames:
            at_us = times.get(frame.stamp)
            if at_us is not None and at_us >= first_us:
                reducer.recall(luma_of(frame.picture), at_us - ahead_us)


def _key_frames(before: FrameIndex, first_us: int) -> Generator[RawFrame]:
    """Key frames from shortly before a time on."""
    if before.footage.is_folder:
        files = image_files(before.footage.path)
        wanted = [number for number, at in enumerate(before.time_us[: len(files)].tolist()) if at >= first_us]
        for number in wanted[:: max(1, len(wanted) // _MOST_PLANES)]:
            yield from decode_images(files[: number + 1], number)
        return
    with open_video(before.footage.path, threads=1) as (container, stream):
        stream.codec_context.skip_frame = "NONKEY"
        number = int(before.time_us.searchsorted(max(0, first_us)))
        if before.exact and 0 < number < before.frames:
            container.seek(int(before.pts[number]), stream=stream)
        yield from decode_video(container, stream, Ending())
