"""An end of a strake dragged over the demo's five recordings: the table painted, then trace, ledger and score."""

from __future__ import annotations

import os
import statistics
import tempfile
import time
from collections.abc import Iterator
from datetime import date
from functools import partial
from pathlib import Path

from bench.core import Row, row
from north_hush.core.hours.week import Week
from north_hush.demo.site import lay_out_demo

_MONDAY = date(2026, 6, 8)
"""Of the week in which the afternoon was taken, a Sunday."""


def dragged() -> Iterator[Row]:
    """Each turn moves the end of Sunday's armed hours by five minutes, through the alarms of the recording that is on."""
    os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")
    from north_hush.core.site import edits
    from north_hush.desk.app import application, wait_until
    from north_hush.desk.session import Session
    from tests.seen_window import SeenWindow

    app = application()
    session = Session(lay_out_demo(Path(tempfile.mkdtemp()), fresh=True))
    session.do("Zone", lambda site: edits.set_time_zone(site, "Atlantic/Faroe"))
    window = SeenWindow(session)
    window.show()
    wait_until(lambda: window.deck.evidence is not None and window.deck.evidence.whole and window.deck.settled, 120)
    wait_until(lambda: window.analysis.settled and window.scores.settled, 300)
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
    window.close()


def _came(came: set[str], what: str, *_: object) -> None:
    came.add(what)


BENCHMARKS = {"strake": dragged}
