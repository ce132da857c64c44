"""The service: a process for each camera, what happens into the store, and messages out. It never writes the site file."""

from __future__ import annotations

import queue
import shutil
import threading
import time
from collections.abc import Iterator, Sequence
from contextlib import suppress
from pathlib import Path
from typing import TYPE_CHECKING, Any

from north_hush.core.errors import HushError, SiteError
from north_hush.core.nursery import Nursery
from north_hush.core.outcome.passwords import password_of
from north_hush.core.outcome.raised import NEVER_BRIEF
from north_hush.core.site.file import load_site
from north_hush.core.site.model import View
from north_hush.core.site.saving import mark_of
from north_hush.core.soap import SoapDevice
from north_hush.core.watch.along import RecordingAlong
from north_hush.core.watch.book import Book, Told
from north_hush.core.watch.camera_events import LOST as EVENTS_LOST
from north_hush.core.watch.camera_events import CameraEvents
from north_hush.core.watch.control import Control, pictures_folder
from north_hush.core.watch.faults import Faults
from north_hush.core.watch.inputs import Change, Inputs
from north_hush.core.watch.messages import Telling
from north_hush.core.watch.orders import Orders, Standing
from north_hush.core.watch.process import CameraProcess, Place, Said
from north_hush.core.watch.sources import now_us
from north_hush.core.watch.store import EventStore, utc_text, watch_folder
from north_hush.core.watch.switching import Switching
from north_hush.core.watch.tidying import Tidying
from north_hush.core.watch.web_users import web_users
from north_hush.core.words import tr

if TYPE_CHECKING:
    from north_hush.core.watch.web import WebPlace, WebView

_LOOK_S = 1.0
"""How often the site file is looked at for other settings."""


class Service:
    """Watches the cameras of a site.

    Raises
    ------
    SiteError : a view is unknown, or none has a camera.
    """

    def __init__(
        self,
        site_path: Path,
        views: Sequence[str] = (),
        speed: float = 1.0,
        *,
        states: bool = False,
        previews: Path | None = None,
        web: WebPlace | None = None,
        inputs: tuple[str, str] = ("", ""),
    ) -> None:
        self._inputs_at, self.inputs = inputs, Inputs()
        self._path, self._states, self._web_place = site_path.resolve(), states, web
        self.web: WebView | None = None
        self._mark, self.site = mark_of(site_path), load_site(site_path)
        self._views = [view.id for view in self._chosen(views)]
        self._folder = watch_folder(self._path)
        self._own_previews = None if previews is not None else pictures_folder(self._path)
        self._place = Place(self._folder, speed, previews or pictures_folder(self._path))
        self._looked = 0.0
        self._standing = Standing(now_us(), {view: {} for view in self._views})
        self._faults = Faults()

    def _chosen(self, views: Sequence[str]) -> list[View]:
        unknown = [name for name in views if not any(name in (view.name, view.id) for view in self.site.views)]
        if unknown:
            known = ", ".join(view.name for view in self.site.views)
            raise SiteError(
                tr("view '{unknown}'", unknown=unknown[0]),
                tr("is none of '{name}'.", name=self.site.name),
                tr("It has {known}.", known=known),
            )
        wanted = set(views)
        chosen = [
            view
            for view in self.site.views
            if view.camera is not None and (not wanted or {view.name, view.id} & wanted)
        ]
        if not chosen:
            raise SiteError(
                str(self._path),
                tr("has no view with a camera."),
                tr('State one: north-hush new SITE --camera "NAME=rtsp://…"'),
            )
        return chosen

    def run(self, seconds: float | None, told: Told, stopped: threading.Event) -> None:
        """Watch for some seconds (None: until it is stopped, or every recording that is played has ended), telling each event once it
        is on the disk.

        Raises
        ------
        SiteError : the store cannot be used, or the site is watched already.
        """
        self._control = Control(self._path)
        try:
            self.inputs = Inputs(*self._inputs_at)
            self._store = EventStore(self._folder / "events.sqlite")
            self.web = self._begun_web()
        except SiteError:
            self._control.close()
            self.inputs.close()
            raise
        with suppress(OSError):  # whoever looks sees no pictures then
            self._place.previews.mkdir(mode=0o700, parents=True, exist_ok=True)
        self._told = told
        web = () if self.web is None else (self.web.tell,)
        self._book = Book(self._store, (told, self._control.tell, *web))
        out: Said = queue.Queue()
        self._out = out
        nursery = Nursery("_cameras")
        self._cameras = {
            view: CameraProcess(self.site, self.site.view(view), self._place, nursery, out) for view in self._views
        }
        self._telling = Telling(self.site, self._store, self._book.note, self._path)
        self._switching = Switching(self.site, self._book.note)
        self._tidying = Tidying(self._path, self._folder, self._store, self._book, self._fault)
        self._orders = Orders(
            self._book, self._telling, self._cameras, self._standing, self.site.name, self._watched, self._sense, self._reload,
            stopped.set,
        )  # fmt: skip
        self._events = [self._events_of(view) for view in self._watched() if view.camera and view.camera.events]
        self._along = RecordingAlong(
            lambda other, view, at_us, _: self._record_along(other, view, at_us, None), self._record_along
        )
        ends = None if seconds is None else time.monotonic() + seconds
        try:
            while not stopped.is_set() and (ends is None or time.monotonic() < ends):
                if all(camera.done for camera in self._cameras.values()):
                    break
                self._follow()
                self._tidying.work(self.site, self._watched())
                with suppress(queue.Empty):
                    self._take(*out.get(timeout=0.2))
                self._control.work(self._orders.answer)
                while not self.inputs.changes.empty():
                    self._sense(self.inputs.changes.get_nowait())
                for view, text in self._faults.due(now_us()):
                    self._telling.fault(self.site.view(view), text, now_us())
                self._telling.work()
                self._switching.work(now_us())
        finally:
            for listening in self._events:
                listening.close()
            for camera in self._cameras.values():
                camera.close()
            nursery.close()
            for view, event in _left(out):
                self._take(view, event)
            self._telling.close()
            self._switching.close()
            self._store.close()
            self._control.close()
            self.inputs.close()
            if self.web is not None:
                self.web.close()
            if self._own_previews is not None:
                shutil.rmtree(self._own_previews, ignore_errors=True)

    def _events_of(self, view: View) -> CameraEvents:
        """Listen to what a camera itself says. Nothing of it is done in the thread that hears it."""
        assert view.camera is not None
        device = SoapDevice(view.camera.events, view.camera.streams[0].user, password_of(self.site.name, view.name))

        def take(change: Change) -> None:
            with suppress(queue.Full):
                self.inputs.changes.put_nowait(change)

        def told(said: str) -> None:
            fault = {"what": "fault", "fault": EVENTS_LOST, "said": said}
            event = fault if said else {"what": "mended", "fault": EVENTS_LOST}
            self._out.put((view.id, {**event, "item": "", "time_us": now_us()}))

        return CameraEvents(view.id, device, take, told)

    def _begun_web(self) -> WebView | None:
        """The page for other computers, where it is wanted."""
        if self._web_place is None:
            return None
        from north_hush.core.watch.web import WebView  # a server of its own: nobody else has to load it

        pictures = {self.site.view(view).name: self._place.previews / f"{view}.jpg" for view in self._views}
        return WebView(self._web_place, web_users(self._folder), self.site.name, pictures)

    # --- what cameras say -------------------------------------------------------------------------------------------

    def _take(self, view_id: str, event: dict[str, Any]) -> None:
        """An event of a camera: kept first, then told."""
        what, item, time_us = event.pop("what"), event.pop("item"), int(event.pop("time_us"))
        view = self.site.view(view_id)
        if what == "gone":
            self._gone(view, time_us, event["code"])
            return
        if what == "state":
            self._state(view, time_us, event)
            return
        facts = {name: value for name, value in event.items() if not name.endswith("_us")}
        frames = int(facts.get("frames", NEVER_BRIEF))
        if frames == NEVER_BRIEF and "frames" in facts:
            del facts["frames"]
        if "start_us" in event:
            facts["start_utc"] = utc_text(int(event["start_us"]))
        with self._book.together():
            self._book.keep(time_us, view, item, what, facts)
            if what == "alarm_start" and not facts.get("walk"):
                self._telling.alarm(view, item, time_us, str(facts.get("picture", "")))
        if what == "clip" and facts.get("file"):
            self._telling.copy(view, Path(str(facts["file"])), self._folder, time_us)
        running = self._standing.running[view_id]
        if what == "alarm_start":
            running[item] = time_us
            self._tidying.quiet.alarm(view_id)
            if not facts.get("walk"):
                self._switching.alarm(view, item, time_us)
                self._along.start(view, item, time_us)
        elif what == "alarm_end":
            running.pop(item, None)
            self._along.over(view, item, time_us, frames)
        elif what == "fault":
            self._faults.fault(view_id, str(facts["fault"]), str(facts.get("said", "")), time_us)
            if facts["fault"] in ("picture lost", "no picture"):
                running.clear()
                self._along.gone(view, time_us)
        elif what == "picture":
            self._faults.mended(view_id)
        elif what == "mended":
            self._faults.mended(view_id, str(facts["fault"]))

    def _gone(self, view: View, time_us: int, code: int) -> None:
        camera = self._cameras[view.id]
        if code == 0:
            camera.done = True
            return
        self._fault(view, "camera process ended", tr("code {code}", code=code), time_us)
        self._standing.running[view.id].clear()
        self._along.gone(view, time_us)
        camera.start()

    def _fault(self, view: View, fault: str, said: str, time_us: int | None = None) -> None:
        """Something is wrong: it is kept, and told when it lasts."""
        at_us = now_us() if time_us is None else time_us
        self._book.keep(at_us, view, "", "fault", {"fault": fault, "said": said})
        self._faults.fault(view.id, fault, said, at_us)

    def _record_along(self, other: str, view: str, at_us: int, frames: int | None) -> None:
        """Have another camera begin, or end, a clip with a view; one that is not watched does not."""
        if other in self._cameras:
            self._cameras[other].along(view, at_us, frames)

    def _state(self, view: View, time_us: int, event: dict[str, Any]) -> None:
        """How a camera is, once a second: nothing of it is kept."""
        self._standing.newest[view.id] = event
        state = {"time_utc": utc_text(time_us), "view": view.name, "item": "", "what": "state", **event}
        self._control.tell(state)
        if self._states:
            self._told(state)

    def _sense(self, change: Change) -> None:
        """A contact went on or off: cameras whose views listen to it are told, and it is kept."""
        for view in self._watched():
            if change.view in ("", view.id) and any(sensor.contact == change.contact for sensor in view.sensors):
                facts = {"contact": change.contact, "on": change.on, "road": change.road}
                self._book.keep(change.at_us, view, "", "input", facts)
                self._cameras[view.id].contact(change.contact, change.at_us, on=change.on)

    def _watched(self) -> list[View]:
        """The views that are watched, as the site says them by now."""
        return [self.site.view(view_id) for view_id in self._views]

    # --- the site -----------------------------------------------------------------------------------------------------

    def _reload(self) -> None:
        """Take other settings up at once."""
        self._looked, self._mark = 0.0, None
        self._follow()

    def _follow(self) -> None:
        """Take other settings up when the site file was written."""
        if time.monotonic() - self._looked < _LOOK_S:
            return
        self._looked = time.monotonic()
        try:
            mark = mark_of(self._path)
            if mark == self._mark:
                return
            site = load_site(self._path)
        except HushError:
            return  # half written, or away: the settings before stay
        before, self._mark, self.site = self.site, mark, site
        self._telling.take(site)
        self._switching.site = site
        for view_id, camera in self._cameras.items():
            if site.view(view_id).id == view_id and site.view(view_id) != before.view(view_id):
                camera.take(site, site.view(view_id))


def _left(out: Said) -> Iterator[tuple[str, dict[str, Any]]]:
    """What was still said; a process that is gone needs no other one any more."""
    while True:
        try:
            view, event = out.get(timeout=0.3)
        except queue.Empty:
            return
        if event["what"] != "gone":
            yield view, event
