"""One recording of a live camera while it is written: packets as they came or pictures encoded anew, and beside it the evidence of
its frames, so that it opens analysed.

A file is Matroska whose clusters are a second long: after a kill all but the last of them can be read.
"""

from __future__ import annotations

import threading
import uuid
from collections import deque
from contextlib import suppress
from dataclasses import dataclass, field
from fractions import Fraction
from pathlib import Path
from typing import Any, Literal

import av
import av.error
import numpy as np

from north_hush.core.errors import HushError
from north_hush.core.footage.covering import covered_frame
from north_hush.core.footage.fingerprint import fingerprint
from north_hush.core.footage.index import Footage, index_recording
from north_hush.core.footage.options import LIVE, EvidenceOptions, Orientation
from north_hush.core.footage.reduce import Reduced
from north_hush.core.footage.store import evidence_key
from north_hush.core.footage.writing import CellSoil, StoreWriter
from north_hush.core.grid import Grid
from north_hush.core.site.model import View
from north_hush.core.watch.plain_sound import PlainSound
from north_hush.core.watch.sources import LiveFrame, Opened
from north_hush.core.words import tr

MUXER = {"cluster_time_limit": "1000", "flush_packets": "1", "max_interleave_delta": "500000"}
"""Pictures wait for sound that is late for half a second, not for ten: what waits is lost in a kill."""
MS = Fraction(1, 1000)
WRITING_FAILS = (av.error.FFmpegError, OSError, ValueError)
Quality = Literal["full", "low"]
_CRF = {"full": "23", "low": "36"}
_BLOCK_MOST = 256
"""Frames of evidence that wait in memory; a pass over a file takes more at once, but there is one of it."""
CLOSING = "evidence is made whole"
"""Name of the threads that do."""
_SAME_US = 1000
"""A picture and the packet that holds it are stamped so near to each other."""


@dataclass(frozen=True)
class Seen:
    """A frame, and what the eye made of it; without `reduced` it leaves no evidence."""

    frame: LiveFrame
    reduced: Reduced | None = None
    soil: CellSoil | None = field(default=None, repr=False)


class LiveFile:
    """Give it frames in order of time, then close it.

    Raises
    ------
    FFmpegError, OSError, ValueError : it cannot be written, while it is opened or later.

    Parameters
    ----------
    seen : whether the eye looks at what is written; else no evidence lies beside it
    """

    def __init__(
        self,
        path: Path,
        source: Opened,
        grid: Grid,
        view: View,
        start_us: int,
        quality: Quality = "full",
        *,
        seen: bool = True,
    ) -> None:
        self.path, self.start_us, self.frames = path, start_us, 0
        self._source, self._grid, self._view = source, grid, view
        self._copies = quality == "full" and copies(source, view)
        self._last_ms = -1
        path.parent.mkdir(parents=True, exist_ok=True)
        path.touch(0o600, exist_ok=False)
        self._out: Any = av.open(f"file:{path}", "w", format="matroska", options=MUXER)
        self._stream = self._begun_stream(quality)
        self._plain: PlainSound | None = None
        self._sound = self._begun_sound()
        self._sound_ms = -1
        # What is under a privacy mask is in no picture of the file, so it shall be in no evidence of it either.
        self._evidence = LiveEvidence(grid) if seen and not view.privacy else None

    def _begun_stream(self, quality: Quality) -> Any:
        if self._copies and self._source.template is not None:
            return self._out.add_stream_from_template(self._source.template)
        if self._copies:
            stream = self._out.add_stream("mjpeg", rate=25)
            stream.pix_fmt = "yuvj420p"
        else:
            options = {"preset": "ultrafast", "crf": _CRF[quality], "bf": "0"}
            stream = self._out.add_stream("libx264", rate=25, options=options)
            stream.pix_fmt = "yuv420p"
            stream.codec_context.time_base = MS
        stream.width, stream.height = self._grid.coded_width, self._grid.coded_height
        return stream

    def _begun_sound(self) -> Any:
        """The track of sound, as it comes, or as plain samples where Matroska does not know its codec, as those of telephones that
        many cameras send; None where there is none, or it is not wanted."""
        sound = self._source.sound
        if sound is None or not self._view.outcome.keep.sound:
            return None
        with suppress(*WRITING_FAILS):
            return self._out.add_stream_from_template(sound)
        with suppress(*WRITING_FAILS):
            self._plain = PlainSound(sound)
            return self._out.add_stream("pcm_s16le", rate=sound.rate, layout="mono")
        return None  # nobody here knows it

    def _hear(self, frame: LiveFrame) -> None:
        for packet, time_us in frame.sound if self._sound is not None else ():
            ms = (time_us - self.start_us) // 1000
            if ms < 0:
                continue
            self._sound_ms = max(self._sound_ms + 1, ms)
            made = _copied(packet) if self._plain is None else self._plain.of(packet)
            if made is None:
                continue
            made.stream, made.is_keyframe = self._sound, True
            made.pts = made.dts = self._sound_ms
            self._out.mux(made)

    def write(self, seen: Seen) -> None:
        """Write the next frame."""
        frame = seen.frame
        self._hear(frame)
        if self._copies:
            for packet, time_us in frame.packets:
                self._stamp(time_us)
                made = _copied(packet)
                made.stream = self._stream
                made.pts = made.dts = self._last_ms
                made.is_keyframe = packet.is_keyframe or self._source.jpeg
                self._out.mux(made)
        else:
            self._stamp(frame.time_us)
            picture = covered(frame.picture, self._grid, self._view)
            picture.pts, picture.time_base = self._last_ms, MS
            self._out.mux(self._stream.encode(picture))
        if self._evidence is not None and seen.reduced is not None and seen.soil is not None:
            self._evidence.saw(frame.time_us, seen.reduced, seen.soil)

    def _stamp(self, time_us: int) -> None:
        """The stamp of what is written next: always later than the one before."""
        self._last_ms = max(self._last_ms + 1, (time_us - self.start_us) // 1000)
        self.frames += 1
        if self._evidence is not None:
            self._evidence.wrote(time_us, self._last_ms)

    def close(self, *, keep: bool = True) -> None:
        """Make it whole, or take it away; what cannot be written any more is left out."""
        with suppress(*WRITING_FAILS):
            if not self._copies:
                self._out.mux(self._stream.encode())
            self._out.close()
        if not keep:
            self.path.unlink(missing_ok=True)
        if self._evidence is not None:
            self._evidence.close(self.path if keep else None)


class LiveEvidence:
    """Evidence of what is written, kept under the file's fingerprint once it is whole. A file of which some frame was not seen is left
    to a pass of its own."""

    def __init__(self, grid: Grid) -> None:
        self._grid = grid
        turn = {"rotation_deg": grid.rotation_deg, "flip": grid.flip}
        self._options = EvidenceOptions(orientation=Orientation.model_validate(turn))
        self._written: deque[tuple[int, int]] = deque()
        self._stamps: list[int] = []
        self._store: StoreWriter | None = None
        self._soil: CellSoil | None = None
        self._whole = True

    def wrote(self, time_us: int, ms: int) -> None:
        """A picture of an instant was written, with a stamp."""
        self._written.append((time_us, ms))

    def saw(self, time_us: int, reduced: Reduced, soil: CellSoil) -> None:
        """What the eye made of the picture of an instant."""
        while self._written and self._written[0][0] < time_us - _SAME_US:
            self._written.popleft()
            self._whole = False
        if not self._whole or not self._written or self._written[0][0] > time_us + _SAME_US:
            return
        _, ms = self._written.popleft()
        row = reduced.row.copy()
        row["pts"], row["time_us"] = ms, ms * 1000
        row["gap"] = row["gap"] and bool(self._stamps)
        self._soil = soil
        try:
            if self._store is None:
                name = f"live-{uuid.uuid4().hex}"
                self._store = StoreWriter(name, self._grid, self._options, block_most=_BLOCK_MOST)
            self._store.add(Reduced(row, reduced.cells), lambda: soil)
        except (HushError, OSError):
            self._whole = False
        self._stamps.append(ms)

    def close(self, path: Path | None) -> None:
        """Keep it as that of a file; of None, nothing. Reading the file again is not for the thread that frames wait for."""
        threading.Thread(target=self._close, args=(path,), name=CLOSING).start()

    def _close(self, path: Path | None) -> None:
        store, soil = self._store, self._soil
        if store is None or soil is None:
            return
        try:
            if path is None or not self._whole or not store.stored:
                store.discard()
                return
            footage = Footage(path)
            index = index_recording(footage)
            alike = index.grid(self._options.orientation) == self._grid
            if not alike or not np.array_equal(index.pts, np.array(self._stamps)):
                raise ValueError(tr("{path} holds other frames than were seen", path=path))
            store.finish(
                (),
                lambda: soil,
                key=evidence_key(fingerprint(footage), self._options.model_copy(update={"lead": (LIVE,)})),
            )
        except (HushError, OSError, ValueError):
            store.discard()


def copies(source: Opened, view: View) -> bool:
    """Whether packets are kept as they came: where nothing has to be covered, and pictures come in their order."""
    template = source.template
    in_order = template is not None and not template.codec_context.has_b_frames
    return not view.privacy and (in_order or source.jpeg)


def covered(picture: av.VideoFrame, grid: Grid, view: View) -> av.VideoFrame:
    """A picture with its privacy masks over it."""
    return covered_frame(picture, grid, view.plan.privacy).reformat(format="yuv420p")


def _copied(packet: Any) -> Any:
    """A packet of its own: one that was written cannot be written again."""
    made = av.Packet(bytes(packet))
    made.time_base = MS
    made.duration = round((packet.duration or 0) * (packet.time_base or MS) / MS)
    return made
