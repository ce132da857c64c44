"""A large site in the real window: 30 recordings, 60 zones, some 2,000 alarms. The longest gap in which the window answers nothing.

A timer of 1 ms ticks while an act is done and until everything has come to rest; the longest time between two ticks is reported.
"""

from __future__ import annotations

import shutil
import tempfile
import time
from collections.abc import Callable, Iterator
from pathlib import Path
from typing import Any

import av
from PySide6.QtCore import QElapsedTimer, QEventLoop, QTimer

from bench.core import Row, row
from north_hush.core.footage.index import Footage, index_recording
from north_hush.core.footage.options import EvidenceOptions
from north_hush.core.footage.passes import make_evidence
from north_hush.core.scene.area import area_of
from north_hush.core.site import drawing, edits
from north_hush.core.site.file import SUFFIX
from north_hush.core.site.saving import save_site
from north_hush.demo.site import shipped_recordings

RECORDINGS, COLUMNS, ROWS = 30, 10, 6
_LOUD = {"change_limit_grey": 2.5, "start_percent": 0.5, "clear_percent": 0.5, "confirm_frames": 1, "release_frames": 3}
_QUIET_S, _LIMIT_S = 0.3, 90.0


def large_site(folder: Path) -> Path:
    """A site file beside 30 recordings, each analysed: the demo's, each six times under another title."""
    folder.mkdir(parents=True, exist_ok=True)
    path = folder / f"large{SUFFIX}"
    path.unlink(missing_ok=True)  # an earlier run has left its edits in it
    site = edits.new_site("Large", "Slipway")
    sources = shipped_recordings()
    for number in range(RECORDINGS):
        source = sources[number % len(sources)]
        target = folder / f"{source.stem}-{number:02d}{source.suffix}"
        if not target.exists():
            _copy_titled(source, target, f"copy {number}")
            make_evidence(index_recording(Footage(target)), EvidenceOptions())
        site = edits.add_recording(site, "view-1", target.name)
    for place in range(COLUMNS * ROWS):
        left, top = 0.02 + 0.096 * (place % COLUMNS), 0.05 + 0.15 * (place // COLUMNS)
        box = ((left, top), (left + 0.09, top), (left + 0.09, top + 0.14), (left, top + 0.14))
        site = drawing.add_zone(site, "view-1", box)
        site = edits.set_dials(site, "view-1", site.views[0].zones[-1].id, **_LOUD)
    save_site(site, path)
    return path


def _copy_titled(source: Path, target: Path, title: str) -> None:
    """The same packets in another file, so that its fingerprint is another one."""
    with av.open(str(source)) as reader, av.open(str(target), "w") as writer:
        writer.metadata["title"] = title
        stream = reader.streams.video[0]
        out = writer.add_stream_from_template(stream)
        out.metadata.update(stream.metadata)
        for packet in reader.demux(stream):
            if packet.dts is not None:
                packet.stream = out
                writer.mux(packet)


class Gaps:
    """Does acts in the event loop and tells the longest gap of each."""

    def __init__(self, settled: Callable[[], bool]) -> None:
        self._settled = settled

    def of(self, act: Callable[[], object], least_s: float = 0.0) -> tuple[float, float]:
        """Longest gap in ms from the act until all is at rest, and how many seconds that took."""
        loop, clock, longest, last, calm = QEventLoop(), QElapsedTimer(), 0, 0, 0.0
        began = time.monotonic()
        clock.start()

        def tick() -> None:
            nonlocal longest, last, calm
            now = clock.nsecsElapsed()
            longest, last = max(longest, now - last), now
            if not self._settled():
                calm = time.monotonic()
            passed = time.monotonic() - began
            if (passed > least_s and time.monotonic() - calm > _QUIET_S) or passed > _LIMIT_S:
                loop.quit()

        ticker = QTimer(interval=1)
        ticker.timeout.connect(tick)
        ticker.start()
        QTimer.singleShot(20, act)
        calm = time.monotonic()
        loop.exec()
        ticker.stop()
        return longest / 1e6, time.monotonic() - began - _QUIET_S


def gaps(folder: Path | None = None) -> Iterator[Row]:
    """The longest gap of each act."""
    from north_hush.desk.app import application
    from north_hush.desk.session import Session
    from tests.seen_window import SeenWindow

    application()
    path = large_site(folder or Path(tempfile.mkdtemp()))
    began = time.perf_counter()
    window = SeenWindow(Session(path))
    window.show()
    application().processEvents()
    window.grab()
    yield row("large site: start to a painted window", 1000 * (time.perf_counter() - began), "ms", "")

    def settled() -> bool:
        if not window.isVisible():
            return True  # closed
        evidence = window.deck.evidence
        parts: tuple[Any, ...] = (window.deck, window.comparison, window.scores, window.judge)
        return evidence is not None and evidence.whole and all(part.settled for part in parts)

    gap = Gaps(settled)

    def told(what: str, act: Callable[[], object], least_s: float = 0.0) -> Row:
        longest_ms, took_s = gap.of(act, least_s)
        return row(f"large site: {what} ({took_s:.1f} s to rest)", longest_ms, "ms", "<= 50")

    yield told("until all is worked out", lambda: None)
    deck, session, judge = window.deck, window.session, window.judge
    alarms = sum(len(lane.alarms) for lane in deck.lanes)
    yield row("large site: alarms of the recording that is on", alarms, "", "about 2,000")
    zone = session.view.zones[30].id
    yield told("an item selected", lambda: session.select(zone))
    yield told("a dial step", window.tune.dials["change_limit_grey"].number.stepUp)
    window.comparison.pin_present()
    gap.of(lambda: None)
    yield told("a dial step with a pin", window.tune.dials["change_limit_grey"].number.stepUp)
    window.comparison.unpin()
    session.do("Add tuning", lambda site: edits.add_tuning(site, "view-1", "second", like=session.view.tuning_in_use))
    gap.of(lambda: None)
    yield told("second tuning beside", lambda: window.comparison.show_beside("second"))
    window.comparison.show_beside("")
    gap.of(lambda: None)
    yield told("3 s played", window.picture.transport.toggle, 3.0)
    deck.playhead.pause()
    yield told("theme changed", window.change_theme)
    yield told("theme changed back", window.change_theme)
    yield told("Draw shown", lambda: window.show_stage("draw"))
    yield told("Footage shown", lambda: window.show_stage("footage"))
    yield told("Judge shown, thumbnails arriving", lambda: window.show_stage("judge"), 6.0)
    yield told("one verdict", lambda: judge.judge_alarms("nuisance", judge.alarms.rows[:1]))
    yield told("sheet shown", judge.sheet.show, 4.0)
    yield told("all alarms nuisance", lambda: judge.judge_alarms("nuisance", list(judge.alarms.rows)))
    yield told("that undone", session.undo)
    judge.sheet.close()
    second, first = session.view.recordings[1], session.view.recordings[0]
    yield told("another recording put on", lambda: deck.put_on(second))
    yield told("the first put back on", lambda: deck.put_on(first))
    corner = session.view.zones[0].id
    box = ((0.02, 0.05), (0.12, 0.05), (0.12, 0.2), (0.02, 0.2))

    yield told(
        "a corner moved",
        lambda: session.do("Move", lambda site: drawing.change_item(site, "view-1", corner, area=area_of(box))),
    )
    yield told("closed", window.close)
    if folder is None:
        shutil.rmtree(path.parent)


BENCHMARKS = {"large": gaps}
