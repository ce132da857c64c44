"""Now and then: files that have to go, and cameras that no alarm came from for unusually long."""

from __future__ import annotations

import shutil
import time
from collections.abc import Callable
from pathlib import Path

from north_hush.core.outcome.disk import GB
from north_hush.core.site.model import Site, View
from north_hush.core.watch.book import Book
from north_hush.core.watch.quiet import LOOKED_BACK_US, Quiet
from north_hush.core.watch.retention import footage_of, going, kept_of, limits_of, remove, remove_pictures, reserve_of
from north_hush.core.watch.sources import now_us
from north_hush.core.watch.store import EventStore

_EVERY_S = 600.0
Fault = Callable[[View, str, str], None]
"""A view, which fault, and what is said of it."""


class Tidying:
    """Looks every ten minutes; `fault` is told what has to be told."""

    def __init__(self, site_path: Path, folder: Path, store: EventStore, book: Book, fault: Fault) -> None:
        self._path, self._folder, self._store, self._book, self._fault = site_path, folder, store, book, fault
        self._tidied = -_EVERY_S
        self.quiet = Quiet()

    def work(self, site: Site, views: list[View]) -> None:
        """Do what is due."""
        if time.monotonic() < self._tidied + _EVERY_S:
            return
        self._tidied = time.monotonic()
        self._listen(views)
        self._let_go(site, views)

    def _listen(self, views: list[View]) -> None:
        now = now_us()
        for view in views:
            said = self.quiet.said(view.id, self._store.alarm_starts(view.name, now - LOOKED_BACK_US), now)
            if said:
                self._fault(view, "unusually quiet", said)

    def _let_go(self, site: Site, views: list[View]) -> None:
        """Let files go that are over their age, their quota or the room there is."""
        disk = shutil.disk_usage(self._folder)
        reserve, size = reserve_of(site, disk.total), round(site.disk.size_gb * GB)
        limits = limits_of(site, now_us())
        remove_pictures(self._folder, min(limit.oldest_us for limit in limits.values()))
        held = footage_of(site, self._path)
        for file, why in going(kept_of(self._store.files(), held), limits, size, disk.free, reserve):
            view = next((one for one in site.views if one.name == file.view), site.views[0])
            if remove(file):
                self._book.note(view, "clip_gone", {"file": file.file, "why": why})
        if shutil.disk_usage(self._folder).free < reserve:
            self._fault(views[0], "disk full", "nothing of ours is left to go")
