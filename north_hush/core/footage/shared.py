"""Pixels from one process to another: a file in memory (memfd) that both map, in slots that are written and read in turn.

Whoever reads makes it, sizes it and seals its size, so that a process which went wrong cannot cut it short under a reader. It is
handed over when the other process starts. A slot is written once it is free, and is free again when the reader said so.
"""

from __future__ import annotations

import fcntl
import mmap
import os
import threading
from contextlib import suppress

import numpy as np
from numpy.typing import NDArray

SLOTS = 2
"""One is read while the next is written."""
_SEALED = fcntl.F_SEAL_SHRINK | fcntl.F_SEAL_GROW | fcntl.F_SEAL_SEAL


class SharedReader:
    """The end that makes the memory and reads."""

    def __init__(self) -> None:
        self.fd = os.memfd_create("north-hush-pixels", os.MFD_CLOEXEC | os.MFD_ALLOW_SEALING)
        self.slot_bytes = 0
        self._held: mmap.mmap | None = None

    def size(self, slot_bytes: int) -> None:
        """Give each slot so many bytes, once and for all.

        Raises
        ------
        OSError : there is not so much memory.
        """
        whole = -slot_bytes // mmap.PAGESIZE * -mmap.PAGESIZE
        os.ftruncate(self.fd, SLOTS * whole)
        fcntl.fcntl(self.fd, fcntl.F_ADD_SEALS, _SEALED)
        self._held = mmap.mmap(self.fd, SLOTS * whole, prot=mmap.PROT_READ)
        self.slot_bytes = whole

    def read(self, slot: int, length: int) -> memoryview:
        """What lies in a slot, until it is written again.

        Raises
        ------
        EOFError : there is no such slot, or not so much in it.
        """
        if self._held is None or not 0 <= slot < SLOTS or not 0 <= length <= self.slot_bytes:
            raise EOFError
        first = slot * self.slot_bytes
        return memoryview(self._held)[first : first + length]

    def close(self) -> None:
        """Let go of it."""
        with suppress(OSError):
            os.close(self.fd)
        self._held = None  # unmapped once nobody looks at it any more


class SharedWriter:
    """The end that writes.

    Raises
    ------
    OSError, ValueError : the memory cannot be mapped.
    """

    def __init__(self, fd: int, slot_bytes: int) -> None:
        self._slot_bytes = slot_bytes
        self._cells = np.frombuffer(mmap.mmap(fd, SLOTS * slot_bytes), np.uint8)
        self._free = set(range(SLOTS))
        self._ended = False
        self._changed = threading.Condition()

    def write(self, *pixels: NDArray[np.uint8]) -> int | None:
        """Write arrays one behind the other into a slot, waiting until one is free; None where they are larger than one, or nobody
        reads any more."""
        if sum(held.nbytes for held in pixels) > self._slot_bytes:
            return None
        with self._changed:
            self._changed.wait_for(lambda: self._free or self._ended)
            if self._ended:
                return None
            slot = self._free.pop()
        at = slot * self._slot_bytes
        for held in pixels:
            self._cells[at : at + held.nbytes].reshape(held.shape)[...] = held
            at += held.nbytes
        return slot

    def end(self) -> None:
        """Nobody reads any more: whoever waits goes on."""
        with self._changed:
            self._ended = True
            self._changed.notify_all()

    def free(self, slot: int) -> None:
        """A slot was read."""
        with self._changed:
            self._free.add(slot)
            self._changed.notify_all()
