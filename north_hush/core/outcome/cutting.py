"""Clips cut out of recordings: packets copied as they are where nothing has to be drawn on the picture, else encoded anew.

A copy begins with the key frame at or before what was asked for, and ends with it; where frames are stored out of order it may hold a
few later ones, on which those asked for rest. What is written is a part file first, readable to its last second after a kill.
"""

from __future__ import annotations

import os
from collections.abc import Callable, Iterable, Iterator
from contextlib import contextmanager, suppress
from dataclasses import dataclass
from fractions import Fraction
from pathlib import Path
from typing import Any

import av
import av.error
import numpy as np
from numpy.typing import NDArray

from north_hush.core.errors import FootageError
from north_hush.core.footage.covering import covered_frame
from north_hush.core.footage.index import FrameIndex
from north_hush.core.footage.options import Orientation
from north_hush.core.footage.server import FrameServer, picture_of
from north_hush.core.footage.source import open_video
from north_hush.core.footage.stamps import US_PER_S
from north_hush.core.grid import Grid
from north_hush.core.scene.items import Privacy
from north_hush.core.scene.privacy import blanked
from north_hush.core.words import tr

Draw = Callable[[NDArray[np.uint8], int], None]
"""Draws onto an oriented picture, (height, width, 4) uint8, of the frame of a number."""
_MUXER: dict[str, tuple[str, dict[str, str]]] = {
    ".mkv": ("matroska", {"cluster_time_limit": "1000", "flush_packets": "1"}),
    ".mp4": ("mp4", {"movflags": "frag_keyframe+empty_moov+default_base_moof", "flush_packets": "1"}),
}
_MP4_CODECS = frozenset({"h264", "hevc", "av1", "mpeg4", "aac", "mp3", "ac3", "opus"})
_TIME_BASE = Fraction(1, 90_000)


@dataclass(frozen=True)
class Cut:
    """What was written: the recording's frames it begins and ends with, how many it holds, and whether they were encoded anew."""

    first: int
    last: int
    frames: int
    encoded: bool


def frames_between(index: FrameIndex, start_us: int, end_us: int) -> tuple[int, int] | None:
    """The first and last frame of a span, the end no longer inside; None where no frame lies in it."""
    first, after = np.searchsorted(index.time_us, (start_us, end_us)).tolist()
    return (first, after - 1) if after > first else None


def key_before(index: FrameIndex, frame: int) -> int:
    """The key frame that a copy begins with."""
    keys = np.flatnonzero(index.key[: frame + 1])
    return int(keys[-1]) if len(keys) else 0


def copies(index: FrameIndex, orientation: Orientation | None, privacy: tuple[Privacy, ...], ending: str) -> bool:
    """Whether the packets of a recording can be copied as they are: nothing is covered, it is not turned otherwise than it says itself,
    each stamp holds, and the container takes its codec."""
    turned = orientation is not None and orientation != index.orientation
    plain = index.exact and index.shown and not index.footage.is_folder
    return plain and not privacy and not turned and (ending == ".mkv" or index.codec in _MP4_CODECS)


def cut_copy(index: FrameIndex, first: int, last: int, target: Path) -> Cut:
    """Copy the packets of some frames, sound along with them.

    Raises
    ------
    FootageError : the recording cannot be read, or the file cannot be written.
    """
    key = key_before(index, first)
    from_pts, to_pts, wanted = int(index.pts[key]), int(index.pts[last]), last - key + 1
    base: dict[int, int] = {}
    written = reached = 0
    with (
        open_video(index.footage.path, threads=1) as (source, stream),
        _written(target) as (part, kind, options),
        av.open(part, "w", format=kind, options=options) as out,
    ):
        beside = [held for held in source.streams.audio if kind == "matroska" or held.codec.name in _MP4_CODECS]
        made = {held.index: out.add_stream_from_template(held) for held in (stream, *beside)}
        if key > 0:
            source.seek(from_pts, stream=stream, backward=True)
        begun, start = False, from_pts * index.time_base
        for packet in timed(source.demux([stream, *beside]), stream, index):
            shown = packet.pts if packet.pts is not None else packet.dts or 0
            if packet.stream is stream:
                begun = begun or (packet.is_keyframe and shown == from_pts)
                if not begun or shown < from_pts:  # a picture that leans on what lies before the cut
                    continue
                written += 1
                reached += shown <= to_pts
            elif not begun or shown * (packet.time_base or index.time_base) < start:
                continue
            here = made[packet.stream.index]
            # One zero for all, so that sound stays in step; decoding may begin a little before it.
            zero = base.setdefault(packet.stream.index, round(start / (packet.time_base or index.time_base)))
            packet.pts, packet.dts = shown - zero, (packet.dts if packet.dts is not None else shown) - zero
            packet.stream = here
            out.mux(packet)
            if reached >= wanted:
                break
    if not written:
        raise FootageError(
            str(index.footage.path),
            tr("has no key frame where frame {first:,} could be cut from.", first=first),
            tr("Cut it encoded anew."),
        )
    return Cut(key, last, written, False)


def timed(packets: Iterable[Any], stream: Any, index: FrameIndex) -> Iterator[Any]:
    """Packets that hold anything, in their order. A reader that has just sought does not know when the first pictures are to be
    decoded: those are put before the first one of which it does, a usual interval apart."""
    step = max(1, round(index.usual_interval_us / US_PER_S / index.time_base))
    waiting: list[Any] = []
    for packet in packets:
        if not packet.size:
            continue
        if packet.stream is stream and packet.dts is None:
            waiting.append(packet)
            continue
        if packet.stream is stream and waiting:
            for place, held in enumerate(waiting):
                held.dts = packet.dts - step * (len(waiting) - place)
            yield from waiting
            waiting = []
        yield packet
    for place, held in enumerate(waiting):
        held.dts = min(packet.pts for packet in waiting if packet.pts is not None) + step * (place - len(waiting))
    yield from waiting


def cut_encoded(
    index: FrameIndex,
    grid: Grid,
    first: int,
    last: int,
    target: Path,
    privacy: tuple[Privacy, ...] = (),
    draw: Draw | None = None,
) -> Cut:
    """Encode some frames anew as H.264, oriented, covered by privacy masks, and drawn upon. Sound is left out.

    Raises
    ------
    FootageError : none of them can be decoded, or the file cannot be written.
    """
    server = FrameServer(index)
    written: list[int] = []
    try:
        with _written(target) as (part, kind, options), av.open(part, "w", format=kind, options=options) as out:
            rate = Fraction(US_PER_S, index.usual_interval_us).limit_denominator(1000)
            stream: Any = out.add_stream("libx264", rate=rate, options={"crf": "18", "preset": "veryfast"})
            stream.width, stream.height = grid.width // 2 * 2, grid.height // 2 * 2
            stream.pix_fmt, stream.codec_context.time_base = "yuv420p", _TIME_BASE
            for number, pixels in pictures(server, grid, range(first, last + 1), privacy):
                if draw is not None:
                    draw(pixels, number)
                held = np.ascontiguousarray(pixels[: stream.height, : stream.width])
                frame = av.VideoFrame.from_ndarray(held, format="bgra").reformat(format="yuv420p")
                frame.pts = round(
                    (int(index.time_us[number]) - int(index.time_us[first])) * _TIME_BASE.denominator / US_PER_S
                )
                frame.time_base = _TIME_BASE
                out.mux(stream.encode(frame))
                written.append(number)
            if not written:
                raise FootageError(
                    str(index.footage.path), tr("holds no frame that can be decoded there."), tr("Cut elsewhere.")
                )
            out.mux(stream.encode())
    finally:
        server.close()
    return Cut(written[0], written[-1], len(written), True)


def pictures(
    server: FrameServer, grid: Grid, numbers: range, privacy: tuple[Privacy, ...]
) -> Iterator[tuple[int, NDArray[np.uint8]]]:
    """Oriented pictures of some frames, (height, width, 4) uint8, covered by privacy masks, without those that cannot be decoded."""
    for number in numbers:
        try:
            frame = server.frame(number)
        except FootageError:
            continue
        yield number, blanked(picture_of(covered_frame(frame, grid, privacy), grid), privacy).copy()


@contextmanager
def _written(target: Path) -> Iterator[tuple[str, str, dict[str, str]]]:
    """A part file beside the target that takes its place when all went well; the muxer for its ending."""
    kind, options = _MUXER[target.suffix]
    part = target.with_name(f".{target.name}.{os.getpid()}.part")
    try:
        target.parent.mkdir(parents=True, exist_ok=True)
        yield f"file:{part}", kind, options
        with part.open("rb") as held:
            os.fsync(held.fileno())
        part.replace(target)
    except (av.error.FFmpegError, OSError) as error:
        said = (getattr(error, "strerror", None) or str(error)).rstrip(".")
        raise FootageError(
            str(target), tr("cannot be written ({said}).", said=said), tr("Check the disk and permissions.")
        ) from error
    finally:
        with suppress(OSError):
            part.unlink(missing_ok=True)
