"""Arrays worked out from evidence and kept beside it: mapped, not read, so that a day of them costs no memory.

What is kept is named after all it depends on; the folder it lies in is named after the recording and the version of the evidence.
"""

from __future__ import annotations

import hashlib
import os
import tempfile
from contextlib import suppress
from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import NDArray

KEPT_VERSION = 1
"""Raise when a rule changes that something kept was worked out by."""
FOLDER_LIMIT_BYTES = 2 * 1024**3
"""Of what is kept beside one recording; what was used longest ago goes first."""
_NAME = "kept-"


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
        if folder is None or 0 in shape or not self._lay_out(folder, shape, dtype):
            self.array = np.empty(shape, dtype)

    def _lay_out(self, folder: Path, shape: tuple[int, ...], dtype: np.dtype[Any]) -> bool:
        try:
            handle, part = tempfile.mkstemp(prefix=f".{_NAME}", suffix=".tmp", dir=folder)
            self._part = Path(part)
            self.array = np.lib.format.open_memmap(self._part, "w+", dtype, shape)
            with os.fdopen(handle, "r+b") as file:  # a disk that is full says so here, not while the array is filled
                os.posix_fallocate(file.fileno(), 0, self._part.stat().st_size)
        except OSError:
            self.discard()
            return False
        return True

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


def find_kept(
    folder: Path | None, what: str, shape: tuple[int | None, ...], dtype: np.dtype[Any]
) -> NDArray[Any] | None:
    """What is kept under a name, mapped, if it is there, whole, and of this type and shape (None: any length). It may be written
    to, which changes nothing on disk: kernels are compiled for such arrays."""
    if folder is None:
        return None
    path = _path(folder, what)
    try:
        held: NDArray[Any] = np.load(path, mmap_mode="c", allow_pickle=False)
    except (OSError, ValueError, EOFError):
        return None
    if held.dtype != dtype or held.ndim != len(shape):
        return None
    if any(told not in (None, size) for told, size in zip(shape, held.shape, strict=True)):
        return None
    with suppress(OSError):
        os.utime(path)
    return held


def _path(folder: Path, what: str) -> Path:
    digest = hashlib.blake2b(f"{KEPT_VERSION} {what}".encode(), digest_size=12).hexdigest()
    return folder / f"{_NAME}{digest}.npy"


def _trim(folder: Path, latest: Path) -> None:
    """Let the oldest go until the rest is within the limit."""
    with suppress(OSError):
        files = sorted(folder.glob(f"{_NAME}*.npy"), key=lambda path: path.stat().st_mtime, reverse=True)
        total = 0
        for path in files:
            total += path.stat().st_size
            if total > FOLDER_LIMIT_BYTES and path != latest:
                path.unlink(missing_ok=True)
