"""Small recordings with known content."""

from __future__ import annotations

from collections.abc import Callable, Iterable
from fractions import Fraction
from pathlib import Path

import av
import numpy as np


def flat(value: int, width: int = 64, height: int = 48) -> np.ndarray:
    """A grey picture of one value."""
    return np.full((height, width), value, np.uint8)


def moving_square(frames: int, width: int = 160, height: int = 96, side: int = 16) -> list[np.ndarray]:
    """A bright chequered square crossing a still textured ground from left to right; still in the first and last fifth."""
    ground = (60 + 30 * ((np.arange(width) // 8)[None, :] % 2) + np.arange(height)[:, None] // 4).astype(np.uint8)
    pictures = []
    for i in range(frames):
        picture = ground.copy()
        share = (i - frames / 5) / (frames * 3 / 5)
        if 0 <= share <= 1:
            left = int(share * (width - side))
            checks = (np.arange(side) // 3)[:, None] + (np.arange(side) // 3)[None, :]
            picture[height // 2 : height // 2 + side, left : left + side] = np.where(checks % 2, 240, 190)
        pictures.append(picture)
    return pictures


def write_video(
    path: Path,
    pictures: Iterable[np.ndarray],
    *,
    fps: int = 10,
    codec: str = "libx264",
    pix_fmt: str = "yuv420p",
    stamps_ms: Callable[[int], int] | None = None,
    options: dict[str, str] | None = None,
) -> Path:
    """Encode grey pictures; `stamps_ms` gives each frame's time when it is not regular."""
    pictures = list(pictures)
    with av.open(str(path), "w") as container:
        stream = container.add_stream(codec, rate=fps, options=options or {"qp": "1", "g": "20", "preset": "superfast"})
        stream.height, stream.width = pictures[0].shape
        stream.pix_fmt = pix_fmt
        stream.codec_context.time_base = Fraction(1, 1000)
        for i, picture in enumerate(pictures):
            frame = av.VideoFrame.from_ndarray(picture, format="gray").reformat(format=pix_fmt)
            frame.pts = stamps_ms(i) if stamps_ms else i * 1000 // fps
            frame.time_base = Fraction(1, 1000)
            container.mux(stream.encode(frame))
        container.mux(stream.encode())
    return path


def write_sounding(path: Path, frames: int, loud: int, rate: int = 10, codec: str = "aac") -> Path:
    """A moving square of so many frames with a track of sound that is silent but for the time of one of them."""
    with av.open(str(path), "w") as out:
        options = {"qp": "1", "g": "20", "bf": "0"}
        video = out.add_stream("libx264", rate=rate, options=options)
        video.width, video.height, video.pix_fmt = 160, 96, "yuv420p"
        heard_hz = 48_000 if codec == "aac" else 8_000
        audio = out.add_stream(codec, rate=heard_hz, layout="mono")
        samples = heard_hz // rate
        format_ = av.AudioResampler(format=audio.format.name, layout="mono", rate=heard_hz)
        for number, picture in enumerate(moving_square(frames)):
            out.mux(video.encode(av.VideoFrame.from_ndarray(picture, format="gray").reformat(format="yuv420p")))
            level = 0.9 if number == loud else 0.0
            tone = (level * np.sin(np.arange(samples) / 10)).astype(np.float32)[None]
            sound = av.AudioFrame.from_ndarray(tone, format="fltp", layout="mono")
            sound.sample_rate, sound.pts = heard_hz, number * samples
            for made in format_.resample(sound):
                out.mux(audio.encode(made))
        out.mux(video.encode())
        out.mux(audio.encode())
    return path


def heard_at_s(path: Path) -> list[float]:
    """When it is loud in a file, in seconds after its first picture; nothing where it has no sound."""
    with av.open(str(path)) as held:
        first = min(packet.pts * packet.time_base for packet in held.demux(video=0) if packet.pts is not None)
    with av.open(str(path)) as held:
        if not held.streams.audio:
            return []
        return [
            frame.time + np.abs(frame.to_ndarray()[0]).argmax() / frame.sample_rate - float(first)
            for frame in held.decode(audio=0)
            if np.abs(frame.to_ndarray()).max() > (0.5 if frame.format.name == "fltp" else 16_000)
        ]


def write_image(path: Path, picture: np.ndarray) -> Path:
    """Write a grey picture as binary PGM."""
    height, width = picture.shape
    path.write_bytes(b"P5\n%d %d\n255\n" % (width, height) + picture.tobytes())
    return path
