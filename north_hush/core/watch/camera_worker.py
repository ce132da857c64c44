"""One camera as a process of its own, so that one that hangs or crashes takes no other with it.

The first line of standard input is {"site", "view", "by_hand", "password", "folder", "speed", "preview"}; further ones are {"site",
"view", "by_hand"} with other settings, {"record": "start"}, {"along": VIEW, "at_us", "frames"} or {"contact": NAME, "at_us", "on"};
or the input closes, which ends it. Each line of output is {"time_us",
"what", "item", ...}; once a second one with `what` "state", and then the picture, small and covered by its masks, is written to
`preview`.
"""

from __future__ import annotations

import json
import sys
import threading
from contextlib import suppress
from dataclasses import replace
from pathlib import Path
from typing import Any

import numpy as np
from PIL import Image

from north_hush.core.compiled import spare_linear_algebra
from north_hush.core.footage.covering import covered_frame
from north_hush.core.footage.options import Orientation
from north_hush.core.footage.server import picture_of
from north_hush.core.footage.stamps import US_PER_S
from north_hush.core.grid import Grid
from north_hush.core.scene.privacy import blanked
from north_hush.core.site.model import Site, View
from north_hush.core.watch.by_hand import ByHand
from north_hush.core.watch.eye import Eye, HoursNow
from north_hush.core.watch.happening import Happening
from north_hush.core.watch.live_file import Seen
from north_hush.core.watch.recorder import Recorder
from north_hush.core.watch.retention import PICTURES
from north_hush.core.watch.second_stream import RecordedBeside, recorded_stream
from north_hush.core.watch.source_kinds import open_source
from north_hush.core.watch.sources import LiveFrame, Opened, SourceLost, now_us, pause_s
from north_hush.core.words import tr

_STATE_US = US_PER_S
_PREVIEW_PX = 640


class _Orders:
    """What standard input says, while frames come."""

    def __init__(self) -> None:
        self._lock = threading.Lock()
        self._held: list[dict[str, Any]] = []
        self.ended = threading.Event()
        threading.Thread(target=self._read, daemon=True).start()

    def _read(self) -> None:
        for line in sys.stdin:
            with self._lock:
                self._held.append(json.loads(line))
        self.ended.set()

    def taken(self) -> list[dict[str, Any]]:
        """What was said since it was last asked."""
        with self._lock:
            found, self._held = self._held, []
        return found


def serve() -> int:
    """Watch one camera until standard input closes, or a recording that is played ends; returns the exit code."""
    first = sys.stdin.readline()
    if not first:  # closed before it was told what to watch
        return 0
    spare_linear_algebra()
    camera = _Camera(json.loads(first))
    orders = _Orders()
    tries = 0
    while not orders.ended.is_set():
        try:
            source = camera.open()
        except SourceLost as error:
            _tell(Happening(now_us(), "fault", "", {"fault": "no picture", "said": str(error)}))
            orders.ended.wait(pause_s(tries))
            tries += 1
            continue
        try:
            if camera.watch(source, orders):
                tries = 0
            if source.ends:
                return 0
        finally:
            source.close()
        orders.ended.wait(pause_s(tries))
        tries += 1
    return 0


class _Camera:
    """The view, its settings, and what watches it over outages."""

    def __init__(self, opening: dict[str, Any]) -> None:
        self._password, self._folder, self._speed = (
            opening["password"],
            Path(opening["folder"]),
            float(opening["speed"]),
        )
        self._preview = opening["preview"]
        self._take(opening)
        self._eye: Eye | None = None
        self._lost_us: int | None = None

    def _take(self, order: dict[str, Any]) -> None:
        self.site, self.view = Site.model_validate(order["site"]), View.model_validate(order["view"])
        self._by_hand = ByHand(**order["by_hand"])
        self._kept = HoursNow(
            self.view, self.site.clock, "recording"
        )  # armed by hand or not: what is kept is another matter

    def open(self) -> Opened:
        """Open the stream that is analysed.

        Raises
        ------
        SourceLost : it cannot be reached, or the view has none.
        """
        camera = self.view.camera
        if camera is None:
            raise SourceLost(
                tr("view '{name}'", name=self.view.name),
                tr("has no camera."),
                tr("State one: north-hush new --camera."),
            )
        stream = next((held for held in camera.streams if held.use != "record"), camera.streams[0])
        return open_source(camera.source, stream, self._password, self._speed)

    def watch(self, source: Opened, orders: _Orders) -> bool:
        """Watch until the picture is lost or it is to end; whether there was any picture."""
        recorder: Recorder | RecordedBeside | None = None
        frames, last_us, told_us = 0, 0, 0
        try:
            for frame in source.frames:
                if orders.ended.is_set():
                    break
                sensed: list[Happening] = []
                for order in orders.taken():
                    sensed += self._obey(order, recorder, frame.time_us)
                eye = self._eye_for(frame)
                if recorder is None:
                    recorder = self._recorder(source, eye)
                    self._back(frame.time_us)
                walking = self._by_hand.walking(frame.time_us)
                seen = [*sensed, *eye.look(frame)]
                happened = [self._dressed(one, frame, eye, walking=walking) for one in seen]
                kept = [one for one in happened if not (walking and one.what == "alarm_start")]
                for one in (*happened, *recorder.frame(Seen(frame, eye.reduced, eye.soil()), kept)):
                    _tell(one)
                jump_s = source.clock.jump_s() if source.clock is not None else None
                if jump_s is not None:
                    said = tr("the camera's clock jumped by {jump_s:+.1f} s", jump_s=jump_s)
                    _tell(Happening(frame.time_us, "fault", "", {"fault": "clock jump", "said": said}))
                frames, last_us = frames + 1, frame.time_us
                if last_us - told_us >= _STATE_US:
                    told_us = last_us
                    lag_ms = round((now_us() - last_us) / 1000)
                    self._show(frame, eye)
                    _tell(
                        Happening(
                            last_us, "state", "", {"frames": eye.frames, "lag_ms": lag_ms, "levels": eye.levels()}
                        )
                    )
        except SourceLost as error:
            self._lost_us = last_us or now_us()
            _tell(Happening(self._lost_us, "fault", "", {"fault": "picture lost", "said": str(error)}))
        finally:
            if recorder is not None and self._eye is not None:
                for one in (*self._eye.lost("stopped" if orders.ended.is_set() else "gap"), *recorder.lost(last_us)):
                    _tell(one)
        if source.ends:
            _tell(Happening(last_us, "end", "", {"frames": frames}))
        return frames > 0

    def _obey(self, order: dict[str, Any], recorder: Recorder | RecordedBeside | None, at_us: int) -> list[Happening]:
        """Take other settings, record by hand, or see a contact go on or off; what came of that."""
        if "contact" in order:
            return [] if self._eye is None else self._eye.contact(order["contact"], order["at_us"], on=order["on"])
        if "along" in order:
            if recorder is not None:
                recorder.along(order["along"], order["at_us"], order["frames"])
            return []
        if "record" in order:
            if recorder is not None:
                recorder.by_hand(order["record"])
            return []
        self._take(order)
        if self._eye is not None:
            self._eye.take(self.view, self.site.clock, self._by_hand)
        for one in recorder.take(self.view, at_us) if recorder is not None else ():
            _tell(one)
        return []

    def _dressed(self, one: Happening, frame: LiveFrame, eye: Eye, *, walking: bool) -> Happening:
        """An alarm with a picture of what began it; in a walk test it is said to be one."""
        if walking and one.what in ("alarm_start", "alarm_end"):
            return replace(one, facts={**one.facts, "walk": True})
        if one.what != "alarm_start":
            return one
        path = self._folder / PICTURES / f"{self.view.id}-{one.time_us}-{one.item}.jpg"
        with suppress(OSError):
            path.parent.mkdir(mode=0o700, parents=True, exist_ok=True)
        return replace(one, facts={**one.facts, "picture": str(path)}) if self._write(path, frame, eye) else one

    def _show(self, frame: LiveFrame, eye: Eye) -> None:
        """Write the picture for whoever looks."""
        self._write(Path(self._preview), frame, eye)

    def _write(self, path: Path, frame: LiveFrame, eye: Eye) -> bool:
        """Write a picture, small and covered by its masks; whether it is there."""
        masks = self.view.plan.privacy
        covered = covered_frame(frame.picture, eye.grid, masks)
        pixels = blanked(picture_of(covered, eye.grid, _PREVIEW_PX), masks)
        try:
            part = path.with_name(f"{path.name}.part")
            part.touch(0o600)
            Image.fromarray(np.ascontiguousarray(pixels[:, :, 2::-1])).save(part, "JPEG", quality=80)
            part.replace(path)
        except OSError:
            return False
        return True

    def _eye_for(self, frame: LiveFrame) -> Eye:
        """The eye that watches; another one when the picture has another size."""
        size = frame.picture.width, frame.picture.height
        if self._eye is None or size != (self._eye.grid.coded_width, self._eye.grid.coded_height):
            if self._eye is not None:
                _tell(
                    Happening(frame.time_us, "fault", "", {"fault": "another size", "said": f"{size[0]} x {size[1]}"})
                )
            self._eye = Eye(self.view, self.site.clock, frame, self._orientation())
            self._eye.take(self.view, self.site.clock, self._by_hand)
        return self._eye

    def _orientation(self) -> Orientation | None:
        return next((held.orientation for held in self.view.recordings if held.orientation is not None), None)

    def _recorder(self, source: Opened, eye: Eye) -> Recorder | RecordedBeside:
        """Of what is analysed, or of the stream that is recorded beside it."""

        def kept(item: str, at_us: int) -> bool:
            return self._kept.hold(item, at_us)  # of the hours that are stated by then

        def said(at_us: int) -> str:
            return self._kept.said(at_us)

        if self.view.camera is None or recorded_stream(self.view.camera) is None:
            return Recorder(self.view, source, eye.grid, self._folder, self.site.zone, kept, said)

        def beside(opened: Opened, grid: Grid) -> Recorder:
            return Recorder(self.view, opened, grid, self._folder, self.site.zone, kept, said, seen=False)

        return RecordedBeside(self.view, self._password, self._speed, eye.grid, beside)

    def _back(self, at_us: int) -> None:
        """The picture is there, for the first time or again."""
        if self._lost_us is None:
            _tell(Happening(at_us, "picture", "", {}))
        else:
            _tell(Happening(at_us, "picture", "", {"after_s": round((at_us - self._lost_us) / US_PER_S, 1)}))
        self._lost_us = None


_telling = threading.Lock()


def _tell(one: Happening) -> None:
    with _telling:
        sys.stdout.write(json.dumps({"time_us": one.time_us, "what": one.what, "item": one.item, **one.facts}) + "\n")
        sys.stdout.flush()
