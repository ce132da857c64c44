"""The process of one camera, as the service sees it: started again when it dies, told of other settings, listened to."""

from __future__ import annotations

import json
import queue
import subprocess
import sys
import threading
from contextlib import suppress
from dataclasses import dataclass
from pathlib import Path
from typing import Any

from north_hush.core.outcome.passwords import password_of
from north_hush.core.site.edits import only_view
from north_hush.core.site.model import Site, View
from north_hush.core.watch.by_hand import HOURS_COUNT, ByHand
from north_hush.core.watch.sources import now_us

Said = queue.Queue[tuple[str, dict[str, Any]]]
"""What processes say: the view's id, and an event."""


@dataclass(frozen=True)
class Place:
    """What every process of a service is told at its start."""

    folder: Path
    speed: float
    previews: Path


class CameraProcess:
    """Starts with the first settings."""

    def __init__(self, site: Site, view: View, place: Place, out: Said) -> None:
        self.view_id, self._place, self._out = view.id, place, out
        self._process: subprocess.Popen[str] | None = None
        self._site, self._view, self._by_hand = site, view, HOURS_COUNT
        self.done = False
        self.start()

    def start(self) -> None:
        """Start the process, anew where it ended."""
        self._process = subprocess.Popen(
            [sys.executable, "-m", "north_hush", "_watch"],
            stdin=subprocess.PIPE, stdout=subprocess.PIPE, text=True, bufsize=1,
        )  # fmt: skip
        self._say(
            {
                **self._settings(),
                "password": password_of(self._site.name, self._view.name),
                "folder": str(self._place.folder),
                "speed": self._place.speed,
                "preview": str(self._place.previews / f"{self.view_id}.jpg"),
            }
        )
        threading.Thread(target=self._read, args=(self._process,), daemon=True).start()

    def take(self, site: Site, view: View) -> None:
        """Use other settings."""
        self._site, self._view = site, view
        self._say(self._settings())

    def by_hand(self, held: ByHand) -> None:
        """Use what an operator said by hand."""
        self._by_hand = held
        self._say(self._settings())

    def record(self, act: str) -> None:
        """Start or stop a clip, or begin a new file."""
        self._say({"record": act})

    def along(self, view: str, at_us: int, frames: int | None) -> None:
        """Record along with a view from an instant on; or up to it, with the frames that change lasted in there."""
        self._say({"along": view, "at_us": at_us, "frames": frames})

    def contact(self, name: str, at_us: int, *, on: bool) -> None:
        """An input contact went on or off."""
        self._say({"contact": name, "at_us": at_us, "on": on})

    def _settings(self) -> dict[str, Any]:
        """The view with the site's clock; of the other views a camera needs to know nothing."""
        alone = only_view(self._site, self._view).model_copy(update={"secret": None})
        return {
            "site": alone.model_dump(mode="json"),
            "view": alone.views[0].model_dump(mode="json"),
            "by_hand": self._by_hand.told(),
        }

    def _say(self, order: dict[str, Any]) -> None:
        assert self._process is not None and self._process.stdin is not None
        with suppress(OSError, ValueError):  # it is gone, or was closed; the reader tells
            self._process.stdin.write(json.dumps(order) + "\n")
            self._process.stdin.flush()

    def _read(self, process: subprocess.Popen[str]) -> None:
        assert process.stdout is not None
        for line in process.stdout:
            with suppress(ValueError):
                self._out.put((self.view_id, json.loads(line)))
        self._out.put((self.view_id, {"what": "gone", "item": "", "time_us": now_us(), "code": process.wait()}))

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
