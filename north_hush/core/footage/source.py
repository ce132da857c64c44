"""Open what the user calls a recording: a video file in any container PyAV reads, or a folder of numbered images."""

from __future__ import annotations

import re
from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import dataclass
from fractions import Fraction
from io import BytesIO
from pathlib import Path

import av
import av.error
from av.container import InputContainer
from av.video.stream import VideoStream

from north_hush.core.errors import FootageError
from north_hush.core.words import tr

_CONTAINERS = (
    "mov", "matroska", "avi", "mpegts", "mpegtsraw", "mpeg", "mpegvideo", "m4v", "h264", "hevc", "vvc", "evc", "av1", "obu",
    "ivf", "vc1", "mjpeg", "mpjpeg", "smjpeg", "flv", "live_flv", "asf", "asf_o", "dhav", "dv", "mxf",
    "gxf", "nut", "ogg", "rm", "wtv", "ty", "nsv",
    "nuv", "lmlm4", "amv", "apng", "gif", "yuv4mpegpipe", "cavsvideo", "avs2", "dirac", "swf", "lxf", "mtv", "pva", "h261", "h263",
    "wav", "mp3", "aac", "flac",
)  # fmt: skip
"""Formats of recordings. Play lists, stitched files and descriptions of streams are none: they name other files."""
_IMAGES = {
    ".png": "png", ".jpg": "jpeg", ".jpeg": "jpeg", ".bmp": "bmp", ".pgm": "pgm", ".ppm": "ppm", ".tif": "tiff", ".tiff": "tiff",
    ".webp": "webp",
}  # fmt: skip
"""What images of each suffix are taken for where their content does not say it."""
IMAGE_SUFFIXES = tuple(_IMAGES)
_NUMBER = re.compile(r"(\d+)(?=\D*$)")


@dataclass(frozen=True)
class RawFrame:
    """A decoded frame. `stamp` is in units of the stream's time base, None when the stream has none."""

    picture: av.VideoFrame
    stamp: int | None
    key: bool


@dataclass
class Ending:
    """How reading went: packets that could not be decoded, and why reading stopped early, if it did."""

    damaged: int = 0
    stopped: str = ""


def image_files(folder: Path) -> list[Path]:
    """Return the images of a folder in the order of the last number in their names.

    Raises
    ------
    FootageError : the folder holds no image with a number in its name.
    """
    numbered = [
        (int(match.group(1)), path.name, path)
        for path in folder.iterdir()
        if path.suffix.lower() in IMAGE_SUFFIXES and (match := _NUMBER.search(path.stem))
    ]
    if not numbered:
        raise FootageError(
            str(folder),
            tr("holds no numbered images."),
            tr("Images are {join} with a number in the name.", join=", ".join(IMAGE_SUFFIXES)),
        )
    return [path for _, _, path in sorted(numbered)]


@contextmanager
def open_video(path: Path, threads: int = 0) -> Iterator[tuple[InputContainer, VideoStream]]:
    """Open a file and its first moving-picture stream; `threads` 0 lets the decoder choose.

    Raises
    ------
    FootageError : no such file, not a recording, or no picture in it.
    """
    try:
        regular = path.is_file()
    except (OSError, ValueError) as error:
        raise FootageError(
            str(path), tr("is no path ({reason}).", reason=_reason(error)), tr("Give it a shorter or plainer name.")
        ) from error
    if not regular:
        if path.exists():
            raise FootageError(
                str(path), tr("is a pipe or a device, not a file."), tr("Save what comes from it as a file first.")
            )
        raise FootageError(
            str(path), tr("is not there."), tr("Check the path, or show North Hush where the recording is now.")
        )
    try:
        # The prefix keeps a name with a colon a name; without a host nothing is fetched.
        container = av.open(
            f"file:{path}",
            metadata_errors="replace",
            options={"format_whitelist": ",".join(_CONTAINERS), "protocol_whitelist": "file"},
        )
    except (av.error.FFmpegError, OSError, ValueError) as error:
        if path.stat().st_size == 0:
            raise FootageError(str(path), tr("is empty."), tr("Copy it from the recorder again.")) from error
        raise FootageError(
            str(path),
            tr("is not a recording that can be read ({reason}).", reason=_reason(error)),
            tr("If it is one, its index may be missing because the recorder was stopped; export it again."),
        ) from error
    with container:
        streams = [stream for stream in container.streams.video if stream.codec_context is not None]
        if not streams:
            held = ", ".join(sorted({stream.type for stream in container.streams})) or "nothing"
            raise FootageError(
                str(path), tr("holds no picture, only {held}.", held=held), tr("Choose a recording with a video track.")
            )
        stream = streams[0]
        stream.thread_type = "AUTO"
        stream.codec_context.thread_count = threads
        yield container, stream


def _reason(error: Exception) -> str:
    return (getattr(error, "strerror", None) or str(error)).lower().rstrip(".")


def decode_video(container: InputContainer, stream: VideoStream, ending: Ending) -> Iterator[RawFrame]:
    """Decode from where the container stands to its end, passing over what cannot be decoded.

    `ending` is filled in: damaged packets are counted, and a break in the file is named rather than raised.
    """
    packets = container.demux(stream)
    while True:
        try:
            packet = next(packets)
        except StopIteration:
            return
        except av.error.EOFError:
            return
        except (av.error.FFmpegError, OSError) as error:
            ending.stopped = tr("reading broke off ({reason})", reason=_reason(error))
            return
        try:
            frames = packet.decode()
        except av.error.EOFError:
            return
        except (av.error.FFmpegError, ValueError):
            ending.damaged += 1
            continue
        for frame in frames:
            if frame.is_corrupt:
                ending.damaged += 1
            stamp = frame.pts if frame.pts is not None else frame.dts
            yield RawFrame(frame, stamp, bool(frame.key_frame))


def decode_images(files: list[Path], first: int = 0) -> Iterator[RawFrame]:
    """Decode numbered images one by one from `first` on; the stamp is the place in the list."""
    for place, path in enumerate(files[first:], start=first):
        yield RawFrame(decode_image(path), place, True)


def decode_image(path: Path) -> av.VideoFrame:
    """Decode a single image.

    Raises
    ------
    FootageError : not an image, or a broken one.
    """
    try:
        # Bytes without a name: a "%d" in one is taken for a series of files.
        held = BytesIO(path.read_bytes())
        with _opened_image(held, f"{_IMAGES.get(path.suffix.lower(), 'png')}_pipe") as container:
            for frame in container.decode(video=0):
                return frame
    except (av.error.FFmpegError, OSError, ValueError, IndexError) as error:
        raise FootageError(
            str(path),
            tr("is not an image that can be read ({reason}).", reason=_reason(error)),
            tr("Remove or replace it."),
        ) from error
    raise FootageError(str(path), tr("holds no picture."), tr("Remove or replace it."))


def _opened_image(held: BytesIO, usual: str) -> InputContainer:
    try:
        return av.open(
            held, mode="r", options={"format_whitelist": ",".join(f"{kind}_pipe" for kind in _IMAGES.values())}
        )
    except av.error.InvalidDataError:
        held.seek(0)
        return av.open(held, mode="r", format=usual)


def image_time_base(frames_per_s: float) -> Fraction:
    """Seconds between numbered images at the stated frame rate."""
    return 1 / Fraction(frames_per_s).limit_denominator(1001)
