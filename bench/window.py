"""What the window must reach: start, and the way from a moved dial to the painted trace."""

from __future__ import annotations

import os
import statistics
import subprocess
import sys
import tempfile
import time
from collections.abc import Iterator
from pathlib import Path

from bench.core import Row, hour, row

_START = """
import time
from pathlib import Path
from north_hush.demo.site import lay_out_demo
from north_hush.desk.app import application
from north_hush.desk.session import Session
from north_hush.desk.window import Window
app = application()
window = Window(Session(lay_out_demo(Path({folder!r}))))
window.show()
app.processEvents()
window.grab()
print("painted")
window.close()
"""


def start() -> Iterator[Row]:
    folder = tempfile.mkdtemp()
    environment = {**os.environ, "QT_QPA_PLATFORM": "offscreen", "NORTH_HUSH_CACHE": str(Path(folder) / "cache")}
    times = []
    for _ in range(6):
        began = time.perf_counter()
        worker = subprocess.Popen(
            [sys.executable, "-c", _START.format(folder=folder)], stdout=subprocess.PIPE, env=environment
        )
        assert worker.stdout is not None
        worker.stdout.readline()
        times.append(time.perf_counter() - began)
        worker.wait()
    yield row("start to a painted window, warm", statistics.median(times[1:]), "s", "<= 2")


def painted_dial() -> Iterator[Row]:
    """A moved change limit until trace and alarm list stand painted, on an hour at 15 frames/s."""
    from dataclasses import replace

    from north_hush.demo.site import lay_out_demo
    from north_hush.desk.app import application, wait_until
    from north_hush.desk.session import Session
    from north_hush.desk.window import Window

    app = application()
    window = Window(Session(lay_out_demo(Path(tempfile.mkdtemp()))))
    window.show()
    wait_until(lambda: window.deck.evidence is not None and window.deck.evidence.whole and window.deck.settled)
    evidence, deck = hour(), window.deck
    assert deck.index is not None
    times_us = evidence.time_us
    deck.index = replace(deck.index, pts=times_us, time_us=times_us, key=evidence.frames["valid"])
    deck._use(evidence)
    wait_until(lambda: deck.settled)
    taken = []
    for value in (2.5, 3.5, 4.5, 5.5, 6.5, 7.5, 8.5):
        painted: list[int] = []
        deck.lanes_changed.connect(lambda painted=painted: painted.append(1))
        app.processEvents()  # so that no earlier paint counts here
        began = time.perf_counter()
        window.tune.dials["change_limit_grey"].number.setValue(value)
        while not painted:
            app.processEvents()
        window.trace.grab()
        window.tune.alarms.grab()
        taken.append(1000 * (time.perf_counter() - began))
    yield row(
        "dial moved, 1 h, two zones and two wires: trace and list painted", statistics.median(taken), "ms", "<= 60"
    )
    with Path("/proc/self/status").open() as status:
        resident = next(int(line.split()[1]) for line in status if line.startswith("VmRSS"))
    yield row("memory of this process with 1 h open", resident / 1024, "MB", "<= 700")
    window.close()


BENCHMARKS = {"start": start, "painted": painted_dial}
