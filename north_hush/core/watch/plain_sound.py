"""Sound as plain samples, where the file does not know the codec that a camera sends."""

from __future__ import annotations

from fractions import Fraction
from typing import Any

import av
import av.error


class PlainSound:
    """Turns packets of one stream of sound into packets of 16-bit samples of all its channels' mean.

    Raises
    ------
    FFmpegError, ValueError : nobody here knows the codec either.
    """

    def __init__(self, sound: Any) -> None:
        # A decoder of its own: that of the stream is listened with.
        self._decoder: Any = av.CodecContext.create(sound.codec_context.name, "r")
        self._decoder.sample_rate, self._decoder.layout = sound.rate, sound.layout.name
        self._resampler = av.AudioResampler(format="s16", layout="mono", rate=sound.rate)
        self._rate = sound.rate

    def of(self, packet: Any) -> Any:
        """The samples of a packet; None where it holds none, or is damaged."""
        try:
            frames = [
                made
                for frame in self._decoder.decode(av.Packet(bytes(packet)))
                for made in self._resampler.resample(frame)
            ]
        except (av.error.FFmpegError, ValueError):
            return None
        samples = b"".join(frame.to_ndarray().tobytes() for frame in frames)
        if not samples:
            return None
        plain = av.Packet(samples)
        plain.time_base = Fraction(1, 1000)
        plain.duration = round(1000 * len(samples) / 2 / self._rate)
        return plain
