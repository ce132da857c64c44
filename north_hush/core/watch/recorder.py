"""Clips of a live camera: what came before an alarm out of a ring, then what comes, until the time after is over.

Packets are kept as they came where nothing has to be covered and pictures come in their order; the ring holds whole groups of them.
Else it is encoded anew, covered by privacy masks. A file is Matroska whose clusters are a second long: after a kill all but the last
of them can be read. Clips in which change was too brief are taken away again when they are over.
"""

from __future__ import annotations

from collections import deque
from collections.abc import Callable
from contextlib import suppress
from dataclasses import dataclass
from datetime import UTC, datetime, timedelta
from fractions import Fraction
from pathlib import Path
from typing import Any
from zoneinfo import ZoneInfo

import av
import av.error

from north_hush.core.footage.covering import covered_frame
from north_hush.core.footage.stamps import US_PER_S
from north_hush.core.grid import Grid
from north_hush.core.outcome.naming import Names
from north_hush.core.outcome.rules import Keep
from north_hush.core.site.model import View
from north_hush.core.watch.eye import Happening
from north_hush.core.watch.sources import LiveFrame, Opened, said_of

_RING_BYTES_MOST = 64 * 1024**2
_MUXER = {"cluster_time_limit": "1000", "flush_packets": "1"}
_MS = Fraction(1, 1000)
_EPOCH = datetime(1970, 1, 1, tzinfo=UTC)


@dataclass
class _File:
    """A clip that is being written."""

    path: Path
    out: Any
    stream: Any
    start_us: int
    frames: int = 0
    lasted: bool = False
    items: tuple[str, ...] = ()
    last_ms: int = -1


class Recorder:
    """Give it every frame, then what happened with it."""

    def __init__(
        self,
        view: View,
        source: Opened,
        grid: Grid,
        folder: Path,
        zone: ZoneInfo,
        kept: Callable[[str, int], bool] = lambda item, at_us: True,
    ) -> None:
        self._view, self._source, self._grid, self._folder, self._zone = view, source, grid, folder, zone
        self._kept = kept
        self._names = Names(view.outcome.naming.pattern)
        self._ring: deque[LiveFrame] = deque()
        self._ring_bytes = 0
        self._file: _File | None = None
        self._until_us: int | None = None
        """When the clip is over; None while an alarm runs."""
        self._running: set[str] = set()
        template = source.template
        in_order = template is not None and not template.codec_context.has_b_frames
        self._copies = not view.privacy and (in_order or source.jpeg)

    def take(self, view: View) -> None:
        """Use other rules from now on; a clip that runs ends by its own."""
        self._view = view

    def _keep(self, item: str) -> Keep:
        return self._view.outcome.keep_of(item)

    # --- what comes -------------------------------------------------------------------------------------------------

    def frame(self, frame: LiveFrame, happened: list[Happening]) -> list[Happening]:
        """Take a frame and what happened with it; clips that began, ended or failed."""
        found: list[Happening] = []
        self._into_ring(frame)
        for one in happened:
            if one.what == "alarm_start" and self._keep(one.item).how != "never" and self._kept(one.item, one.time_us):
                self._running.add(one.item)
                self._until_us = None
                if self._file is None:
                    found += self._open(one, frame)
                elif one.item not in self._file.items:
                    self._file.items += (one.item,)
            elif one.what == "alarm_end" and one.item in self._running:
                found += self._alarm_over(one)
        if self._file is None:
            return found
        longest = self._view.outcome.keep.longest_s * US_PER_S
        if frame.key and frame.time_us - self._file.start_us >= longest:
            found += self._split(frame)
        else:
            found += self._write(frame)
        if self._until_us is not None and frame.time_us >= self._until_us:
            found += self.finish(frame.time_us)
        return found

    def _alarm_over(self, one: Happening) -> list[Happening]:
        self._running.discard(one.item)
        keep = self._keep(one.item)
        if self._file is not None and one.facts.get("frames", 1) >= keep.drop_under_frames:
            self._file.lasted = True
        if not self._running:
            anchor = one.time_us if keep.after_from == "end" else int(one.facts.get("start_us", one.time_us))
            self._until_us = max(anchor + round(keep.after * US_PER_S), one.time_us)
        return []

    def finish(self, at_us: int) -> list[Happening]:
        """Close the clip that is written, if one is."""
        file, self._file, self._until_us = self._file, None, None
        if file is None:
            return []
        with suppress(av.error.FFmpegError, OSError, ValueError):
            if not self._copies:
                file.out.mux(file.stream.encode())
            file.out.close()
        kept = file.lasted or any(self._keep(item).drop_under_frames == 0 for item in file.items)
        if not kept:
            file.path.unlink(missing_ok=True)
        facts = {
            "file": str(file.path) if kept else None,
            "start_us": file.start_us,
            "frames": file.frames,
            "items": list(file.items),
            "why": "alarm" if kept else "dropped: change lasted too few frames",
        }
        return [Happening(at_us, "clip", file.items[0] if file.items else "", facts)]

    def lost(self, at_us: int) -> list[Happening]:
        """The picture is lost: what is written ends, and the ring is another stream's."""
        self._running.clear()
        self._ring.clear()
        self._ring_bytes = 0
        if self._file is not None:
            self._file.lasted = True  # nobody knows how long it would have lasted
        return self.finish(at_us)

    # --- the ring ---------------------------------------------------------------------------------------------------

    def _into_ring(self, frame: LiveFrame) -> None:
        """Keep what may come before an alarm: whole groups of pictures, not more than the bytes that are allowed."""
        held = frame if self._copies else LiveFrame(self._covered(frame), frame.time_us, True)
        self._ring.append(held)
        self._ring_bytes += self._bytes(held)
        watchers = self._view.watchers
        before = max((self._keep(item.id).before for item in watchers), default=self._view.outcome.keep.before)
        oldest = frame.time_us - round(before * US_PER_S)
        while len(self._ring) > 1:
            following = next((place for place, one in enumerate(self._ring) if place and one.key), None)
            over = self._ring_bytes > _RING_BYTES_MOST
            if following is None or (self._ring[following].time_us > oldest and not over):
                break
            for _ in range(following):
                self._ring_bytes -= self._bytes(self._ring.popleft())

    def _bytes(self, frame: LiveFrame) -> int:
        if self._copies:
            return sum(int(packet.size) for packet, _ in frame.packets)
        return frame.picture.width * frame.picture.height * 3 // 2

    def _covered(self, frame: LiveFrame) -> av.VideoFrame:
        return covered_frame(frame.picture, self._grid, self._view.plan.privacy).reformat(format="yuv420p")

    # --- the file ---------------------------------------------------------------------------------------------------

    def _open(self, one: Happening, frame: LiveFrame) -> list[Happening]:
        """Begin a clip with what the ring holds of the time before."""
        begin_us = one.time_us - round(self._keep(one.item).before * US_PER_S)
        earlier = [place for place, held in enumerate(self._ring) if held.key and held.time_us <= begin_us]
        first = earlier[-1] if earlier else 0
        started = self._begin((one.item,), self._ring[first].time_us)
        for held in list(self._ring)[first:-1]:  # the last one is the frame of now, which is written next
            started += self._write(held)
        return started

    def _begin(self, items: tuple[str, ...], start_us: int) -> list[Happening]:
        path = self._folder / self._names.free(self._fields(items[0], start_us), ".mkv")
        while path.exists():  # of an earlier run
            path = self._folder / self._names.free(self._fields(items[0], start_us), ".mkv")
        try:
            path.parent.mkdir(parents=True, exist_ok=True)
            path.touch(0o600, exist_ok=False)
            out = av.open(f"file:{path}", "w", format="matroska", options=_MUXER)
            stream = self._stream(out)
        except (av.error.FFmpegError, OSError, ValueError) as error:
            return [
                Happening(
                    start_us, "fault", items[0], {"fault": "cannot write", "said": said_of(error), "file": str(path)}
                )
            ]
        self._file = _File(path, out, stream, start_us, items=items)
        return [Happening(start_us, "clip_start", items[0], {"file": str(path)})]

    def _stream(self, out: Any) -> Any:
        if self._copies and self._source.template is not None:
            return out.add_stream_from_template(self._source.template)
        if self._copies:
            stream = out.add_stream("mjpeg", rate=25)
            stream.pix_fmt = "yuvj420p"
        else:
            stream = out.add_stream("libx264", rate=25, options={"preset": "ultrafast", "crf": "23"})
            stream.pix_fmt = "yuv420p"
            stream.codec_context.time_base = _MS
        stream.width, stream.height = self._grid.coded_width, self._grid.coded_height
        return stream

    def _write(self, frame: LiveFrame) -> list[Happening]:
        file = self._file
        if file is None:
            return []
        try:
            if self._copies:
                for packet, time_us in frame.packets:
                    self._write_packet(file, packet, time_us)
            else:
                picture = self._covered(frame)
                picture.pts, picture.time_base = self._next_ms(file, frame.time_us), _MS
                file.out.mux(file.stream.encode(picture))
                file.frames += 1
        except (av.error.FFmpegError, OSError, ValueError) as error:
            self._file = None
            with suppress(av.error.FFmpegError, OSError, ValueError):
                file.out.close()
            facts = {"fault": "recording failed", "said": said_of(error), "file": str(file.path)}
            return [Happening(frame.time_us, "fault", "", facts)]
        return []

    @staticmethod
    def _next_ms(file: _File, time_us: int) -> int:
        """The stamp of what is written next; always later than the one before."""
        file.last_ms = max(file.last_ms + 1, (time_us - file.start_us) // 1000)
        return file.last_ms

    def _write_packet(self, file: _File, packet: Any, time_us: int) -> None:
        made = _copied(packet)
        made.stream, made.time_base = file.stream, _MS
        made.pts = made.dts = self._next_ms(file, time_us)
        made.is_keyframe = packet.is_keyframe or self._source.jpeg
        file.out.mux(made)
        file.frames += 1

    def _split(self, frame: LiveFrame) -> list[Happening]:
        """The clip is at its longest: the next one begins with this key frame."""
        file = self._file
        assert file is not None
        file.lasted, items = True, file.items
        until = self._until_us
        found = [*self.finish(frame.time_us), *self._begin(items, frame.time_us)]
        self._until_us = until
        if self._file is not None:
            self._file.lasted = True
            found += self._write(frame)
        return found

    def _fields(self, item: str, at_us: int) -> dict[str, str]:
        at = (_EPOCH + timedelta(microseconds=at_us)).astimezone(self._zone)
        held = self._view.item(item)
        start = f"{at:%Y-%m-%dT%H%M%S}.{at.microsecond // 10_000:02d}"
        return {
            "view": self._view.name, "item": held.name if held is not None else item, "kind": "unclear", "recording": "live",
            "date": f"{at:%Y-%m-%d}", "time": f"{at:%H%M%S}", "start": start, "end": start,
        }  # fmt: skip


def _copied(packet: Any) -> Any:
    """A packet of its own: one that was written cannot be written again."""
    made = av.Packet(bytes(packet))
    made.duration = packet.duration or 0
    return made
