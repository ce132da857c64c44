"""Where the processes of cameras come from: each is forked from one that has loaded what a camera needs (`nursery_worker`), so that
they share the memory of it, and begin to watch at once.

The library's fork server does much the same, but has each child import the program that started it anew.
"""

from __future__ import annotations

import json
import os
import signal
import socket
import subprocess
import sys
import threading
from collections.abc import Callable
from contextlib import suppress
from queue import SimpleQueue
from typing import Any, TextIO

_ENDS_S = 10.0
_FAILED = 1


class Nursery:
    """Starts with the first camera, and anew where it was killed; cameras that run go on without it."""

    def __init__(self) -> None:
        self._lock = threading.Lock()
        self._process: subprocess.Popen[bytes] | None = None
        self._requests: socket.socket | None = None

    def fork(self, *ends: int) -> None:
        """Ask for a process with these three for its input, its output, and what is told of its life.

        Raises
        ------
        OSError : there is no room for another process.
        """
        with self._lock:
            if self._process is None or self._requests is None or self._process.poll() is not None:
                self._start()
            assert self._requests is not None
            socket.send_fds(self._requests, [b"\n"], ends)

    def _start(self) -> None:
        ours, theirs = socket.socketpair()
        with theirs:
            self._process = subprocess.Popen([sys.executable, "-m", "north_hush", "_nursery"], stdin=theirs.fileno())
        if self._requests is not None:
            self._requests.close()
        self._requests = ours

    def close(self) -> None:
        """Have it end, once no camera is wanted any more."""
        with self._lock:
            if self._requests is not None:
                self._requests.close()
            if self._process is not None:
                try:
                    self._process.wait(_ENDS_S)
                except subprocess.TimeoutExpired:
                    self._process.kill()
                    self._process.wait()
            self._requests = self._process = None


class Child:
    """A camera's process: orders go in as JSON lines, and what it says comes out. Nobody who starts it or tells it anything waits."""

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
        self._pidfd: int | None = None
        self._running = threading.Thread(target=self._run, daemon=True)
        self._running.start()

    def say(self, order: dict[str, Any]) -> None:
        """Hand it an order, behind those before."""
        self._orders.put(order)

    def close(self) -> None:
        """Let it end by itself; it closes its files. It is killed when it does not."""
        self._closing.set()
        self._orders.put(None)
        self._running.join(_ENDS_S)
        if self._running.is_alive() and self._pidfd is not None:
            with suppress(OSError):
                signal.pidfd_send_signal(self._pidfd, signal.SIGKILL)
            self._running.join()

    def _run(self) -> None:
        if not self._closing.wait(self._after_s):
            self._ended(self._watched())

    def _watched(self) -> int:
        """Have it forked, and listen until it ends; its exit code."""
        pipes = os.pipe(), os.pipe(), os.pipe()
        (their_orders, orders), (told, their_told), (life, their_life) = pipes
        try:
            self._nursery.fork(their_orders, their_told, their_life)
        except OSError:
            for end in (orders, told, life):
                os.close(end)
            return _FAILED
        finally:
            for end in (their_orders, their_told, their_life):
                os.close(end)
        writing = threading.Thread(target=self._write, args=(orders,), daemon=True)
        writing.start()
        with os.fdopen(life, encoding="ascii") as of_life:
            pid = of_life.readline()
            with suppress(OSError, ValueError):  # the nursery was killed before it forked, or it has ended by now
                self._pidfd = os.pidfd_open(int(pid))
            with os.fdopen(told, encoding="utf-8") as lines:
                self._listen(lines)
            code = of_life.readline()
        self._orders.put(None)
        writing.join()
        if self._pidfd is not None:
            os.close(self._pidfd)
            self._pidfd = None
        return int(code) if code else _FAILED

    def _listen(self, lines: TextIO) -> None:
        for line in lines:
            with suppress(ValueError):
                self._said(json.loads(line))

    def _write(self, orders: int) -> None:
        with suppress(OSError), os.fdopen(orders, "w", encoding="utf-8") as lines:  # it is gone; who listens tells
            for order in iter(self._orders.get, None):
                lines.write(json.dumps(order) + "\n")
                lines.flush()
