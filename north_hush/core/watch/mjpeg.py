"""A camera that sends JPEG pictures over HTTP, one after the other."""

from __future__ import annotations

from collections.abc import Generator, Iterator
from typing import Any

import av
import av.error

from north_hush.core.site.model import Stream
from north_hush.core.watch.sources import OPEN_S, STALL_S, LiveFrame, Opened, SourceLost, now_us, said_of
from north_hush.core.words import tr

_JPEG_MOST = 16 * 1024**2
_SOI, _EOI = b"\xff\xd8", b"\xff\xd9"


def open_mjpeg(stream: Stream, password: str) -> Opened:
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
