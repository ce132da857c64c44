"""A camera's process, forked from the nursery: orders go in as JSON lines, and what it says comes out."""

from __future__ import annotations

import json
import threading
from collections.abc import Callable
from contextlib import suppress
from io import TextIOWrapper
from queue import SimpleQueue
from typing import Any, BinaryIO

from north_hush.core.nursery import ENDS_S, FAILED, Forked, Nursery


class Child:
    """Nobody who starts it or tells it anything waits."""

    def __init__(
        self,
        nursery: Nursery,
        said: Callable[[dict[str, Any]], None],
        ended: Callable[[int], None],
        after_s: float = 0.0,
    ) -> None:
        """Start it after some seconds; `said` is called with each line, and `ended` with the exit code, in a thread of its own."""
        self._nursery, self._said, self._ended, self._after_s = nursery, said, ended, after_s
        self._orders = SimpleQueue[dict[str, Any] | None]()
        self._closing = threading.Event()
        self._process: Forked | None = None
        self._running = threading.Thread(target=self._run, daemon=True)
        self._running.start()

    def say(self, order: dict[str, Any]) -> None:
        """Hand it an order, behind those before."""
        self._orders.put(order)

    def close(self) -> None:
        """Let it end by itself; it closes its files. It is killed when it does not."""
        self._closing.set()
        self._orders.put(None)
        self._running.join(ENDS_S)
        if self._running.is_alive() and self._process is not None:
            self._process.kill()
            self._running.join()

    def _run(self) -> None:
        if not self._closing.wait(self._after_s):
            self._ended(self._watched())

    def _watched(self) -> int:
        """Have it forked, and listen until it ends; its exit code."""
        try:
            self._process = process = Forked(self._nursery)
        except OSError:
            return FAILED
        writing = threading.Thread(target=self._write, args=(process.stdin,), daemon=True)
        writing.start()
        process.await_birth()
        with process.stdout as told:
            self._listen(told)
        code = process.await_end()
        self._orders.put(None)
        writing.join()
        return code

    def _listen(self, told: BinaryIO) -> None:
        for line in told:
            with suppress(ValueError):
                self._said(json.loads(line))

    def _write(self, orders: BinaryIO) -> None:
        with suppress(OSError), TextIOWrapper(orders, "utf-8") as lines:  # it is gone; who listens tells
            for order in iter(self._orders.get, None):
                lines.write(json.dumps(order) + "\n")
                lines.flush()
