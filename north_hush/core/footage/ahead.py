"""Take from a generator in a thread of its own, so that what comes next is made while the last is worked on."""

from __future__ import annotations

import threading
from collections.abc import Generator
from queue import Empty, Full, Queue
from typing import TypeVar

T = TypeVar("T")
_LOOK_S = 0.1
"""How often it is looked whether anybody still waits."""


def ahead(source: Generator[T], most: int) -> Generator[T]:
    """The same items in the same order, up to so many made beforehand; what the source raises is raised here. Closing this closes the
    source, once what it is at is done."""
    made: Queue[tuple[T] | BaseException | None] = Queue(most)
    closed = threading.Event()

    def put(item: tuple[T] | BaseException | None) -> bool:
        while not closed.is_set():
            try:
                made.put(item, timeout=_LOOK_S)
            except Full:
                continue
            return True
        return False

    def run() -> None:
        try:
            for item in source:
                if not put((item,)):
                    return
            put(None)
        except BaseException as error:  # noqa: BLE001 - it is raised where the items are taken
            put(error)
        finally:
            source.close()

    thread = threading.Thread(target=run, name="ahead", daemon=True)
    thread.start()
    try:
        while True:
            try:
                item = made.get(timeout=_LOOK_S)
            except Empty:
                if thread.is_alive():
                    continue
                item = made.get_nowait() if not made.empty() else None
            if item is None:
                return
            if isinstance(item, BaseException):
                raise item
            yield item[0]
    finally:
        closed.set()
        thread.join()
