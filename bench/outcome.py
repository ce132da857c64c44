"""What outcome and hand-over must reach: replays, curves, cutting, fits."""

from __future__ import annotations

import statistics
import tempfile
import time
from collections.abc import Callable, Iterator
from pathlib import Path

import numpy as np

from bench.core import Row, median_ms, row, seconds
from bench.demo_window import demo_window
from north_hush.core.advise.outcomes import OUTCOME_DIALS, Part, outcome_curve
from north_hush.core.evaluate.recordings import read_recording
from north_hush.core.footage.index import Footage, index_recording
from north_hush.core.handover.account import account_html
from north_hush.core.handover.card import find_card
from north_hush.core.handover.fit import Fitting
from north_hush.core.handover.propose import armed_cases
from north_hush.core.handover.report import Asked
from north_hush.core.outcome.cutting import cut_copy
from north_hush.core.outcome.raised import Raised
from north_hush.core.outcome.replay import always, replay
from north_hush.core.outcome.rules import Keep, Outcome, Tell
from north_hush.core.site.edits import use_tuning
from north_hush.core.site.file import load_site
from north_hush.demo.site import demo_recording, lay_out_demo

WEEK_US = 7 * 86_400 * 1_000_000
RULES = Outcome(keep=Keep(drop_under_frames=3), tell=(Tell(way="office"),))


def alarms(count: int) -> tuple[Raised, ...]:
    """Alarms of a few seconds, spread over a week by chance."""
    chance = np.random.default_rng(1)
    starts = np.sort(chance.integers(0, WEEK_US, count)).tolist()
    lengths = chance.integers(1, 200, count).tolist()
    pairs = zip(starts, lengths, strict=True)
    return tuple(Raised("zone-1", start, start + length * 100_000, length) for start, length in pairs)


def replays() -> Iterator[Row]:
    when = always((0, WEEK_US), ["zone-1"])
    many, usual = alarms(10_000), alarms(2_000)
    yield row("outcome of 10,000 alarms replayed", median_ms(lambda: replay(many, RULES, when)), "ms", "<= 30")
    part = Part(usual, when, None)
    curves = seconds(lambda: [outcome_curve([part], RULES, dial) for dial in OUTCOME_DIALS])
    yield row("curves of all outcome dials over a week of 2,000 alarms", curves, "s", "<= 1")


def cutting() -> Iterator[Row]:
    index = index_recording(Footage(demo_recording("afternoon")))
    with tempfile.TemporaryDirectory() as folder:
        target, last = Path(folder) / "clip.mkv", index.frames - 1
        taken = median_ms(lambda: cut_copy(index, 0, last, target)) / 1000
    yield row("cutting by remux, times real time", index.duration_s / taken, "x", ">= 200")


def handing() -> Iterator[Row]:
    with tempfile.TemporaryDirectory() as folder:
        path = lay_out_demo(Path(folder), fresh=True)
        site = use_tuning(load_site(path), "view-1", "tuned")
        for recording in site.views[0].recordings:
            read_recording(site.views[0], recording, path)
        cases = armed_cases(Asked(site, path), site.views[0])
        for card in ("polygons-4", "cells-22x18-areas-4"):
            came: list[float] = []
            began = time.perf_counter()
            fitting = Fitting(
                site.views[0], cases, find_card(card), first=lambda _, came=came: came.append(time.perf_counter())
            )
            fitting.fit()
            taken = time.perf_counter() - began
            yield row(f"first answer of a fit to {card}", came[0] - began, "s", "<= 3")
            yield row(f"fit of five recordings to {card}", taken, "s", "<= 60")
        yield row(
            "report of a view with five recordings",
            seconds(lambda: account_html(Asked(site, path), "factory")),
            "s",
            "<= 10",
        )


def turned() -> Iterator[Row]:
    """The time after an alarm, turned in the window over the demo's five recordings, until lanes and figures are painted."""
    from north_hush.desk.app import application, wait_until
    from north_hush.desk.outcome.lanes import OutcomeLanes

    with demo_window() as window:
        app = application()
        window.show_stage("outcome")
        panel, replays = window.stages.panel("outcome"), window.stages.panel("outcome")._replays
        wait_until(lambda: replays.costs is not None and replays.settled, 120)
        taken = []
        for turn in range(8):
            came: list[bool] = []
            link = replays.changed.connect(lambda came=came: came.append(True))
            began = time.perf_counter()
            panel.dials["after_s"].turned.emit("after_s", 12.0 + turn, False)
            while not came:
                app.processEvents()
            for widget in (*window.findChildren(OutcomeLanes), panel.cost):
                widget.grab()
            taken.append(1000 * (time.perf_counter() - began))
            replays.changed.disconnect(link)
            wait_until(lambda: replays.settled, 60)
        yield row("outcome dial turned, lanes and figures painted", statistics.median(taken), "ms", "<= 60")


BENCHMARKS: dict[str, Callable[[], Iterator[Row]]] = {
    "outcome": replays,
    "cutting": cutting,
    "handover": handing,
    "turned": turned,
}
