"""A process that has loaded what its children need, and forks one for each request.

A request on the socket it has for its input is three descriptors, the input of the child, its output, and where its life is told, the
number of its process in one line and its exit code in another, others that the child is to have, and whose environment and folder it
takes over. It ends when the socket is closed; children end with their input.

Modules and compiled kernels so lie in memory once, however many children there are. The collector is told to leave them alone: what it
looks at it writes to, and what is written is shared no more. No thread runs here, or a fork might find a lock held for ever.
"""

from __future__ import annotations

import gc
import json
import os
import selectors
import signal
import socket
import sys
import traceback
from collections.abc import Callable, Sequence
from contextlib import suppress
from pathlib import Path

_ENDS, _ENDS_MOST, _REQUEST_BYTES = 3, 8, 1 << 18


def serve_forks(name: str, load: Callable[[], None], work: Callable[[Sequence[int]], int]) -> int:
    """Fork children until nobody asks for any more; returns the exit code.

    Parameters
    ----------
    name : of a child's process, as the system lists it
    load : loads what children need
    work : what a child does, given the descriptors that are its own; returns its exit code
    """
    for number in (
        signal.SIGINT,
        signal.SIGTERM,
    ):  # a terminal, or systemd, sends them to all of a program: it ends its children itself
        signal.signal(number, signal.SIG_IGN)
    load()
    gc.collect()
    gc.freeze()
    lives: dict[int, tuple[int, int]] = {}  # by descriptor of a process: its number, and where its end is told
    with socket.socket(fileno=0) as requests, selectors.DefaultSelector() as selector:
        selector.register(requests, selectors.EVENT_READ)
        while True:
            for key, _ in selector.select():
                if key.fd in lives:
                    selector.unregister(key.fd)
                    _tell_end(key.fd, *lives.pop(key.fd))
                    continue
                said, ends, _, _ = socket.recv_fds(requests, _REQUEST_BYTES, _ENDS_MOST)
                if not said:
                    return 0
                try:
                    pid = os.fork() if len(ends) >= _ENDS else None
                except OSError:  # no room for another process; whoever asked sees its life end
                    pid = None
                if pid == 0:
                    selector.close()
                    requests.detach()  # its place is taken by the child's own input
                    for process, (_, life) in lives.items():
                        os.close(process)
                        os.close(life)
                    _become(name, said, ends, work)
                if pid is not None:
                    process = os.pidfd_open(pid)
                    selector.register(process, selectors.EVENT_READ)
                    lives[process] = pid, ends.pop(_ENDS - 1)
                    _say(lives[process][1], pid)
                for end in ends:
                    os.close(end)


def _tell_end(process: int, pid: int, life: int) -> None:
    _, status = os.waitpid(pid, 0)
    _say(life, os.waitstatus_to_exitcode(status))
    os.close(life)
    os.close(process)


def _say(life: int, number: int) -> None:
    with suppress(OSError):  # whoever asked is gone
        os.write(life, f"{number}\n".encode())


def _become(name: str, said: bytes, ends: list[int], work: Callable[[Sequence[int]], int]) -> None:
    """Work as if this process had been started with these for input and output; never returns."""
    code = 1
    try:
        orders, told, life, *given = ends
        os.close(life)
        for end, place in ((orders, 0), (told, 1)):
            os.dup2(end, place)
            os.close(end)
        of_asker = json.loads(said)
        os.environ.clear()
        os.environ.update(of_asker["environ"])
        if of_asker["folder"] is not None:
            with suppress(OSError):
                os.chdir(of_asker["folder"])
        with suppress(OSError):
            Path("/proc/self/comm").write_text(name, "ascii")
        sys.stdin, sys.stdout = open(0, encoding="utf-8"), open(1, "w", encoding="utf-8")  # noqa: SIM115
        code = work(given)
    except BaseException:  # noqa: BLE001 - nothing of it may go on as if it were the process it was forked from
        traceback.print_exc()
    finally:
        with suppress(OSError, ValueError):
            sys.stdout.flush()
        sys.stderr.flush()
        os._exit(code)
