"""The process that the window's frame workers are forked from: each recording that is put on has one."""

from __future__ import annotations

import signal
from collections.abc import Sequence

from north_hush.core.footage import frame_worker
from north_hush.core.forking import serve_forks

NAME = "hush-frames"
"""As the system lists the process that decodes for the window."""


def serve() -> int:
    """Fork frame workers until nobody asks for any more; returns the exit code."""
    return serve_forks(NAME, _load, _work)


def _load() -> None:
    """What it decodes with is loaded with its modules; it compiles nothing."""


def _work(given: Sequence[int]) -> int:
    signal.signal(signal.SIGTERM, signal.SIG_DFL)
    return frame_worker.serve(*given)
