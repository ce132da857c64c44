"""The service: a process for each camera, what happens into the store, and messages out. It never writes the site file."""

from __future__ import annotations

import hashlib
import json
import queue
import shutil
import subprocess
import sys
import threading
import time
from collections.abc import Callable, Iterator, Sequence
from contextlib import suppress
from pathlib import Path
from typing import Any

from north_hush.core.errors import HushError, SiteError
from north_hush.core.outcome.disk import GB
from north_hush.core.outcome.passwords import password_of
from north_hush.core.outcome.raised import NEVER_BRIEF
from north_hush.core.site.file import load_site
from north_hush.core.site.model import Site, View
from north_hush.core.site.saving import mark_of
from north_hush.core.watch.messages import Telling
from north_hush.core.watch.retention import footage_of, going, kept_of, limits_of, remove, reserve_of
from north_hush.core.watch.sources import now_us
from north_hush.core.watch.store import EventStore, utc_text

_TIDY_S = 600.0
"""How often clips are looked at that may have to go."""
_LOOK_S = 1.0
"""How often the site file is looked at for other settings."""
Told = Callable[[dict[str, Any]], None]


def watch_folder(site_path: Path) -> Path:
    """Where the service keeps what it records and writes, beside the site."""
    return site_path.with_name(f"{site_path.name.removesuffix('.json').removesuffix('.hush')}.watch")


class _Worker:
    """The process of one camera, started again when it dies."""

    def __init__(
        self,
        site: Site,
        view: View,
        folder: Path,
        speed: float,
        out: queue.Queue[tuple[str, dict[str, Any]]],
        previews: Path | None,
    ) -> None:
        self.view_id, self._folder, self._speed, self._out = view.id, folder, speed, out
        self._preview = "" if previews is None else str(previews / f"{view.id}.jpg")
        self._process: subprocess.Popen[str] | None = None
        self.done = False
        self._start(site, view)

    def _start(self, site: Site, view: View) -> None:
        self._process = subprocess.Popen(
            [sys.executable, "-m", "north_hush", "_watch"],
            stdin=subprocess.PIPE, stdout=subprocess.PIPE, text=True, bufsize=1,
        )  # fmt: skip
        password = password_of(site.name, view.name)
        self._say(
            {
                **_order(site, view),
                "password": password,
                "folder": str(self._folder),
                "speed": self._speed,
                "preview": self._preview,
            }
        )
        threading.Thread(target=self._read, args=(self._process,), daemon=True).start()

    def _read(self, process: subprocess.Popen[str]) -> None:
        assert process.stdout is not None
        for line in process.stdout:
            with suppress(ValueError):
                self._out.put((self.view_id, json.loads(line)))
        self._out.put((self.view_id, {"what": "gone", "item": "", "time_us": now_us(), "code": process.wait()}))

    def _say(self, order: dict[str, Any]) -> None:
        assert self._process is not None and self._process.stdin is not None
        with suppress(OSError):  # it is gone; the reader tells
            self._process.stdin.write(json.dumps(order) + "\n")
            self._process.stdin.flush()

    def take(self, site: Site, view: View) -> None:
        """Use other settings."""
        self._say(_order(site, view))

    def again(self, site: Site, view: View) -> None:
        """Start the process anew."""
        self._start(site, view)

    def close(self) -> None:
        """Let it end by itself; it closes its files. It is killed when it does not."""
        process = self._process
        if process is None or process.stdin is None:
            return
        with suppress(OSError):
            process.stdin.close()
        try:
            process.wait(10)
        except subprocess.TimeoutExpired:
            process.kill()
            process.wait()


def _order(site: Site, view: View) -> dict[str, Any]:
    """The view with the site's clock; of the other views a camera needs to know nothing."""
    alone = site.model_copy(update={"views": (view,), "secret": None})
    return {"site": alone.model_dump(mode="json"), "view": view.model_dump(mode="json")}


class Service:
    """Watches the cameras of a site."""

    def __init__(
        self,
        site_path: Path,
        views: Sequence[str] = (),
        speed: float = 1.0,
        *,
        states: bool = False,
        previews: Path | None = None,
    ) -> None:
        self._path, self._speed = site_path.resolve(), speed
        self._states, self._previews = states, previews
        self._mark, self.site = mark_of(site_path), load_site(site_path)
        chosen = [
            view
            for view in self.site.views
            if view.camera is not None and (not views or {view.name, view.id} & set(views))
        ]
        unknown = [name for name in views if not any({view.name, view.id} & {name} for view in self.site.views)]
        if unknown:
            known = ", ".join(view.name for view in self.site.views)
            raise SiteError(f"view '{unknown[0]}'", f"is none of '{self.site.name}'.", f"It has {known}.")
        if not chosen:
            raise SiteError(
                str(site_path), "has no view with a camera.", 'State one: north-hush new SITE --camera "NAME=rtsp://…"'
            )
        self._views = [view.id for view in chosen]
        self._folder = watch_folder(self._path)
        self._looked = 0.0
        self._tidied = -_TIDY_S

    def run(self, seconds: float | None, told: Told, stopped: threading.Event) -> None:
        """Watch for some seconds (None: until it is stopped, or every recording that is played has ended), telling each event once it
        is on the disk.

        Raises
        ------
        SiteError : the store cannot be used.
        """
        store = EventStore(self._folder / "events.sqlite")
        out: queue.Queue[tuple[str, dict[str, Any]]] = queue.Queue()
        workers = {
            view: _Worker(self.site, self.site.view(view), self._folder, self._speed, out, self._previews)
            for view in self._views
        }
        telling = Telling(self.site, store, self._note(store, told))
        ends = None if seconds is None else time.monotonic() + seconds
        try:
            while not stopped.is_set() and (ends is None or time.monotonic() < ends):
                if all(worker.done for worker in workers.values()):
                    break
                self._follow(workers, telling)
                self._tidy(store, told)
                with suppress(queue.Empty):
                    view, event = out.get(timeout=0.2)
                    self._take(store, workers, telling, view, event, told)
                telling.work()
        finally:
            for worker in workers.values():
                worker.close()
            for view, event in _left(out):
                self._take(store, workers, telling, view, event, told)
            telling.close()
            store.close()

    def _take(
        self,
        store: EventStore,
        workers: dict[str, _Worker],
        telling: Telling,
        view_id: str,
        event: dict[str, Any],
        told: Told,
    ) -> None:
        """An event of a camera: kept first, then told."""
        what, item, time_us = event.pop("what"), event.pop("item"), int(event.pop("time_us"))
        view = self.site.view(view_id)
        if what == "gone":
            worker = workers[view_id]
            if event["code"] == 0:
                worker.done = True
                return
            self._keep(
                store,
                told,
                time_us,
                view,
                "",
                "fault",
                {"fault": "camera process ended", "said": f"code {event['code']}"},
            )
            worker.again(self.site, view)
            return
        if what == "state":
            if self._states:
                told({"time_utc": utc_text(time_us), "view": view.name, "item": "", "what": what, **event})
            return
        facts = {name: value for name, value in event.items() if not name.endswith("_us")}
        if facts.get("frames") == NEVER_BRIEF:
            del facts["frames"]
        if "start_us" in event:
            facts["start_utc"] = utc_text(int(event["start_us"]))
        self._keep(store, told, time_us, view, item, what, facts)
        if what == "alarm_start":
            telling.alarm(view, item, time_us)

    def _keep(
        self,
        store: EventStore,
        told: Told,
        time_us: int,
        view: View,
        item: str,
        what: str,
        facts: dict[str, Any],
    ) -> None:
        store.add(time_us, view.name, item, what, facts, settings_print(view))
        told({"time_utc": utc_text(time_us), "view": view.name, "item": item, "what": what, **facts})

    def _note(self, store: EventStore, told: Told) -> Callable[[View, str, dict[str, Any]], None]:
        return lambda view, what, facts: self._keep(store, told, now_us(), view, "", what, facts)

    def _tidy(self, store: EventStore, told: Told) -> None:
        """Let clips go that are over their age, their quota or the room there is."""
        if time.monotonic() < self._tidied + _TIDY_S:
            return
        self._tidied = time.monotonic()
        disk = shutil.disk_usage(self._folder)
        reserve, size = reserve_of(self.site, disk.total), round(self.site.disk.size_gb * GB)
        held = footage_of(self.site, self._path)
        leaving = going(kept_of(store.files(), held), limits_of(self.site, now_us()), size, disk.free, reserve)
        for clip, why in leaving:
            view = next((held for held in self.site.views if held.name == clip.view), self.site.views[0])
            if remove(clip):
                self._keep(store, told, now_us(), view, "", "clip_gone", {"file": clip.file, "why": why})
        if shutil.disk_usage(self._folder).free < reserve:
            view = self.site.view(self._views[0])
            self._keep(
                store,
                told,
                now_us(),
                view,
                "",
                "fault",
                {"fault": "disk full", "said": "nothing of ours is left to go"},
            )

    def _follow(self, workers: dict[str, _Worker], telling: Telling) -> None:
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
        telling.take(site)
        for view_id, worker in workers.items():
            if site.view(view_id).id == view_id and site.view(view_id) != before.view(view_id):
                worker.take(site, site.view(view_id))


def _left(out: queue.Queue[tuple[str, dict[str, Any]]]) -> Iterator[tuple[str, dict[str, Any]]]:
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
