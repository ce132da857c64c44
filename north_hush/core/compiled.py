"""Compile the few hot kernels with numba, at their first call rather than at import.

Importing numba takes longer than painting the window, so nothing imports it before a kernel is really needed.
Compiled code is cached on disk, and every kernel has a NumPy twin that the tests hold it to. A kernel may call another one of
its own module; of other modules the cache would not notice a change.
"""

from __future__ import annotations

import sys
import threading
from collections.abc import Callable
from functools import wraps
from importlib import import_module
from types import FunctionType
from typing import Any, ParamSpec, TypeVar

P = ParamSpec("P")
R = TypeVar("R")

_compiling = threading.RLock()
_SCIPY = "scipy.linalg"


def compiled(function: Callable[P, R]) -> Callable[P, R]:
    """Return `function`, compiled when it is first called. It releases the interpreter lock while it runs."""
    ready: Callable[..., Any] | None = None

    def kernel(*, cache: bool = True) -> Callable[..., Any]:
        nonlocal ready
        with _compiling:
            if ready is None or not cache:
                import numba

                linked = _linked(function)
                try:
                    ready = numba.njit(cache=cache, nogil=True)(linked)
                except RuntimeError:  # no folder can be written that compiled code might be kept in
                    ready = numba.njit(nogil=True)(linked)
        return ready

    @wraps(function)
    def call(*args: P.args, **kwargs: P.kwargs) -> R:
        try:
            result: R = (ready or kernel())(*args, **kwargs)
        except PermissionError:  # a confined process may not write on the disk: it compiles for itself alone
            result = kernel(cache=False)(*args, **kwargs)
        return result

    call.kernel = kernel  # type: ignore[attr-defined]
    return call


def spare_linear_algebra() -> None:
    """Have numba do without the BLAS that it looks for in scipy: no kernel multiplies matrices, and it takes 16 MB of each process.
    To be called before the first kernel, while no other thread imports anything."""
    if _SCIPY in sys.modules:
        return
    sys.modules[_SCIPY] = None  # type: ignore[assignment]
    try:
        import_module("numba.np.arraymath")
    finally:
        del sys.modules[_SCIPY]


def _linked(function: Callable[..., Any]) -> Callable[..., Any]:
    """The function with the kernels it calls in their compiled form."""
    assert isinstance(function, FunctionType)
    named = {name: function.__globals__.get(name) for name in function.__code__.co_names}
    called = {name: held.kernel() for name, held in named.items() if held is not None and hasattr(held, "kernel")}
    if not called:
        return function
    linked = FunctionType(function.__code__, {**function.__globals__, **called}, function.__name__)
    linked.__qualname__, linked.__module__ = function.__qualname__, function.__module__
    return linked
