"""One scheduler for all that the window works out in the background: what is looked at goes first.

Python's threads share one lock: of twenty that work at once each gets a twentieth. So few work at once, each takes the most urgent
of what waits, and while something urgent is worked out the others stand still where they can (`courtesy`).
"""

from __future__ import annotations

import threading
from collections.abc import Callable
from enum import IntEnum
from heapq import heappop, heappush
from itertools import count

from north_hush.core.courtesy import patient, urgent


class Urgency(IntEnum):
    """How soon somebody looks at what comes of it."""

    NOW = 0
    """It follows what was just turned."""
    SOON = 1
    """Somebody asked for it."""
    LATER = 2
    """It takes long, or is there when somebody looks."""


_TAKES = (Urgency.NOW, Urgency.SOON, Urgency.SOON, Urgency.LATER, Urgency.LATER, Urgency.LATER)
"""For each thread the least urgent work it takes, so that nothing waits for a thread that does something less urgent."""


class Scheduler:
    """Runs tasks in a few threads, which start with the first task."""

    def __init__(self) -> None:
        self._changed = threading.Condition()
        self._waiting: list[tuple[Urgency, int, Callable[[], None]]] = []
        self._tickets = count()
        self._started = False

    def put(self, urgency: Urgency, task: Callable[[], None]) -> None:
        """Run a task as soon as nothing more urgent waits; of equally urgent ones the first goes first. It raises nothing."""
        with self._changed:
            if not self._started:
                self._started = True
                for takes in _TAKES:
                    threading.Thread(target=self._run, args=(takes,), name=f"work {takes.name}", daemon=True).start()
            heappush(self._waiting, (urgency, next(self._tickets), task))
            self._changed.notify_all()

    def _run(self, takes: Urgency) -> None:
        while True:
            with self._changed:
                while not self._waiting or self._waiting[0][0] > takes:
                    self._changed.wait()
                urgency, _, task = heappop(self._waiting)
            with urgent() if urgency == Urgency.NOW else patient():
                task()


SCHEDULER = Scheduler()
"""That of the process: all windows share one interpreter lock too."""
