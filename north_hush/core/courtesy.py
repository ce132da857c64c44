"""Long work lets what somebody waits for go first: threads share one interpreter lock, and whoever computes holds it."""

from __future__ import annotations

import threading
from collections.abc import Iterator
from contextlib import contextmanager

_LONGEST_S = 0.5
"""Nobody waits for longer at a time: what is urgent may itself wait for something."""
_clear = threading.Event()
_clear.set()
_lock = threading.Lock()
_under_way: list[int] = []
"""The threads that work out something urgent."""
_thread = threading.local()


def give_way() -> None:
    """Wait while something urgent is worked out, in a thread whose work can wait; else do nothing. Called in long loops."""
    if getattr(_thread, "can_wait", False):
        _clear.wait(_LONGEST_S)


@contextmanager
def urgent() -> Iterator[None]:
    """While this holds, work that can wait does."""
    with _lock:
        _under_way.append(threading.get_ident())
        _clear.clear()
    try:
        yield
    finally:
        with _lock:
            _under_way.remove(threading.get_ident())
            if not _under_way:
                _clear.set()


@contextmanager
def patient() -> Iterator[None]:
    """What this thread does meanwhile can wait."""
    _thread.can_wait = True
    try:
        yield
    finally:
        _thread.can_wait = False
