"""The service: a process for each camera, what happens into the store, and messages out. It never writes the site file."""

from __future__ import annotations

import hashlib
import json
import queue
import shutil
import threading
import time
from collections.abc import Callable, Iterator, Sequence
from contextlib import contextmanager, suppress
from pathlib import Path
from typing import TYPE_CHECKING, Any

from north_hush.core.errors import HushError, SiteError
from north_hush.core.footage.stamps import US_PER_S
from north_hush.core.outcome.disk import GB
from north_hush.core.outcome.passwords import password_of
from north_hush.core.outcome.raised import NEVER_BRIEF
from north_hush.core.site.file import load_site
from north_hush.core.site.model import View
from north_hush.core.site.saving import mark_of
from north_hush.core.soap import SoapDevice
from north_hush.core.watch.along import RecordingAlong
from north_hush.core.watch.by_hand import HOURS_COUNT, ByHand
from north_hush.core.watch.camera_events import LOST as EVENTS_LOST
from north_hush.core.watch.camera_events import CameraEvents
from north_hush.core.watch.control import Control, Order, pictures_folder
from north_hush.core.watch.faults import Faults
from north_hush.core.watch.inputs import Change, Inputs
from north_hush.core.watch.messages import Telling
from north_hush.core.watch.process import CameraProcess, Place, Said
from north_hush.core.watch.quiet import LOOKED_BACK_US, Quiet
from north_hush.core.watch.retention import footage_of, going, kept_of, limits_of, remove, remove_pictures, reserve_of
from north_hush.core.watch.sources import now_us
from north_hush.core.watch.store import EventStore, utc_text
from north_hush.core.watch.switching import Switching
from north_hush.core.watch.web_users import web_users
from north_hush.core.words import tr

if TYPE_CHECKING:
    from north_hush.core.watch.web import WebPlace, WebView

_TIDY_S = 600.0
"""How often clips are looked at that may have to go."""
_LOOK_S = 1.0
"""How often the site file is looked at for other settings."""
Told = Callable[[dict[str, Any]], None]


def watch_folder(site_path: Path) -> Path:
    """Where the service keeps what it records and writes, beside the site."""
    return site_path.with_name(f"{site_path.name.removesuffix('.json').removesuffix('.hush')}.watch")


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
        self._quiet = Quiet()
        self._looked, self._tidied = 0.0, -_TIDY_S
        self._by_hand: dict[str, ByHand] = {}
        self._running: dict[str, dict[str, int]] = {view: {} for view in self._views}
        """Items whose alarm runs, and since when, by view."""
        self._newest: dict[str, dict[str, Any]] = {}
        self._untold: list[dict[str, Any]] | None = None
        """What is kept and not yet told of; None while everything is told at once."""
        self._faults = Faults()
        self._began_us = now_us()

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
        self._told, self._stopped = told, stopped
        out: Said = queue.Queue()
        self._out = out
        self._cameras = {view: CameraProcess(self.site, self.site.view(view), self._place, out) for view in self._views}
        self._telling = Telling(self.site, self._store, self._note, self._path)
        self._switching = Switching(self.site, self._note)
        self._events = [
            self._events_of(view) for view in map(self.site.view, self._views) if view.camera and view.camera.events
        ]
        self._along = RecordingAlong(
            lambda other, view, at_us, _: self._record_along(other, view, at_us, None), self._record_along
        )
        ends = None if seconds is None else time.monotonic() + seconds
        try:
            while not stopped.is_set() and (ends is None or time.monotonic() < ends):
                if all(camera.done for camera in self._cameras.values()):
                    break
                self._follow()
                self._tidy()
                with suppress(queue.Empty):
                    self._take(*out.get(timeout=0.2))
                self._control.work(self._answer)
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
        with self._together():
            self._keep(time_us, view, item, what, facts)
            if what == "alarm_start" and not facts.get("walk"):
                self._telling.alarm(view, item, time_us, str(facts.get("picture", "")))
        if what == "clip" and facts.get("file"):
            self._telling.copy(view, Path(str(facts["file"])), self._folder, time_us)
        running = self._running[view_id]
        if what == "alarm_start":
            running[item] = time_us
            self._quiet.alarm(view_id)
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
        self._keep(time_us, view, "", "fault", {"fault": "camera process ended", "said": tr("code {code}", code=code)})
        self._faults.fault(view.id, "camera process ended", tr("code {code}", code=code), time_us)
        self._running[view.id].clear()
        self._along.gone(view, time_us)
        camera.start()

    def _record_along(self, other: str, view: str, at_us: int, frames: int | None) -> None:
        """Have another camera begin, or end, a clip with a view; one that is not watched does not."""
        if other in self._cameras:
            self._cameras[other].along(view, at_us, frames)

    def _state(self, view: View, time_us: int, event: dict[str, Any]) -> None:
        """How a camera is, once a second: nothing of it is kept."""
        self._newest[view.id] = event
        state = {"time_utc": utc_text(time_us), "view": view.name, "item": "", "what": "state", **event}
        self._control.tell(state)
        if self._states:
            self._told(state)

    def _keep(self, time_us: int, view: View, item: str, what: str, facts: dict[str, Any]) -> None:
        """Write an event, then tell of it."""
        self._store.add(time_us, view.name, item, what, facts, settings_print(view))
        event = {"time_utc": utc_text(time_us), "view": view.name, "item": item, "what": what, **facts}
        if self._untold is None:
            self._tell(event)
        else:
            self._untold.append(event)

    @contextmanager
    def _together(self) -> Iterator[None]:
        """Keep an alarm and its messages as one, and tell of them once they are on the disk: nobody knows of an alarm whose message a
        kill then swallows."""
        self._untold = untold = list[dict[str, Any]]()
        try:
            with self._store.together():
                yield
        finally:
            self._untold = None
        for event in untold:
            self._tell(event)

    def _tell(self, event: dict[str, Any]) -> None:
        self._told(event)
        self._control.tell(event)
        if self.web is not None:
            self.web.tell(event)

    def _note(self, view: View, what: str, facts: dict[str, Any]) -> None:
        self._keep(now_us(), view, "", what, facts)

    def _sense(self, change: Change) -> None:
        """A contact went on or off: cameras whose views listen to it are told, and it is kept."""
        for view in (self.site.view(view_id) for view_id in self._views):
            if change.view in ("", view.id) and any(sensor.contact == change.contact for sensor in view.sensors):
                facts = {"contact": change.contact, "on": change.on, "road": change.road}
                self._keep(change.at_us, view, "", "input", facts)
                self._cameras[view.id].contact(change.contact, change.at_us, on=change.on)

    # --- what people say --------------------------------------------------------------------------------------------

    def _answer(self, order: Order, who: str) -> dict[str, Any]:
        """Do what is asked for; who asked for what is kept."""
        views = self._of(order.view)
        if order.do == "state":
            return self._standing()
        if order.do == "reload":
            self._looked, self._mark = 0.0, None
            self._follow()
            return {}
        if order.do == "stop":
            self._stopped.set()
            return {}
        for view in views:
            facts: dict[str, Any] = {"who": who, **({"text": order.text} if order.text else {})}
            if order.do == "reply":
                facts["stopped"] = self._telling.answered(view)
            elif order.do == "press":
                self._telling.fault(view, order.text or "by hand", now_us())
            elif order.do == "contact":
                self._sense(Change(order.text, order.act == "start", now_us(), "by hand"))
                continue
            elif order.do == "record":
                facts["act"] = order.act
                self._cameras[view.id].record(order.act)
            else:
                facts.update(self._arm(view, order))
            self._note(view, order.do, facts)
        return {"views": [view.name for view in views]}

    def _of(self, name: str) -> list[View]:
        """The views that an order is about."""
        watched = [self.site.view(view) for view in self._views]
        found = [view for view in watched if not name or name in (view.name, view.id)]
        if not found:
            known = ", ".join(view.name for view in watched)
            raise SiteError(
                tr("view '{name}'", name=name), tr("is not watched."), tr("Watched are {known}.", known=known)
            )
        return found

    def _arm(self, view: View, order: Order) -> dict[str, Any]:
        """Armed, disarmed or a walk test for some minutes; or as the hours say again."""
        until_us = now_us() + round(order.minutes * 60 * US_PER_S)
        held = self._by_hand.get(view.id, HOURS_COUNT)
        if order.do == "walk":
            held = ByHand(held.armed, held.until_us, until_us)
        else:
            held = HOURS_COUNT if order.do == "hours" else ByHand(order.do == "arm", until_us)
        self._by_hand[view.id] = held
        self._cameras[view.id].by_hand(held)
        return {} if order.do == "hours" else {"until_utc": utc_text(until_us)}

    def _standing(self) -> dict[str, Any]:
        rows = []
        for view_id in self._views:
            view, held = self.site.view(view_id), self._by_hand.get(view_id, HOURS_COUNT)
            running = {item: utc_text(at) for item, at in self._running[view_id].items()}
            rows.append(
                {
                    "view": view.name,
                    "running": running,
                    "armed_by_hand": held.armed if now_us() < held.until_us else None,
                    "until_utc": utc_text(held.until_us) if now_us() < held.until_us else None,
                    "walking": held.walking(now_us()),
                    **self._newest.get(view_id, {}),
                }
            )
        return {"site": self.site.name, "since_utc": utc_text(self._began_us), "views": rows}

    # --- now and then -----------------------------------------------------------------------------------------------

    def _listen_for_quiet(self) -> None:
        """Tell of cameras that no alarm came from for unusually long."""
        now = now_us()
        for view in (self.site.view(view_id) for view_id in self._views):
            said = self._quiet.said(view.id, self._store.alarm_starts(view.name, now - LOOKED_BACK_US), now)
            if said:
                self._note(view, "fault", {"fault": "unusually quiet", "said": said})
                self._faults.fault(view.id, "unusually quiet", said, now)

    def _tidy(self) -> None:
        """Let files go that are over their age, their quota or the room there is."""
        if time.monotonic() < self._tidied + _TIDY_S:
            return
        self._tidied = time.monotonic()
        self._listen_for_quiet()
        disk = shutil.disk_usage(self._folder)
        reserve, size = reserve_of(self.site, disk.total), round(self.site.disk.size_gb * GB)
        held = footage_of(self.site, self._path)
        limits = limits_of(self.site, now_us())
        remove_pictures(self._folder, min(limit.oldest_us for limit in limits.values()))
        leaving = going(kept_of(self._store.files(), held), limits, size, disk.free, reserve)
        for file, why in leaving:
            view = next((held for held in self.site.views if held.name == file.view), self.site.views[0])
            if remove(file):
                self._note(view, "clip_gone", {"file": file.file, "why": why})
        if shutil.disk_usage(self._folder).free < reserve:
            view = self.site.view(self._views[0])
            self._note(view, "fault", {"fault": "disk full", "said": "nothing of ours is left to go"})
            self._faults.fault(view.id, "disk full", "nothing of ours is left to go", now_us())

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


def settings_print(view: View) -> str:
    """Which settings were in force, as a short hash."""
    held = json.dumps(
        [view.tuning.model_dump(mode="json"), [item.model_dump(mode="json") for item in view.items]], sort_keys=True
    )
    return hashlib.sha256(held.encode()).hexdigest()[:16]
