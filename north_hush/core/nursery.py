"""Child processes that are forked from one that has loaded what they need (`forking`): they share the memory of it, and begin at once
instead of importing for half a second.

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
from contextlib import suppress
from pathlib import Path
from typing import Any

ENDS_S = 10.0
FAILED = 1


class Nursery:
    """Starts with the first child, and anew where it was killed; children that run go on without it.

    Parameters
    ----------
    name : what it is started as, see `children`
    """

    def __init__(self, name: str) -> None:
        self._name = name
        self._lock = threading.Lock()
        self._process: subprocess.Popen[bytes] | None = None
        self._requests: socket.socket | None = None

    def start(self) -> None:
        """Have it load before the first child is wanted.

        Raises
        ------
        OSError : there is no room for another process.
        """
        with self._lock:
            self._running()

    def fork(self, *ends: int) -> None:
        """Ask for a process with these three for its input, its output, and what is told of its life, and others to use as it likes; it
        has the environment and the folder of whoever asks.

        Raises
        ------
        OSError : there is no room for another process.
        """
        with self._lock:
            socket.send_fds(self._running(), [json.dumps(_surroundings()).encode()], ends)

    def _running(self) -> socket.socket:
        if self._process is None or self._requests is None or self._process.poll() is not None:
            ours, theirs = socket.socketpair(socket.AF_UNIX, socket.SOCK_SEQPACKET)
            with theirs:
                self._process = subprocess.Popen(
                    [sys.executable, "-m", "north_hush", self._name], stdin=theirs.fileno()
                )
            if self._requests is not None:
                self._requests.close()
            self._requests = ours
        return self._requests

    def close(self) -> None:
        """Have it end, once no child is wanted any more."""
        with self._lock:
            if self._requests is not None:
                self._requests.close()
            if self._process is not None:
                try:
                    self._process.wait(ENDS_S)
                except subprocess.TimeoutExpired:
                    self._process.kill()
                    self._process.wait()
            self._requests = self._process = None


def _surroundings() -> dict[str, Any]:
    held: dict[str, Any] = {"environ": dict(os.environ), "folder": None}
    with suppress(OSError):  # the folder was removed
        held["folder"] = str(Path.cwd())
    return held


class Forked:
    """One of its children. Nobody who asks for it or kills it waits; a thread that listens to it waits for its birth and its end.

    Attributes
    ----------
    stdin, stdout : its input and its output, as bytes
    """

    def __init__(self, nursery: Nursery, *given: int) -> None:
        """Ask for it, with descriptors that it is to have.

        Raises
        ------
        OSError : there is no room for another process.
        """
        pipes = os.pipe(), os.pipe(), os.pipe()
        (their_input, own_input), (own_output, their_output), (own_life, their_life) = pipes
        try:
            nursery.fork(their_input, their_output, their_life, *given)
        except OSError:
            for end in (own_input, own_output, own_life):
                os.close(end)
            raise
        finally:
            for end in (their_input, their_output, their_life):
                os.close(end)
        self.stdin, self.stdout = os.fdopen(own_input, "wb"), os.fdopen(own_output, "rb")
        self._life = os.fdopen(own_life, "rb")
        self._lock = threading.Lock()
        self._doomed = False
        self._pidfd: int | None = None
        self.pid: int | None = None
        """None until it is born, and where it never is."""

    def await_birth(self) -> None:
        """Wait until it is there, or it is clear that it never will be: the nursery was killed before it forked."""
        told = self._life.readline()
        with self._lock, suppress(OSError, ValueError):  # it has ended by now
            self.pid = int(told)
            self._pidfd = os.pidfd_open(self.pid)
            if self._doomed:
                signal.pidfd_send_signal(self._pidfd, signal.SIGKILL)

    def kill(self) -> None:
        """Kill it, now or as soon as it is there."""
        with self._lock:
            self._doomed = True
            if self._pidfd is not None:
                with suppress(OSError):
                    signal.pidfd_send_signal(self._pidfd, signal.SIGKILL)

    def await_end(self) -> int:
        """Wait until it has ended; its exit code, negative the signal that ended it."""
        code = self._life.readline()
        self._life.close()
        with self._lock:
            if self._pidfd is not None:
                os.close(self._pidfd)
                self._pidfd = None
        return int(code) if code else FAILED
