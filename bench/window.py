"""What the window must reach: start, and the way from a moved dial to the painted trace."""

from __future__ import annotations

import os
import statistics
import subprocess
import sys
import tempfile
import time
from collections.abc import Callable, Iterator
from itertools import pairwise
from pathlib import Path
from typing import Any

from bench.core import Row, hour, row, seconds
from north_hush.core.detect.dials import DIALS, stepped
from north_hush.core.site import edits

_START = """
import time
from pathlib import Path
from north_hush.demo.site import lay_out_demo
from north_hush.desk.app import application
from north_hush.desk.session import Session
from tests.seen_window import SeenWindow
app = application()
window = SeenWindow(Session(lay_out_demo(Path({folder!r}))))
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


def _window_on_an_hour() -> tuple[Any, Any]:
    """The window on the demo's picture and zones, with an hour of evidence at 15 frames/s in place of its own."""
    from dataclasses import replace

    from north_hush.demo.site import lay_out_demo
    from north_hush.desk.app import application, wait_until
    from north_hush.desk.session import Session
    from tests.seen_window import SeenWindow

    app = application()
    window = SeenWindow(Session(lay_out_demo(Path(tempfile.mkdtemp()))))
    window.show()
    wait_until(lambda: window.deck.evidence is not None and window.deck.evidence.whole and window.deck.settled)
    evidence, deck = hour(), window.deck
    assert deck.index is not None
    times_us = evidence.time_us
    deck.index = replace(deck.index, pts=times_us, time_us=times_us, key=evidence.frames["valid"])
    deck._use(evidence)
    wait_until(lambda: deck.settled)
    return app, window


def painted_dial() -> Iterator[Row]:
    """A moved change limit until trace and alarm list stand painted, on an hour at 15 frames/s."""
    app, window = _window_on_an_hour()
    deck = window.deck
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


def painted_score() -> Iterator[Row]:
    """A moved dial until the score of all four demo recordings stands painted, in the Judge stage."""
    from north_hush.demo.site import lay_out_demo
    from north_hush.desk.app import application, wait_until
    from north_hush.desk.session import Session
    from tests.seen_window import SeenWindow

    app = application()
    window = SeenWindow(Session(lay_out_demo(Path(tempfile.mkdtemp()))))
    window.show()

    def at_rest() -> bool:
        evidence = window.deck.evidence
        return evidence is not None and evidence.whole and window.deck.settled and window.judge.settled

    recordings = window.session.view.recordings
    for recording in (*recordings[1:], recordings[0]):
        window.deck.put_on(recording)
        wait_until(at_rest, 60)
    for tuning in ("factory", "tuned"):
        window.session.use_tuning(tuning)
        window.show_stage("judge")
        wait_until(at_rest, 60)
        taken, traced = [], []
        value = window.session.view.tuning.of("zone-1").change_limit_grey
        painted: list[int] = []
        window.judge.scores.changed.connect(lambda painted=painted: painted.append(1))
        lane = window.trace.lanes[0]
        for number in range(13):
            value = stepped(DIALS[0], value, 1)  # as a turn of the wheel or an arrow key does
            app.processEvents()
            painted.clear()
            began = time.perf_counter()
            window.session.do(
                "Turn", lambda site, value=value: edits.set_dials(site, "view-1", "zone-1", change_limit_grey=value)
            )
            while not painted:
                app.processEvents()
            window.judge.score.grab()
            taken.append(1000 * (time.perf_counter() - began))
            while lane.lane is None or lane.lane.settings.change_limit_grey != value:
                app.processEvents()
            window.trace.grab()
            traced.append(1000 * (time.perf_counter() - began))
            if number == 0:
                taken.clear()
                traced.clear()
            wait_until(at_rest, 60)
        yield row(
            f"dial moved, four demo recordings open, {tuning}: score painted", statistics.median(taken), "ms", "<= 60"
        )
        yield row(f"the same, {tuning}: trace painted as well", statistics.median(traced), "ms", "")
    window.close()


def dragged_corner() -> Iterator[Row]:
    """A corner moved on, until trace and alarm list stand painted, on an hour at 15 frames/s."""
    from north_hush.core.scene.handles import rings, with_ring
    from north_hush.core.site import drawing

    app, window = _window_on_an_hour()
    taken = []
    for number in range(8):
        painted: list[int] = []
        window.deck.lanes_changed.connect(lambda painted=painted: painted.append(1))
        app.processEvents()
        zone = window.session.view.zones[0]
        points = rings(zone)[0].points
        moved = ((points[0][0] + 0.004 * (number + 1), points[0][1]), *points[1:])
        change = with_ring(zone, 0, moved)
        began = time.perf_counter()
        window.session.do(
            "Move corner",
            lambda site, change=change: drawing.change_item(site, "view-1", "zone-1", **change),
            "drag",
        )
        while not painted:
            app.processEvents()
        window.trace.grab()
        window.tune.alarms.grab()
        taken.append(1000 * (time.perf_counter() - began))
    yield row("corner dragged, 1 h: trace and list painted", statistics.median(taken[1:]), "ms", "<= 150")
    window.close()


def crowded_panning() -> Iterator[Row]:
    """200 items of 50 points each while the picture is panned, with every frame painted."""
    import math

    from PySide6.QtCore import QPointF

    from north_hush.core.site import drawing
    from north_hush.demo.site import lay_out_demo
    from north_hush.desk.app import application, wait_until
    from north_hush.desk.session import Session
    from tests.seen_window import SeenWindow

    app = application()
    session = Session(lay_out_demo(Path(tempfile.mkdtemp())))
    site = session.site
    for number in range(200):
        x, y = 0.06 + 0.045 * (number % 20), 0.08 + 0.09 * (number // 20)
        circle = [(2 * math.pi * i / 50, 0.03 + 0.008 * (i % 2)) for i in range(50)]
        points = tuple((x + r * math.cos(a), y + r * math.sin(a)) for a, r in circle)
        add = drawing.add_mask if number % 4 == 3 else drawing.add_zone
        site = add(site, "view-1", points)
    window = SeenWindow(session)
    window.show()
    session.do("Crowd", lambda _: site)
    window.show_stage("draw")
    wait_until(lambda: window.deck.evidence is not None and window.deck.evidence.whole and window.deck.settled, 60)
    canvas = window.picture.canvas
    canvas.zoom_at(QPointF(300, 200), 1.6)
    app.processEvents()
    taken = []
    for number in range(40):
        began = time.perf_counter()
        canvas._move_centre(0.02 * (-1 if number % 20 < 10 else 1), 0.0)
        canvas.repaint()
        taken.append(time.perf_counter() - began)
    yield row("200 items of 50 points: panning", 1 / statistics.median(taken), "frames/s", ">= 30")
    yield row("  the slowest of its frames", 1000 * max(taken), "ms", "")
    canvas.zoom_at(QPointF(300, 200), 1.1)
    yield row("  painted anew, after a zoom", 1000 * seconds(canvas.repaint), "ms", "")
    window.close()


def holds() -> Iterator[Row]:
    """How long ordinary acts keep the window's thread from its event loop, on an hour at 15 frames/s; the least of five."""
    from PySide6.QtCore import QTimer

    app, window = _window_on_an_hour()
    dial = window.tune.dials["change_limit_grey"].number

    def held_ms(act: Callable[[], object]) -> float:
        beats = [time.perf_counter()]
        timer = QTimer(interval=0)
        timer.timeout.connect(lambda: beats.append(time.perf_counter()))
        timer.start()
        QTimer.singleShot(20, act)
        end = time.perf_counter() + 0.5
        while time.perf_counter() < end:
            app.processEvents()
            time.sleep(0.0005)
        timer.stop()
        return 1000 * max(later - earlier for earlier, later in pairwise(beats))

    acts: dict[str, Callable[[], object]] = {
        "a dial is turned": lambda: dial.setValue(2.0 if dial.value() != 2.0 else 5.0),
        "seeking": lambda: window.deck.playhead.seek(window.deck.frame + 1000),
        "the stage changes": lambda: window.show_stage("draw" if window.rail.buttons["tune"].isChecked() else "tune"),
        "undo": window.session.undo,
        "the next alarm": lambda: window.tune.alarms.go_next(1),
        "cells are shown": lambda: window.picture.show_view("cells"),
    }
    for name, act in acts.items():
        yield row(f"the window is held while {name}", min(held_ms(act) for _ in range(5)), "ms", "<= 50")
    window.close()


BENCHMARKS = {
    "start": start,
    "painted": painted_dial,
    "score": painted_score,
    "dragged": dragged_corner,
    "crowded": crowded_panning,
    "holds": holds,
}
