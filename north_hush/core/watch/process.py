"""The process of one camera, as the service sees it: started again when it dies, told of other settings, listened to."""

from __future__ import annotations

import queue
import time
from dataclasses import dataclass
from pathlib import Path
from typing import Any

from north_hush.core.nursery import Nursery
from north_hush.core.outcome.passwords import password_of
from north_hush.core.site.edits import only_view
from north_hush.core.site.model import Site, View
from north_hush.core.watch.by_hand import HOURS_COUNT, ByHand
from north_hush.core.watch.child import Child
from north_hush.core.watch.sources import now_us, pause_s

Said = queue.Queue[tuple[str, dict[str, Any]]]
"""What processes say: the view's id, and an event."""
_RAN_S = 10.0
"""Who ran for so long did not fall at once."""


@dataclass(frozen=True)
class Place:
    """What every process of a service is told at its start."""

    folder: Path
    speed: float
    previews: Path


class CameraProcess:
    """Starts with the first settings."""

    def __init__(self, site: Site, view: View, place: Place, nursery: Nursery, out: Said) -> None:
        self.view_id, self._place, self._nursery, self._out = view.id, place, nursery, out
        self._site, self._view, self._by_hand = site, view, HOURS_COUNT
        self.done, self._tries, self._began_s = False, 0, 0.0
        self.start()

    def start(self) -> None:
        """Start the process, anew where it ended: at once where it had run for a while, else after a pause that grows."""
        now_s = time.monotonic()
        if now_s - self._began_s >= _RAN_S:
            self._tries = 0
        after_s = pause_s(self._tries - 1) if self._tries else 0.0
        self._tries, self._began_s = self._tries + 1, now_s + after_s
        self._child = Child(self._nursery, self._said, self._ended, after_s)
        self._child.say(
            {
                **self._settings(),
                "password": password_of(self._site.name, self._view.name),
                "folder": str(self._place.folder),
                "speed": self._place.speed,
                "preview": str(self._place.previews / f"{self.view_id}.jpg"),
            }
        )

    def take(self, site: Site, view: View) -> None:
        """Use other settings."""
        self._site, self._view = site, view
        self._child.say(self._settings())

    def by_hand(self, held: ByHand) -> None:
        """Use what an operator said by hand."""
        self._by_hand = held
        self._child.say(self._settings())

    def record(self, act: str) -> None:
        """Start or stop a clip, or begin a new file."""
        self._child.say({"record": act})

    def along(self, view: str, at_us: int, frames: int | None) -> None:
        """Record along with a view from an instant on; or up to it, with the frames that change lasted in there."""
        self._child.say({"along": view, "at_us": at_us, "frames": frames})

    def contact(self, name: str, at_us: int, *, on: bool) -> None:
        """An input contact went on or off."""
        self._child.say({"contact": name, "at_us": at_us, "on": on})

    def _settings(self) -> dict[str, Any]:
        """The view with the site's clock; of the other views a camera needs to know nothing."""
        alone = only_view(self._site, self._view).model_copy(update={"secret": None})
        return {
            "site": alone.model_dump(mode="json"),
            "view": alone.views[0].model_dump(mode="json"),
            "by_hand": self._by_hand.told(),
        }

    def _said(self, event: dict[str, Any]) -> None:
        self._out.put((self.view_id, event))

    def _ended(self, code: int) -> None:
        self._out.put((self.view_id, {"what": "gone", "item": "", "time_us": now_us(), "code": code}))

    def close(self) -> None:
        """Let it end by itself, or have it killed."""
        self._child.close()
