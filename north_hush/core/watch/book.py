"""What happened, kept first and then told."""

from __future__ import annotations

import hashlib
import json
from collections.abc import Callable, Iterator, Sequence
from contextlib import contextmanager
from typing import Any

from north_hush.core.site.model import View
from north_hush.core.watch.sources import now_us
from north_hush.core.watch.store import EventStore, utc_text

Told = Callable[[dict[str, Any]], None]


class Book:
    """Writes events into a store, and tells each to whoever listens once it is on the disk."""

    def __init__(self, store: EventStore, listeners: Sequence[Told]) -> None:
        self._store, self._listeners = store, listeners
        self._untold: list[dict[str, Any]] | None = None
        """What is kept and not yet told of; None while everything is told at once."""

    def keep(self, time_us: int, view: View, item: str, what: str, facts: dict[str, Any]) -> None:
        """Write an event, then tell of it."""
        self._store.add(time_us, view.name, item, what, facts, settings_print(view))
        event = {"time_utc": utc_text(time_us), "view": view.name, "item": item, "what": what, **facts}
        if self._untold is None:
            self.tell(event)
        else:
            self._untold.append(event)

    def note(self, view: View, what: str, facts: dict[str, Any]) -> None:
        """The same for something of now that is of no item."""
        self.keep(now_us(), view, "", what, facts)

    @contextmanager
    def together(self) -> Iterator[None]:
        """Keep an alarm and its messages as one, and tell of them once they are on the disk: nobody knows of an alarm whose message a
        kill then swallows."""
        self._untold = untold = list[dict[str, Any]]()
        try:
            with self._store.together():
                yield
        finally:
            self._untold = None
        for event in untold:
            self.tell(event)

    def tell(self, event: dict[str, Any]) -> None:
        """Tell of something; it is kept already, or need not be."""
        for listener in self._listeners:
            listener(event)


def settings_print(view: View) -> str:
    """Which settings were in force, as a short hash."""
    held = json.dumps(
        [view.tuning.model_dump(mode="json"), [item.model_dump(mode="json") for item in view.items]], sort_keys=True
    )
    return hashlib.sha256(held.encode()).hexdigest()[:16]
