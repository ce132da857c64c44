"""Scripts as files: rendered, encoded as H.264, with their truth beside them."""

from __future__ import annotations

import os
from collections.abc import Callable
from concurrent.futures import Future, ThreadPoolExecutor
from fractions import Fraction
from pathlib import Path

import av

from north_hush.core.errors import HushError
from north_hush.demo.camera import HEIGHT_PX, WIDTH_PX
from north_hush.demo.catalogue import FRAMES_PER_S
from north_hush.demo.draw import Box
from north_hush.demo.render import Rendered, frame_times, render, truth_of
from north_hush.demo.script import Script
from north_hush.demo.sound import RATE_HZ, heard

_BITS_PER_S = 280_000
_SOUND_FRAME, _SOUND_BITS_PER_S = 1024, 32_000


def record(script: Script, out: Path, report: Callable[[int, int], None] = lambda done, of: None) -> Path:
    """Render and encode a script as H.264 beside its truth; nothing is left behind when it fails.

    Returns
    -------
    The recording; its truth lies beside it as `<name>.truth.json`.

    Raises
    ------
    HushError : the folder cannot be written, or the disk is full.
    """
    video, truth = out / f"{script.name}.mp4", out / f"{script.name}.truth.json"
    part = out / f".{script.name}.part.mp4"
    try:
        out.mkdir(parents=True, exist_ok=True)
        boxes = _encode(script, part, report)
        truth_part = part.with_suffix(".json")
        truth_part.write_text(truth_of(script, boxes).model_dump_json() + "\n")
        part.replace(video)
        truth_part.replace(truth)
    except (OSError, av.error.FFmpegError) as error:
        for leftover in (part, part.with_suffix(".json")):
            if os.access(out, os.W_OK):
                leftover.unlink(missing_ok=True)
        raise HushError(
            str(out),
            f"cannot be written ({error.strerror or error}).",
            "Choose a folder you may write to, with space left.",
        ) from error
    return video


class Encoder:
    """Encodes rendered frames as H.264 while the next is painted. `stated` False leaves out when it was taken, as recorders do that
    write it into the name."""

    def __init__(self, path: Path, script: Script, *, stated: bool = True) -> None:
        self._script = script
        self._container = av.open(str(path), "w", options={"movflags": "+faststart"})
        if stated:
            self._container.metadata["creation_time"] = script.taken_at.isoformat()
        stream = self._container.add_stream(
            "libx264", rate=FRAMES_PER_S, options={"preset": "faster", "g": str(script.key_interval)}
        )
        stream.width, stream.height, stream.pix_fmt = WIDTH_PX, HEIGHT_PX, "yuv420p"
        stream.bit_rate = min(_BITS_PER_S, int(8 * script.bytes_max / script.duration_s))
        stream.codec_context.time_base = Fraction(1, 1000)
        self._stream = stream
        self._sound = self._container.add_stream("aac", rate=RATE_HZ, layout="mono") if script.sounds else None
        if self._sound is not None:
            self._sound.bit_rate = _SOUND_BITS_PER_S
        self._thread, self._encoding = ThreadPoolExecutor(1), list[Future[None]]()

    def __enter__(self) -> Encoder:
        return self

    def add(self, frame: Rendered) -> None:
        """Take the next frame."""
        picture = av.VideoFrame.from_ndarray(frame.pixels, format="rgb24")
        picture.pts, picture.time_base = round(frame.time_s * 1000), Fraction(1, 1000)
        self._wait()
        self._encoding.append(self._thread.submit(lambda: self._container.mux(self._stream.encode(picture))))

    def _wait(self) -> None:
        while self._encoding:
            self._encoding.pop().result()

    def __exit__(self, kind: object, error: object, trace: object) -> None:
        try:
            if kind is None:
                self._wait()
                self._container.mux(self._stream.encode())
                self._add_sound()
        finally:
            self._thread.shutdown()
            self._container.close()

    def _add_sound(self) -> None:
        script, sound = self._script, self._sound
        if sound is None:
            return
        track = heard(script.sounds, script.duration_s, script.seed)
        for first in range(0, len(track), _SOUND_FRAME):
            part = av.AudioFrame.from_ndarray(track[None, first : first + _SOUND_FRAME], format="fltp", layout="mono")
            part.sample_rate, part.pts, part.time_base = RATE_HZ, first, Fraction(1, RATE_HZ)
            self._container.mux(sound.encode(part))
        self._container.mux(sound.encode())


def _encode(script: Script, path: Path, report: Callable[[int, int], None]) -> list[tuple[Box | None, ...]]:
    boxes, total = [], len(frame_times(script))
    with Encoder(path, script) as encoder:
        for done, frame in enumerate(render(script)):
            encoder.add(frame)
            boxes.append(frame.boxes)
            report(done + 1, total)
    return boxes
