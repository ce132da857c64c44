"""Long work lets what somebody waits for go first: threads share one interpreter lock, and whoever computes holds it."""

from __future__ import annotations

import threading
import time
from collections.abc import Iterator
from contextlib import contextmanager

_LONGEST_S = 0.5
"""Nobody waits for longer at a time: what is urgent may itself wait for something."""
PAINTING_S = 0.25
"""What was worked out is taken over and painted by the window's thread for so long at least."""
_clear = threading.Event()
_clear.set()
_lock = threading.Lock()
_under_way: list[int] = []
"""The threads that work out something urgent."""
_thread = threading.local()
_never = threading.Event()
_painted_by = 0.0


class GivenUpError(Exception):
    """Nobody wants any more what this thread works out."""


def give_way() -> None:
    """Wait while something urgent is worked out, in a thread whose work can wait; else do nothing. Called in long loops.

    Raises
    ------
    GivenUpError : nobody wants it any more, see `wanted_until`.
    """
    if getattr(_thread, "can_wait", False):
        _clear.wait(_LONGEST_S)
        given_up: threading.Event = getattr(_thread, "given_up", _never)
        if given_up.wait(max(0.0, _painted_by - time.monotonic())):
            raise GivenUpError


@contextmanager
def urgent() -> Iterator[None]:
    """While this holds, work that can wait does."""
    with _lock:
        _under_way.append(threading.get_ident())
        _clear.clear()
    try:
        yield
    finally:
        soon_painted()
        with _lock:
            _under_way.remove(threading.get_ident())
            if not _under_way:
                _clear.set()


def soon_painted() -> None:
    """Somebody has turned something, or what came of it is there: the window's thread has something to do."""
    global _painted_by  # noqa: PLW0603 - one number of the process, as the lock that threads share is one
    _painted_by = time.monotonic() + PAINTING_S


@contextmanager
def patient() -> Iterator[None]:
    """What this thread does meanwhile can wait."""
    _thread.can_wait = True
    try:
        yield
    finally:
        _thread.can_wait = False


@contextmanager
def wanted_until(given_up: threading.Event) -> Iterator[None]:
    """What this thread does meanwhile is given up once the event is set, where it gives way."""
    _thread.given_up = given_up
    try:
        yield
    finally:
        _thread.given_up = _never
