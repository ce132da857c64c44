"""A process that has loaded what a camera needs, and forks one for each request.

A request on the socket it has for its input is three descriptors: the input of the camera, its output, and where its life is told, the
number of its process in one line and its exit code in another. It ends when the socket is closed; cameras end with their input.

Modules and compiled kernels so lie in memory once, however many cameras there are. The collector is told to leave them alone: what it
looks at it writes to, and what is written is shared no more. No thread runs here, or a fork might find a lock held for ever.
"""

from __future__ import annotations

import gc
import os
import selectors
import signal
import socket
import sys
import traceback
from contextlib import suppress
from pathlib import Path

import av
import numpy as np

from north_hush.core.compiled import spare_linear_algebra
from north_hush.core.detect.settings import ZoneSettings
from north_hush.core.follow.kinds import compile_kinds
from north_hush.core.footage.reduce import compile_reducer
from north_hush.core.grid import Grid
from north_hush.core.site.drawing import add_wire, add_zone
from north_hush.core.site.edits import new_site, put_settings
from north_hush.core.watch import camera_worker
from north_hush.core.watch.eye import Eye
from north_hush.core.watch.sources import LiveFrame

CAMERA = "hush-camera"
"""As the system lists the process of a camera."""
_ENDS = 3
_WIDTH, _HEIGHT, _FRAMES, _SQUARE_PX = 320, 180, 40, 30


def serve() -> int:
    """Fork cameras until nobody asks for any more; returns the exit code."""
    for number in (
        signal.SIGINT,
        signal.SIGTERM,
    ):  # a terminal, or systemd, sends them to all of a service: it ends its cameras itself
        signal.signal(number, signal.SIG_IGN)
    _load()
    lives: dict[int, tuple[int, int]] = {}  # by descriptor of a process: its number, and where its end is told
    with socket.socket(fileno=0) as requests, selectors.DefaultSelector() as selector:
        selector.register(requests, selectors.EVENT_READ)
        while True:
            for key, _ in selector.select():
                if key.fd in lives:
                    selector.unregister(key.fd)
                    _tell_end(key.fd, *lives.pop(key.fd))
                    continue
                said, ends, _, _ = socket.recv_fds(requests, 1, _ENDS)
                if not said:
                    return 0
                try:
                    pid = os.fork() if len(ends) == _ENDS else None
                except OSError:  # no room for another process; whoever asked sees its life end
                    pid = None
                if pid == 0:
                    selector.close()
                    requests.detach()  # its place is taken by the camera's own input
                    for process, (_, life) in lives.items():
                        os.close(process)
                        os.close(life)
                    _be_camera(*ends)
                if pid is not None:
                    process = os.pidfd_open(pid)
                    selector.register(process, selectors.EVENT_READ)
                    lives[process] = pid, ends.pop()
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


def _be_camera(orders: int, told: int, life: int) -> None:
    """Watch a camera, as if this process had been started with these for input and output; never returns."""
    code = 1
    try:
        os.close(life)
        for end, place in ((orders, 0), (told, 1)):
            os.dup2(end, place)
            os.close(end)
        with suppress(OSError):
            Path("/proc/self/comm").write_text(CAMERA, "ascii")
        sys.stdin, sys.stdout = open(0, encoding="utf-8"), open(1, "w", encoding="utf-8")  # noqa: SIM115
        code = camera_worker.serve()
    except BaseException:  # noqa: BLE001 - nothing of it may go on as if it were the process it was forked from
        traceback.print_exc()
    finally:
        with suppress(OSError, ValueError):
            sys.stdout.flush()
        sys.stderr.flush()
        os._exit(code)


def _load() -> None:
    """Have all that a camera calls compiled and loaded; where that fails a camera meets it itself and is told of."""
    spare_linear_algebra()
    try:
        compile_reducer(Grid(32, 16))
        compile_kinds(Grid(32, 16))
        _watch_a_square()
    except Exception:  # noqa: BLE001
        traceback.print_exc()
    gc.collect()
    gc.freeze()


def _watch_a_square() -> None:
    """See a square go through a zone and over a wire."""
    site = add_zone(new_site("Loaded"), "view-1", ((0, 0), (1, 0), (1, 1), (0, 1)), "All")
    site = add_wire(site, "view-1", ((0.5, 0.2), (0.5, 1.0)), watches="both")
    site = put_settings(site, "view-1", "factory", site.views[0].zones[0].id, ZoneSettings(travel_percent=2.0))
    eye: Eye | None = None
    for number in range(_FRAMES):
        pixels = np.full((_HEIGHT * 3 // 2, _WIDTH), 90, np.uint8)
        left = number * (_WIDTH - _SQUARE_PX) // _FRAMES
        pixels[_HEIGHT // 2 : _HEIGHT // 2 + _SQUARE_PX, left : left + _SQUARE_PX] = 200
        frame = LiveFrame(av.VideoFrame.from_ndarray(pixels, "yuv420p"), number * 100_000, number == 0)
        eye = eye or Eye(site.views[0], site.clock, frame)
        eye.look(frame)
