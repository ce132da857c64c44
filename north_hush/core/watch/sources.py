"""Live pictures, one after the other: RTSP, MJPEG over HTTP, a local camera, or a recording played as if live.

An end of a live stream is an outage, whatever the reader says of it; only a recording ends. What is lost is told by `SourceLost`, and
whoever reads opens it again.
"""

from __future__ import annotations

import time
from collections.abc import Callable, Generator, Iterator
from dataclasses import dataclass, field
from fractions import Fraction
from pathlib import Path
from typing import Any
from urllib.parse import quote, urlsplit, urlunsplit

import av
import av.error
import numpy as np

from north_hush.core.errors import FootageError, HushError
from north_hush.core.footage.index import Footage, index_recording
from north_hush.core.footage.server import FrameServer
from north_hush.core.footage.sound import WINDOW_US, Level, LiveMeter, LiveSamples, Sound, sound_of
from north_hush.core.footage.stamps import US_PER_S
from north_hush.core.site.model import Stream
from north_hush.core.words import tr

OPEN_S, STALL_S = 5.0, 3.0
_DRIFT_US = US_PER_S
"""A clock of the sender that is further than this from ours is set anew."""
_JPEG_MOST = 16 * 1024**2
_SOI, _EOI = b"\xff\xd8", b"\xff\xd9"


_PAUSES_S = (1.0, 2.0, 4.0, 8.0, 15.0, 30.0)


def pause_s(tries: int) -> float:
    """How long to wait before what is lost is opened again, after so many tries that came to nothing."""
    return _PAUSES_S[min(tries, len(_PAUSES_S) - 1)]


class SourceLost(HushError):
    """No picture comes any more."""


@dataclass(frozen=True)
class LiveFrame:
    """A picture, when it was taken in microseconds of UTC, and for recording the packets that came since the picture before, with the
    times of what they hold. A decoder may be some packets behind; `key` says whether the first of them begins a group. Where packets
    alone were asked for, `picture` is None."""

    picture: Any = field(repr=False)
    time_us: int
    key: bool
    packets: tuple[tuple[Any, int], ...] = field(default=(), repr=False)
    levels: tuple[Level, ...] = field(default=(), repr=False)
    """How loud it was since the picture before, in tenths of a second of UTC."""


def now_us() -> int:
    """Our clock, in microseconds of UTC."""
    return time.time_ns() // 1000


def open_source(kind: str, stream: Stream, password: str = "", speed: float = 1.0, *, decoded: bool = True) -> Opened:
    """Open a stream of a camera. Not `decoded`, packets alone are enough, where the stream has them in the order of its pictures.

    Raises
    ------
    SourceLost : it cannot be reached, or gives no picture.
    """
    if kind == "rtsp":
        return _rtsp(stream, password, decoded=decoded)
    if kind == "http":
        return _mjpeg(stream, password)
    if kind == "device":
        return _device(stream)
    return _recording(stream, speed)


def said_of(error: BaseException) -> str:
    """What a reader says of an error, in one line."""
    return (getattr(error, "strerror", None) or str(error) or type(error).__name__).rstrip(".")


class SenderClock:
    """Turns stamps of a sender into our time: anchored when the first one comes, anew when they wander off."""

    def __init__(self, time_base: Fraction) -> None:
        self._base = time_base
        self._anchor_us: int | None = None
        self._last_us = 0
        self._jump_us: int | None = None

    def jump_s(self) -> float | None:
        """By how much it jumped since it was last asked; None where it did not."""
        jump, self._jump_us = self._jump_us, None
        return None if jump is None else jump / US_PER_S

    def of(self, stated_us: int) -> int | None:
        """Our time of what the sender stamps on another of its tracks; None before the first picture came."""
        return None if self._anchor_us is None else self._anchor_us + stated_us

    def at(self, stamp: int | None) -> int:
        arrived = now_us()
        if stamp is None:
            found = arrived
        else:
            stated = round(stamp * self._base * US_PER_S)
            if self._anchor_us is None or abs(self._anchor_us + stated - arrived) > _DRIFT_US:
                if self._anchor_us is not None:
                    self._jump_us = self._anchor_us + stated - arrived
                self._anchor_us = arrived - stated
            found = self._anchor_us + stated
        self._last_us = max(found, self._last_us + 1)
        return self._last_us


@dataclass(frozen=True, eq=False)
class Opened:
    """A source that gives pictures.

    Attributes
    ----------
    template : the stream that packets belong to; None where a frame's packet is a picture by itself, or there is none
    jpeg : packets are JPEG pictures
    ends : an end is the end, and no outage
    clock : that of the sender; None where it says no times
    """

    frames: Generator[LiveFrame, None, None]
    shut: Callable[[], None]
    template: Any = None
    jpeg: bool = False
    ends: bool = False
    clock: SenderClock | None = None

    def close(self) -> None:
        """Let go of it."""
        self.frames.close()
        self.shut()


_TRANSPORTS = ("tcp", "udp")
"""TCP loses nothing; a camera that refuses it is asked over UDP."""
_REFUSALS = (av.error.HTTPUnauthorizedError, av.error.HTTPForbiddenError, av.error.HTTPNotFoundError, ConnectionError)
"""What another transport does not change."""


def _rtsp(stream: Stream, password: str, *, decoded: bool) -> Opened:
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


def _device(stream: Stream) -> Opened:
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

    def packets() -> Generator[LiveFrame, None, None]:
        begun = False
        try:
            for packet in container.demux(video):
                begun = begun or bool(packet.is_keyframe)
                if packet.size and begun:
                    at_us = clock.at(packet.pts if packet.pts is not None else packet.dts)
                    yield LiveFrame(None, at_us, bool(packet.is_keyframe), ((packet, at_us),))
        except (av.error.FFmpegError, OSError, TimeoutError) as error:
            raise SourceLost(address, tr("stopped sending ({said_of}).", said_of=said_of(error))) from error
        raise SourceLost(address, tr("stopped sending."))

    def frames() -> Generator[LiveFrame, None, None]:
        waiting: list[Any] = []
        begun = False  # what comes before the first key frame leans on pictures that were sent before we listened
        ear = _Ear(clock) if container.streams.audio else None
        tracks = [video, *container.streams.audio[:1]]
        try:
            for packet in container.demux(*tracks):
                if ear is not None and packet.stream.type == "audio":
                    ear.take(packet)
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
                    yield LiveFrame(picture, at_us, bool(waiting and waiting[0].is_keyframe), packets, levels)
                    waiting = []
        except (av.error.FFmpegError, OSError, TimeoutError) as error:
            raise SourceLost(address, tr("stopped sending ({said_of}).", said_of=said_of(error))) from error
        raise SourceLost(address, tr("stopped sending."))

    in_order = not video.codec_context.has_b_frames
    made = packets() if in_order and not decoded else frames()
    return Opened(made, container.close, video, clock=clock)


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


def _mjpeg(stream: Stream, password: str) -> Opened:
    """Pictures between start and end marker of a stream over HTTP; what is cut or is none is left out, and they are stamped when they
    arrive."""
    import httpx

    auths = [httpx.BasicAuth(stream.user, password), httpx.DigestAuth(stream.user, password)] if stream.user else [None]
    answer = client = None
    for auth in auths:
        client = httpx.Client(timeout=httpx.Timeout(OPEN_S, read=STALL_S), auth=auth)
        try:
            answer = client.send(client.build_request("GET", stream.address), stream=True)
        except (httpx.HTTPError, httpx.InvalidURL, ValueError) as error:
            client.close()
            raise SourceLost(
                stream.address, tr("cannot be opened ({said_of}).", said_of=said_of(error)), tr("Check the address.")
            ) from error
        if answer.status_code != 401:
            break
        client.close()
    assert answer is not None and client is not None
    if answer.status_code != 200:
        client.close()
        raise SourceLost(
            stream.address,
            tr("answers {status_code}.", status_code=answer.status_code),
            tr("Check address, user and password."),
        )
    if "text/html" in answer.headers.get("content-type", ""):
        client.close()
        raise SourceLost(
            stream.address, tr("is a web page and no stream."), tr("Give the address of the stream itself.")
        )
    held, holder = answer, client

    def frames() -> Generator[LiveFrame, None, None]:
        codec: Any = av.CodecContext.create("mjpeg", "r")
        last_us = 0
        try:
            for data in _jpegs(held.iter_bytes()):
                packet = av.Packet(data)
                try:
                    pictures = codec.decode(packet)
                except (av.error.FFmpegError, ValueError):
                    continue
                for picture in pictures:
                    last_us = max(now_us(), last_us + 1)
                    yield LiveFrame(picture, last_us, True, ((av.Packet(data), last_us),))
        except httpx.HTTPError as error:
            raise SourceLost(stream.address, tr("stopped sending ({said_of}).", said_of=said_of(error))) from error
        raise SourceLost(stream.address, tr("stopped sending."))

    def close() -> None:
        held.close()
        holder.close()

    return Opened(frames(), close, None, jpeg=True)


def _jpegs(chunks: Iterator[bytes]) -> Iterator[bytes]:
    """Whole JPEG pictures out of a stream of bytes. The place up to which was looked is kept: looking anew costs seconds with large
    pictures."""
    held, looked = bytearray(), 0
    for chunk in chunks:
        held += chunk
        while True:
            start = held.find(_SOI)
            if start < 0:
                del held[:-1]
                looked = 0
                break
            if start:
                del held[:start]
                looked = 0
            end = held.find(_EOI, max(2, looked))
            again = held.find(_SOI, 2, end if end >= 0 else len(held))
            if again >= 0 and _begins_anew(held, again):  # the picture before was cut off
                del held[:again]
                looked = 0
                continue
            if end < 0:
                looked = max(2, len(held) - 1)
                if len(held) > _JPEG_MOST:
                    held.clear()
                    looked = 0
                break
            yield bytes(held[: end + 2])
            del held[: end + 2]
            looked = 0


def _begins_anew(held: bytearray, place: int) -> bool:
    """Whether a start marker inside a picture is the start of another one: a part boundary of HTTP stands before it."""
    return held[max(0, place - 4) : place].endswith((b"\r\n\r\n", b"\n\n"))


def _recording(stream: Stream, speed: float) -> Opened:
    """A recording played as if it were live, at a speed; its times begin now."""
    try:
        index = index_recording(Footage(Path(stream.address)))
    except FootageError as error:
        raise SourceLost(error.subject, error.what, error.remedy) from error
    server = FrameServer(index, cache_bytes=0)  # nobody steps back
    sound = None if index.footage.is_folder else sound_of(index.footage.path)

    def frames() -> Generator[LiveFrame, None, None]:
        began_us, began, heard_us = now_us(), time.monotonic(), 0
        for number in range(index.frames):
            at_us = int(index.time_us[number])
            wait = at_us / US_PER_S / speed - (time.monotonic() - began)
            if wait > 0:
                time.sleep(wait)
            try:
                picture = server.frame(number)
            except FootageError:
                continue
            levels = _levels_between(sound, heard_us, at_us, began_us)
            heard_us = at_us
            yield LiveFrame(picture, began_us + at_us, bool(index.key[number]), (), levels)

    return Opened(frames(), server.close, None, ends=True)


def _levels_between(sound: Sound | None, after_us: int, until_us: int, began_us: int) -> tuple[Level, ...]:
    """Levels of a recording that are over by a time of it, and were not by another one."""
    if sound is None:
        return ()
    first, after = after_us // WINDOW_US, until_us // WINDOW_US
    return tuple(
        (began_us + place * WINDOW_US, float(sound.plain_db[place]), float(sound.weighted_db[place]))
        for place in range(first, min(after, len(sound.plain_db)))
        if np.isfinite(sound.plain_db[place])
    )
