"""What was worked out once, kept within one bound for the whole process.

Everything that is remembered (inflated channels, weights, tables, levels, tracks) lies in one least-recently-used cache that
counts the bytes of all it holds. Keys are values: the same key means the same bits, whoever asks.
"""

from __future__ import annotations

import sys
import threading
from collections.abc import Callable, Hashable
from typing import Any, TypeVar

import numpy as np
from cachetools import LRUCache

LIMIT_BYTES = 512 * 1024**2
_OVERHEAD_BYTES = 200
"""Of an entry, for its key and places in the cache."""

_LOOKED_AT = 32
_MAPPED_BYTES = 1024**2
"""Of an array that lies on disk: it costs a place among the open files, of which there are about a thousand."""

T = TypeVar("T")


class Memo:
    """A bounded cache that threads share. What is larger than the whole bound is handed out and not kept."""

    def __init__(self, limit_bytes: int = LIMIT_BYTES) -> None:
        self.limit_bytes = limit_bytes
        self._lock = threading.RLock()
        self._held: LRUCache[Hashable, Any] = LRUCache(limit_bytes, getsizeof=bytes_of)

    def get(self, key: Hashable) -> Any | None:
        """What is kept under a key, None when nothing is; it counts as used."""
        with self._lock:
            return self._held.get(key)

    def put(self, key: Hashable, value: T) -> T:
        """Keep a value, if it fits at all, and return it."""
        with self._lock:
            if bytes_of(value) <= self.limit_bytes:
                self._held[key] = value
        return value

    def made(self, key: Hashable, make: Callable[[], T]) -> T:
        """What is kept under a key, or is made now. Two threads may make the same at once; both get equal values."""
        held: T | None = self.get(key)
        return held if held is not None else self.put(key, make())

    def drop(self, wanted: Callable[[Hashable], bool]) -> None:
        """Let go of the entries whose keys are wanted gone."""
        with self._lock:
            for key in [key for key in self._held if wanted(key)]:
                del self._held[key]

    def clear(self) -> None:
        """Let go of everything."""
        with self._lock:
            self._held.clear()

    def __contains__(self, key: Hashable) -> bool:
        with self._lock:
            return key in self._held

    @property
    def held_bytes(self) -> int:
        """Bytes of all that is kept."""
        with self._lock:
            return int(self._held.currsize)

    @property
    def room_bytes(self) -> int:
        """Bytes that can still be kept without letting anything go."""
        return self.limit_bytes - self.held_bytes


def bytes_of(value: object) -> int:
    """Bytes a value holds: arrays by their size, containers and frozen values by what is in them."""
    return _OVERHEAD_BYTES + _content_bytes(value)


def _content_bytes(value: object) -> int:
    if isinstance(value, np.ndarray):
        return _MAPPED_BYTES if isinstance(value, np.memmap) else int(value.nbytes)
    if isinstance(value, list) and len(value) > _LOOKED_AT and not isinstance(value[0], np.ndarray):
        return len(value) * (_content_bytes(value[:_LOOKED_AT]) // _LOOKED_AT)  # thousands of alarms, all alike
    if isinstance(value, tuple | list):
        return sum(_content_bytes(part) for part in value) + 8 * len(value)
    if hasattr(value, "__dict__"):
        return sum(_content_bytes(part) for part in vars(value).values())
    return sys.getsizeof(value)


SHARED = Memo()
"""The one of the process."""
