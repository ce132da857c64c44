"""Arrays worked out from evidence and kept beside it: mapped, not read, so that a day of them costs no memory.

What is kept is named after all it depends on; the folder it lies in is named after the recording and the version of the evidence.
"""

from __future__ import annotations

import hashlib
import mmap
import os
import tempfile
import time
from collections.abc import Callable, Iterable, Iterator
from contextlib import suppress
from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import NDArray

KEPT_VERSION = 4
"""Raise when a rule changes that something kept was worked out by."""
FOLDER_LIMIT_BYTES = 4 * 1024**3
"""Of what is kept beside one recording; what was used longest ago goes first. An eventful day has 1 GB of tables of six items, 0.9 GB
of tracks, and 0.3 GB of these one by one: with 2 GB one pushed out the other."""
_NAME = "kept-"
_STALE_S = 24 * 3600
_ROWS_AT_ONCE = 100_000
_READ_BYTES = 64 * 1024
"""What is no larger is read: mapped, it would cost a place among the open files."""


class Keeping:
    """An array that is being worked out. `array` lies on disk where there is a folder that can be written, with space for all of
    it, else in memory.

    Parameters
    ----------
    folder : of the evidence, None where it is not stored
    what : all that the array depends on beside the evidence
    """

    def __init__(self, folder: Path | None, what: str, shape: tuple[int, ...], dtype: np.dtype[Any]) -> None:
        self._folder, self._what = folder, what
        self._part: Path | None = None
        self.array: NDArray[Any] = np.zeros(0, dtype)
        if folder is None or not self._lay_out(folder, shape, dtype):
            self.array = np.empty(shape, dtype)

    def _lay_out(self, folder: Path, shape: tuple[int, ...], dtype: np.dtype[Any]) -> bool:
        try:
            handle, part = tempfile.mkstemp(prefix=f".{_NAME}", suffix=".tmp", dir=folder)
            self._part = Path(part)
            with os.fdopen(handle, "r+b") as file:
                if 0 in shape:  # nothing cannot be mapped
                    self.array = np.empty(shape, dtype)
                    np.save(file, self.array)
                    return True
                self.array = np.lib.format.open_memmap(self._part, "w+", dtype, shape)
                # A disk that is full says so here, not while the array is filled.
                os.posix_fallocate(file.fileno(), 0, self._part.stat().st_size)
        except OSError:
            self.discard()
            return False
        return True

    def let_go(self) -> None:
        """What was filled so far need not stay in memory."""
        _let_go(self.array)

    def finish(self) -> NDArray[Any]:
        """The whole array, mapped from where it is kept from now on."""
        made = self.array
        if self._part is None or self._folder is None:
            return made
        path = _path(self._folder, self._what)
        try:
            if isinstance(made, np.memmap):
                made.flush()
            self._part.replace(path)
        except OSError:
            self.discard()
            return made
        self._part, self.array = None, np.zeros(0, made.dtype)
        _trim(self._folder, path)
        found = find_kept(self._folder, self._what, made.shape, made.dtype)
        return made if found is None else found

    def discard(self) -> None:
        """Keep nothing."""
        if self._part is not None:
            self._part.unlink(missing_ok=True)
            self._part = None


def is_kept(name: str) -> bool:
    """Whether a file of an evidence folder was kept here."""
    return name.startswith(_NAME)


def find_kept(
    folder: Path | None, what: str, shape: tuple[int | None, ...], dtype: np.dtype[Any]
) -> NDArray[Any] | None:
    """What is kept under a name, if it is there, whole, and of this type and shape (None: any length). A large one is mapped; it may be
    written to, which changes nothing on disk: kernels are compiled for such arrays."""
    if folder is None:
        return None
    path = _path(folder, what)
    try:
        small = path.stat().st_size <= _READ_BYTES
        held: NDArray[Any] = np.load(path, mmap_mode=None if small else "c", allow_pickle=False)
    except (OSError, ValueError, EOFError):
        return None
    if held.dtype != dtype or held.ndim != len(shape):
        return None
    if any(told not in (None, size) for told, size in zip(shape, held.shape, strict=True)):
        return None
    with suppress(OSError):
        os.utime(path)
    return held


def keep_rows(
    folder: Path | None, what: str, columns: int, dtype: np.dtype[Any], parts: Callable[[], Iterable[NDArray[Any]]]
) -> NDArray[Any]:
    """Keep an array whose rows come in parts, without ever holding more than one of them in memory where it lies on disk.

    Parameters
    ----------
    parts : begins to make them, (rows, columns) each; asked again where there is no space for them
    """
    if folder is not None:
        with suppress(OSError), tempfile.TemporaryFile(dir=folder) as file:
            for part in parts():
                file.write(np.ascontiguousarray(part, dtype).data)
            rows = file.tell() // (columns * dtype.itemsize)
            keeping = Keeping(folder, what, (rows, columns), dtype)
            file.seek(0)
            for first in range(0, rows, _ROWS_AT_ONCE):
                count = min(_ROWS_AT_ONCE, rows - first)
                held = file.read(count * columns * dtype.itemsize)
                keeping.array[first : first + count] = np.frombuffer(held, dtype).reshape(count, columns)
                keeping.let_go()
            return keeping.finish()
    return np.concatenate([np.zeros((0, columns), dtype), *parts()])


def pieces(array: NDArray[Any]) -> Iterator[NDArray[Any]]:
    """The rows of an array, some after the other. Of a mapped one no more than these stay in memory."""
    for first in range(0, len(array), _ROWS_AT_ONCE):
        yield np.asarray(array[first : first + _ROWS_AT_ONCE])
        _let_go(array)


def _let_go(array: NDArray[Any]) -> None:
    """Let the pages of a mapped array go; they are read again when they are asked for."""
    mapped = getattr(array, "_mmap", None)
    if mapped is not None:
        mapped.madvise(mmap.MADV_DONTNEED)


def _path(folder: Path, what: str) -> Path:
    digest = hashlib.blake2b(f"{KEPT_VERSION} {what}".encode(), digest_size=12).hexdigest()
    return folder / f"{_NAME}{digest}.npy"


def _trim(folder: Path, latest: Path) -> None:
    """Let the oldest go until the rest is within the limit, and what killed processes had begun."""
    with suppress(OSError):
        for left in folder.glob(f".{_NAME}*.tmp"):
            if time.time() - left.stat().st_mtime > _STALE_S:
                left.unlink(missing_ok=True)
        files = sorted(folder.glob(f"{_NAME}*.npy"), key=lambda path: path.stat().st_mtime, reverse=True)
        total = 0
        for path in files:
            total += path.stat().st_size
            if total > FOLDER_LIMIT_BYTES and path != latest:
                path.unlink(missing_ok=True)
