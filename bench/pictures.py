"""Pictures on their way from the decoder's process into the window's: through shared memory, and through a pipe beside it."""

from __future__ import annotations

import statistics
import time
from collections.abc import Callable, Iterator
from pathlib import Path

from PySide6.QtCore import QCoreApplication

from bench.core import Row, noisy_1080p, row
from north_hush.core.footage.index import Footage
from north_hush.desk.workers.frames import FrameClient

_PICTURES, _PAIRS = 60, 3


def pictures() -> Iterator[Row]:
    """Every picture of a 1080p file, one asked for when the one before is there; both ways in turn."""
    application = QCoreApplication.instance() or QCoreApplication([])
    path = noisy_1080p()
    taken: dict[str, list[tuple[float, float]]] = {"through a pipe": [], "through memory": []}
    for _ in range(_PAIRS):
        for way, held in taken.items():
            held.append(_times(path, application, shared=way == "through memory"))
    for way, held in taken.items():
        passed, busy = (statistics.median(column) for column in zip(*held, strict=True))
        yield row(f"a picture of 1080p asked for and there, {way}", passed, "ms", "<= 30")
        yield row(f"of it the window's process is busy, {way}", busy, "ms", "")


def _times(path: Path, application: QCoreApplication, *, shared: bool) -> tuple[float, float]:
    """Milliseconds a picture takes, and is worked on in this process, once the decoder is warm."""
    client = FrameClient(Footage(path), None)
    if not shared:
        client._share = lambda _: None  # type: ignore[method-assign]
    opened, came = [], []
    client.opened.connect(lambda *_: opened.append(True))
    client.picture.connect(lambda frame, *_: came.append(frame))
    client.start()
    _wait(application, lambda: bool(opened))
    for turn in range(2):
        began, busy = time.perf_counter(), time.process_time()
        for frame in range(_PICTURES):
            before = len(came)
            client.ask(frame, "picture")
            _wait(application, lambda before=before: len(came) > before)
        if turn:
            found = time.perf_counter() - began, time.process_time() - busy
    client.close()
    return found[0] * 1000 / _PICTURES, found[1] * 1000 / _PICTURES


def _wait(application: QCoreApplication, there: Callable[[], bool]) -> None:
    until = time.monotonic() + 60
    while not there():
        assert time.monotonic() < until, "no picture came"
        application.processEvents()
        time.sleep(0.0003)


BENCHMARKS = {"pictures": pictures}
