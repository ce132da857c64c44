"""Output contacts of a live site: on for some seconds from the start of an alarm, by the way of the same name."""

from __future__ import annotations

import queue
import threading
from collections.abc import Callable
from typing import Any

from north_hush.core.errors import HushError
from north_hush.core.footage.stamps import US_PER_S
from north_hush.core.outcome.passwords import password_of
from north_hush.core.outcome.ways import send
from north_hush.core.outcome.ways.message import Message
from north_hush.core.site.model import Site, View

Note = Callable[[View, str, dict[str, Any]], None]


class Switching:
    """Tell it of alarms when they start, and let it work now and then. Orders go out one after the other, in a thread of its own."""

    def __init__(self, site: Site, note: Note) -> None:
        self.site, self._note = site, note
        self._on: dict[str, tuple[View, int]] = {}
        """Contacts that are on: of which view, and until when."""
        self._orders: queue.Queue[tuple[View, str, bool] | None] = queue.Queue()
        self._done: queue.Queue[tuple[View, str, dict[str, Any]]] = queue.Queue()
        self._thread = threading.Thread(target=self._run, daemon=True)
        self._thread.start()

    def alarm(self, view: View, item: str, at_us: int) -> None:
        """An alarm started."""
        for switch in view.outcome.switch:
            if switch.items and item not in switch.items:
                continue
            until_us = at_us + round(switch.hold_s * US_PER_S)
            before = self._on.get(switch.contact)
            self._on[switch.contact] = view, max(until_us, before[1] if before is not None else 0)
            if before is None:
                self._orders.put((view, switch.contact, True))

    def work(self, now_us: int) -> None:
        """Switch off what was on long enough, and note what came of orders."""
        for contact, (view, until_us) in list(self._on.items()):
            if now_us >= until_us:
                del self._on[contact]
                self._orders.put((view, contact, False))
        while not self._done.empty():
            self._note(*self._done.get())

    def close(self) -> None:
        """Switch off what is on."""
        self.work(2**62)
        self._orders.put(None)
        self._thread.join(15)
        self.work(2**62)

    def _run(self) -> None:
        while (order := self._orders.get()) is not None:
            view, contact, on = order
            word = "on" if on else "off"
            facts = {"site": self.site.name, "view": view.name, "contact": contact, "on": on}
            try:
                message = Message(f"{contact}: {word}", f"{view.name}: {word}", facts=facts)
                said = send(self.site.way(contact), message, password_of(self.site.name, contact))
            except HushError as error:
                self._done.put((view, "fault", {"fault": "cannot switch", "contact": contact, "said": str(error)}))
            else:
                self._done.put((view, "contact", {"contact": contact, "on": on, "said": said}))
