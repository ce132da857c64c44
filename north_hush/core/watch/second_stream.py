"""The larger stream of a camera, which is recorded while the smaller one is analysed.

A thread of its own reads it, so that neither waits for the other. Its packets are only decoded where privacy masks have to be laid over
the pictures. Lost, it is opened again with growing pauses; what is analysed goes on meanwhile.
"""

from __future__ import annotations

import queue
import threading
from collections.abc import Callable
from dataclasses import dataclass, replace
from functools import partial

from north_hush.core.grid import Grid
from north_hush.core.site.model import Camera, Stream, View
from north_hush.core.watch.happening import Happening
from north_hush.core.watch.live_file import Seen
from north_hush.core.watch.recorder import Act, Recorder
from north_hush.core.watch.source_kinds import open_source
from north_hush.core.watch.sources import LiveFrame, Opened, SourceLost, now_us, pause_s

LOST = "recorded stream lost"
_HAPPENED_MOST = 100
"""Alarms that are remembered while the stream is away."""
_WAITING_MOST = 250
"""Pictures that wait for whoever records; more are let go, as from a disk that is too slow."""


@dataclass(frozen=True)
class Began:
    """The stream is there, for the first time or again."""

    source: Opened


@dataclass(frozen=True)
class Lost:
    """It is not there, and why."""

    said: str


def recorded_stream(camera: Camera) -> Stream | None:
    """The stream that is recorded, where it is another one than is analysed."""
    return next((held for held in camera.streams if held.use == "record"), None) if len(camera.streams) > 1 else None


def needs_pictures(view: View) -> bool:
    """Whether what is recorded is encoded anew: under privacy masks, or in low quality; packets are enough otherwise."""
    low = view.outcome.keep.how == "low_and_full" or "low and full" in (view.hours.recording or "")
    return bool(view.privacy) or low


class SecondStream:
    """Reads a stream from now on."""

    def __init__(self, camera: Camera, stream: Stream, password: str, speed: float, *, decoded: bool) -> None:
        self._camera, self._stream, self._password, self._speed = camera, stream, password, speed
        self._decoded = decoded
        self._said: queue.Queue[Began | Lost | LiveFrame] = queue.Queue(_WAITING_MOST)
        self._ended = threading.Event()
        self.dropped = 0
        self._thread = threading.Thread(target=self._read, daemon=True)
        self._thread.start()

    def taken(self) -> list[Began | Lost | LiveFrame]:
        """What came since this was last asked, in its order."""
        found = []
        while not self._said.empty():
            found.append(self._said.get())
        return found

    def close(self) -> None:
        """Read no more."""
        self._ended.set()
        self.taken()  # whoever waits for room goes on
        self._thread.join(2)

    def _read(self) -> None:
        tries = 0
        while not self._ended.is_set():
            try:
                source = open_source(
                    self._camera.source, self._stream, self._password, self._speed, decoded=self._decoded
                )
            except SourceLost as error:
                self._say(Lost(str(error)))
            else:
                self._say(Began(source))
                tries = self._follow(source, tries)
                if source.ends:
                    return
            self._ended.wait(pause_s(tries))
            tries += 1

    def _follow(self, source: Opened, tries: int) -> int:
        """Pass its pictures on until it is lost; how many tries count for the next pause."""
        try:
            for frame in source.frames:
                if self._ended.is_set():
                    break
                tries = 0
                try:
                    self._said.put_nowait(frame)
                except queue.Full:
                    self.dropped += 1
        except SourceLost as error:
            self._say(Lost(str(error)))
        finally:
            source.close()
        return tries

    def _say(self, said: Began | Lost) -> None:
        """What must not be let go waits for room."""
        while not self._ended.is_set():
            try:
                self._said.put(said, timeout=0.2)
            except queue.Full:
                continue
            return


class RecordedBeside:
    """A recorder of the second stream, told of what happens in the first one; used as a `Recorder` is.

    Parameters
    ----------
    make : a recorder of an opened stream, under the rules of now
    """

    def __init__(
        self, view: View, password: str, speed: float, grid: Grid, make: Callable[[Opened, Grid], Recorder]
    ) -> None:
        assert view.camera is not None
        stream = recorded_stream(view.camera)
        assert stream is not None
        self._grid, self._make = grid, make
        self._begun = partial(SecondStream, view.camera, stream, password, speed)
        self._decoded = needs_pictures(view)
        self._stream = self._begun(decoded=self._decoded)
        self._source: Opened | None = None
        self._recorder: Recorder | None = None
        self._happened: list[Happening] = []
        self._lost = False

    def frame(self, _: Seen, happened: list[Happening]) -> list[Happening]:
        """What happened with a frame of the first stream; files of the second one that began, ended or failed."""
        self._happened = [*self._happened, *happened][-_HAPPENED_MOST:]
        found = list[Happening]()
        for said in self._stream.taken():
            if isinstance(said, Began):
                self._source = said.source
            elif isinstance(said, Lost):
                found += self._gone(said)
            else:
                found += self._record(said)
        return found

    def _gone(self, said: Lost) -> list[Happening]:
        ended = self._recorder.lost(now_us()) if self._recorder is not None else []
        self._recorder = None
        told = [] if self._lost else [Happening(now_us(), "fault", "", {"fault": LOST, "said": said.said})]
        self._lost = True
        return [*ended, *told]

    def _record(self, frame: LiveFrame) -> list[Happening]:
        back = [Happening(frame.time_us, "mended", "", {"fault": LOST})] if self._lost else []
        self._lost = False
        if self._recorder is None:
            assert self._source is not None
            shown = frame.picture if frame.picture is not None else self._source.template
            grid = replace(self._grid, coded_width=shown.width, coded_height=shown.height)
            self._recorder = self._make(self._source, grid)
        happened, self._happened = self._happened, []
        return [*back, *self._recorder.frame(Seen(frame), happened)]

    def take(self, view: View, at_us: int) -> list[Happening]:
        """Use other rules; see `Recorder.take`. Where they need pictures and there are packets alone, the stream is opened anew."""
        if needs_pictures(view) == self._decoded:
            return self._recorder.take(view, at_us) if self._recorder is not None else []
        ended = self.lost(at_us)
        self._recorder, self._decoded = None, needs_pictures(view)
        self._stream = self._begun(decoded=self._decoded)
        return ended

    def by_hand(self, act: Act) -> None:
        """See `Recorder.by_hand`."""
        if self._recorder is not None:
            self._recorder.by_hand(act)

    def along(self, view: str, at_us: int, frames: int | None) -> None:
        """See `Recorder.along`."""
        if self._recorder is not None:
            self._recorder.along(view, at_us, frames)

    def lost(self, at_us: int) -> list[Happening]:
        """Nobody analyses any more: what is written ends, and the stream is let go."""
        self._stream.close()
        return self._recorder.lost(at_us) if self._recorder is not None else []
