"""The kinds of sources of a live camera: a line and a file for each."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass

from north_hush.core.site.model import Stream
from north_hush.core.watch.demuxed import open_device, open_rtsp
from north_hush.core.watch.mjpeg import open_mjpeg
from north_hush.core.watch.played import play_recording
from north_hush.core.watch.sources import Opened


@dataclass(frozen=True)
class Wanted:
    """How a stream is to be opened: `speed` is that of a recording; not `decoded`, packets alone are enough."""

    password: str = ""
    speed: float = 1.0
    decoded: bool = True


OPENERS: Mapping[str, Callable[[Stream, Wanted], Opened]] = {
    "rtsp": lambda stream, how: open_rtsp(stream, how.password, decoded=how.decoded),
    "http": lambda stream, how: open_mjpeg(stream, how.password),
    "device": lambda stream, _: open_device(stream),
    "recording": lambda stream, how: play_recording(stream, how.speed),
}


def open_source(kind: str, stream: Stream, password: str = "", speed: float = 1.0, *, decoded: bool = True) -> Opened:
    """Open a stream of a camera. Not `decoded`, packets alone are enough, where the stream has them in the order of its pictures.

    Raises
    ------
    SourceLost : it cannot be reached, or gives no picture.
    """
    return OPENERS[kind](stream, Wanted(password, speed, decoded))
