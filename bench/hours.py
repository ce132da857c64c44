"""Hours to instants, the tide, and an end of a strake dragged over the demo's five recordings."""

from __future__ import annotations

import statistics
import time
from collections.abc import Iterator
from datetime import UTC, date, datetime, timedelta
from functools import partial
from zoneinfo import ZoneInfo

import numpy as np

from bench.core import Row, median_ms, row
from bench.demo_window import demo_window
from north_hush.core.evaluate.armed import us_of
from north_hush.core.footage.stamps import US_PER_S
from north_hush.core.hours.clock import MONTHS, Clock, hours_spans
from north_hush.core.hours.spans import spans_of
from north_hush.core.hours.tide import Measured, tide_of
from north_hush.core.hours.week import Week

_MONDAY = date(2026, 6, 8)
"""Of the week in which the afternoon was taken, a Sunday."""


def dragged() -> Iterator[Row]:
    """Each turn moves the end of Sunday's armed hours by five minutes, through the alarms of the recording that is on."""
    from north_hush.core.site import edits
    from north_hush.desk.app import application, wait_until

    app = application()
    with demo_window(lambda site: edits.set_time_zone(site, "Atlantic/Faroe")) as window:
        window.show_stage("hours")
        panel = window.stages.panel("hours")
        panel.draft.type("armed", "Su 12:00-16:00")
        panel.draft.monday = _MONDAY
        panel.pin.click()
        wait_until(lambda: panel.settled and window.scores.settled and window.comparison.settled, 60)
        painted, whole = [], []
        for turn in range(8):
            came: set[str] = set()
            links = [
                (signal, signal.connect(partial(_came, came, what)))
                for what, signal in (
                    ("trace", window.deck.lanes_changed), ("ledger", window.comparison.changed), ("score", window.scores.changed),
                )
            ]  # fmt: skip
            week: Week = ((), (), (), (), (), (), ((12 * 60, 16 * 60 + 3 + turn),))
            began = time.perf_counter()
            panel.draft.draw("armed", week, False)
            panel.table.grab()
            painted.append(1000 * (time.perf_counter() - began))
            while not {"trace", "ledger", "score"} <= came:
                app.processEvents()
            window.trace.grab()
            whole.append(1000 * (time.perf_counter() - began))
            for signal, link in links:
                signal.disconnect(link)
            wait_until(lambda: window.scores.settled and window.comparison.settled and panel.settled, 30)
        yield row("end of a strake dragged, table painted", statistics.median(painted), "ms", "<= 60")
        yield row("until trace, ledger and score are there, five recordings", statistics.median(whole), "ms", "<= 120")


def _came(came: set[str], what: str, *_: object) -> None:
    came.add(what)


def texts() -> Iterator[Row]:
    """A week under a text with fifty exceptions, and seven days of 5,000 alarms each laid over the week."""
    days = [date(2026, 1, 5) + timedelta(days=7 * number) for number in range(50)]
    exceptions = "; ".join(f"{day.year} {MONTHS[day.month - 1]} {day.day:02d} 09:00-17:00" for day in days)
    text, clock = f"Mo-Fr 18:00-06:00; Sa,Su; {exceptions}", Clock(zone="Atlantic/Faroe")
    start_us = us_of(datetime(2026, 6, 8, tzinfo=UTC))
    week_us = 7 * 86_400 * US_PER_S
    yield row(
        "a week of hours with 50 exceptions to instants",
        median_ms(lambda: hours_spans(text, clock, start_us, start_us + week_us)),
        "ms",
        "<= 20",
    )
    chance = np.random.default_rng(1)
    parts = []
    for day in range(7):
        begins = start_us + day * week_us // 7 + np.sort(chance.integers(0, week_us // 7, 5_000))
        alarms = np.column_stack([begins, begins + 5 * US_PER_S])
        footage = spans_of([(start_us + day * week_us // 7, start_us + (day + 1) * week_us // 7)])
        parts.append(Measured(footage, alarms, chance.random(5_000) < 0.8, alarms[::500]))
    zone = ZoneInfo("Atlantic/Faroe")
    yield row("the tide of seven days with 5,000 alarms each", median_ms(lambda: tide_of(parts, zone)), "ms", "<= 20")


BENCHMARKS = {"hours": texts, "strake": dragged}
