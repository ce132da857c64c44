"""Streams that come as packets of a container: cameras over RTSP, and local ones."""

from __future__ import annotations

from collections.abc import Generator
from fractions import Fraction
from pathlib import Path
from typing import Any
from urllib.parse import quote, urlsplit, urlunsplit

import av
import av.error

from north_hush.core.footage.sound import Level, LiveMeter, LiveSamples
from north_hush.core.footage.stamps import US_PER_S
from north_hush.core.site.model import Stream
from north_hush.core.watch.sources import OPEN_S, STALL_S, LiveFrame, Opened, SenderClock, SourceLost, said_of
from north_hush.core.words import tr

_TRANSPORTS = ("tcp", "udp")
"""TCP loses nothing; a camera that refuses it is asked over UDP."""
_REFUSALS = (av.error.HTTPUnauthorizedError, av.error.HTTPForbiddenError, av.error.HTTPNotFoundError, ConnectionError)
"""What another transport does not change."""


def open_rtsp(stream: Stream, password: str, *, decoded: bool) -> Opened:
    """Open a camera over RTSP, by TCP, or by UDP where it refuses that.

    Raises
    ------
    SourceLost : it cannot be reached.
    """
    refused: BaseException | None = None
    for transport in _TRANSPORTS:
        options = {
            "rtsp_transport": transport, "timeout": str(round(STALL_S * 1e6)), "fflags": "nobuffer", "analyzeduration": "100000",
            "probesize": "20000",
        }  # fmt: skip
        try:
            container = av.open(_with_password(stream, password), timeout=(OPEN_S, STALL_S), options=options)
        except _REFUSALS as error:
            refused = refused or error
            break
        except (av.error.FFmpegError, OSError, ValueError) as error:
            refused = refused or error
        else:
            return _demuxed(container, stream.address, decoded=decoded)
    raise SourceLost(
        stream.address,
        tr("cannot be opened ({said_of}).", said_of=said_of(refused) if refused is not None else ""),
        tr("Check address, user and password."),
    ) from refused


def open_device(stream: Stream) -> Opened:
    """Open a local camera.

    Raises
    ------
    SourceLost : it is not there, or may not be read.
    """
    if not Path(stream.address).exists():
        raise SourceLost(stream.address, tr("is not there."), tr("Plug the camera in, or choose another one."))
    try:
        container = av.open(stream.address, format="v4l2", timeout=(OPEN_S, STALL_S))
    except (av.error.FFmpegError, OSError, ValueError) as error:
        raise SourceLost(
            stream.address, tr("cannot be opened ({said_of}).", said_of=said_of(error)), tr("Check its permissions.")
        ) from error
    return _demuxed(container, stream.address)


def _demuxed(container: Any, address: str, *, decoded: bool = True) -> Opened:
    if not container.streams.video:
        container.close()
        raise SourceLost(address, tr("sends no picture."), tr("Choose another stream of the camera."))
    video = container.streams.video[0]
    clock = SenderClock(video.time_base or Fraction(1, 90_000))
    tracks = [video, *container.streams.audio[:1]]
    sound = _Sound(clock)

    def packets() -> Generator[LiveFrame, None, None]:
        begun = False
        try:
            for packet in container.demux(*tracks):
                if packet.stream.type == "audio":
                    sound.take(packet)
                    continue
                begun = begun or bool(packet.is_keyframe)
                if packet.size and begun:
                    at_us = clock.at(packet.pts if packet.pts is not None else packet.dts)
                    key = bool(packet.is_keyframe)
                    yield LiveFrame(None, at_us, key, ((packet, at_us),), sound=sound.taken())
        except (av.error.FFmpegError, OSError, TimeoutError) as error:
            raise SourceLost(address, tr("stopped sending ({said_of}).", said_of=said_of(error))) from error
        raise SourceLost(address, tr("stopped sending."))

    def frames() -> Generator[LiveFrame, None, None]:
        waiting: list[Any] = []
        begun = False  # what comes before the first key frame leans on pictures that were sent before we listened
        ear = _Ear(clock) if container.streams.audio else None
        try:
            for packet in container.demux(*tracks):
                if ear is not None and packet.stream.type == "audio":
                    ear.take(packet)
                    sound.take(packet)
                    continue
                begun = begun or bool(packet.is_keyframe)
                if not packet.size or not begun:
                    continue
                waiting.append(packet)
                for picture in packet.decode():
                    stamp = picture.pts if picture.pts is not None else picture.dts
                    at_us = clock.at(stamp)
                    packets = tuple((held, at_us + _ahead_us(held, stamp)) for held in waiting)
                    levels = ear.levels() if ear is not None else ()
                    key = bool(waiting and waiting[0].is_keyframe)
                    yield LiveFrame(picture, at_us, key, packets, levels, sound.taken())
                    waiting = []
        except (av.error.FFmpegError, OSError, TimeoutError) as error:
            raise SourceLost(address, tr("stopped sending ({said_of}).", said_of=said_of(error))) from error
        raise SourceLost(address, tr("stopped sending."))

    in_order = not video.codec_context.has_b_frames
    made = packets() if in_order and not decoded else frames()
    return Opened(made, container.close, video, tracks[1] if len(tracks) > 1 else None, clock=clock)


class _Sound:
    """Packets of sound on the clock that the pictures are on, until the next picture takes them."""

    def __init__(self, clock: SenderClock) -> None:
        self._clock = clock
        self._came: list[tuple[Any, int]] = []

    def take(self, packet: Any) -> None:
        """Keep a packet; before the first picture nobody knows what time it is."""
        stamp = packet.pts if packet.pts is not None else packet.dts
        at_us = None if stamp is None else self._clock.of(round(stamp * packet.time_base * US_PER_S))
        if at_us is not None and packet.size:
            self._came.append((packet, at_us))

    def taken(self) -> tuple[tuple[Any, int], ...]:
        """What came since this was last asked."""
        found, self._came = tuple(self._came), []
        return found


class _Ear:
    """Listens to the sound beside the pictures of a stream, on the clock that its pictures are on."""

    def __init__(self, clock: SenderClock) -> None:
        self._clock, self._samples, self._meter = clock, LiveSamples(), LiveMeter()
        self._heard: list[Level] = []

    def take(self, packet: Any) -> None:
        """Hear a packet; before the first picture nobody knows what time it is."""
        for first_us, samples in self._samples.of(packet):
            at_us = self._clock.of(first_us)
            if at_us is not None:
                self._heard += self._meter.push(at_us, samples)

    def levels(self) -> tuple[Level, ...]:
        """What was heard since this was last asked."""
        found, self._heard = tuple(self._heard), []
        return found


def _ahead_us(packet: Any, stamp: int | None) -> int:
    """How much later than a picture what a packet holds is shown."""
    if stamp is None or packet.pts is None:
        return 0
    ahead: int = round((packet.pts - stamp) * packet.time_base * US_PER_S)
    return ahead


def _with_password(stream: Stream, password: str) -> str:
    """The address with user and password, as the reader wants them; it is written nowhere."""
    if not stream.user:
        return stream.address
    parts = urlsplit(stream.address)
    who = quote(stream.user, safe="") + (f":{quote(password, safe='')}" if password else "")
    return urlunsplit(parts._replace(netloc=f"{who}@{parts.netloc}"))
