"""Compile the few hot kernels with numba, at their first call rather than at import.

Importing numba takes longer than painting the window, so nothing imports it before a kernel is really needed.
Compiled code is cached on disk, and every kernel has a NumPy twin that the tests hold it to.
"""

from __future__ import annotations

import threading
from collections.abc import Callable
from functools import wraps
from typing import Any, ParamSpec, TypeVar

P = ParamSpec("P")
R = TypeVar("R")

_compiling = threading.Lock()


def compiled(function: Callable[P, R]) -> Callable[P, R]:
    """Return `function`, compiled when it is first called. It releases the interpreter lock while it runs."""
    ready: Callable[..., Any] | None = None

    @wraps(function)
    def call(*args: P.args, **kwargs: P.kwargs) -> R:
        nonlocal ready
        if ready is None:
            with _compiling:
                import numba

                ready = numba.njit(cache=True, nogil=True)(function)
        return ready(*args, **kwargs)

    return call
