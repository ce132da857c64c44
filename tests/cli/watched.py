"""A service that runs in a thread of a test, and the site it watches."""

import threading
import time
from datetime import datetime

from north_hush.core.outcome.rules import Keep, Outcome
from north_hush.core.site.file import load_site
from north_hush.core.site.model import replaced
from north_hush.core.site.saving import mark_of, save_site
from north_hush.core.watch.service import Service
from tests.cli.running import run


def new_site(tmp_path, address, *more):
    path = tmp_path / "slip.hush.json"
    run("new", path, "--camera", f"Slipway={address}", "--zone", "All=0,0;1,0;1,1;0,1", *more)
    change(path, outcome=Outcome(keep=Keep(before_s=0.5, after_s=0.5)))
    return path


def change(path, ways=(), **fields):
    known, site = mark_of(path), load_site(path)
    views = (replaced(site.views[0], **fields), *site.views[1:])
    save_site(replaced(site, ways=ways or site.ways, views=views), path, known)


class Watched:
    """A service in a thread, and what it told."""

    def __init__(self, path, seconds=None, **more):
        self.events, self._stopped = [], threading.Event()
        self.service = Service(path, **more)
        self._thread = threading.Thread(target=self.service.run, args=(seconds, self.events.append, self._stopped))
        self._thread.start()

    def until(self, what, count=1, seconds=40):
        ends = time.monotonic() + seconds
        while time.monotonic() < ends:
            found = [event for event in list(self.events) if event["what"] == what]
            if len(found) >= count:
                return found
            time.sleep(0.05)
        raise AssertionError(f"no {what}: {self.events}")

    def stop(self):
        self._stopped.set()
        self._thread.join(40)
        assert not self._thread.is_alive()
        return self.events


def seconds(at, began):
    return (datetime.fromisoformat(at) - datetime.fromisoformat(began)).total_seconds()
