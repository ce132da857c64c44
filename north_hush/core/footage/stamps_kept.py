"""Stamps of the packets of recordings, kept in the cache: a day has a million of them, and reading them takes seconds.

Known by the file's path, size and time of change. They are read before anything is decoded; what does not fit is no cache.
"""

from __future__ import annotations

import hashlib
import tempfile
import zipfile
from contextlib import suppress
from dataclasses import dataclass
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from north_hush.core.footage.cache import cache_folder

_VERSION = 1
_FRAMES_LEAST = 1_000
"""What is shorter is read in 20 ms. A reader gives the interpreter away at each packet, and waits for it beside a busy window."""
_MISSING = np.iinfo(np.int64).min
_FOLDER, _KEPT_MOST = "stamps", 1_000


@dataclass(frozen=True, eq=False)
class PacketStamps:
    """Of the packets that hold a shown frame, in file order.

    Attributes
    ----------
    stamps : None where a packet has none
    keys : which begin a group
    resets : where the clock was set back
    shown : all stamps are those of presentation
    """

    stamps: list[int | None]
    keys: list[bool]
    resets: list[int]
    shown: bool


def kept_folder() -> Path:
    """Where they lie."""
    return cache_folder() / _FOLDER


def known_stamps(path: Path) -> PacketStamps | None:
    """What was kept of a recording that is as it was then."""
    try:
        with np.load(_file(path)) as held:
            found: NDArray[np.int64] = held["stamps"]
            stamps: list[int | None] = found.tolist()
            for place in np.flatnonzero(found == _MISSING).tolist():
                stamps[place] = None
            return PacketStamps(stamps, held["keys"].tolist(), held["resets"].tolist(), bool(held["shown"]))
    except (OSError, ValueError, KeyError, EOFError, zipfile.BadZipFile):
        return None


def keep_stamps(path: Path, held: PacketStamps) -> None:
    """Keep those of a recording; where that cannot be, they are read again."""
    if len(held.stamps) < _FRAMES_LEAST:
        return
    stamps = np.array([_MISSING if stamp is None else stamp for stamp in held.stamps], np.int64)
    with suppress(OSError):
        target = _file(path)
        target.parent.mkdir(parents=True, exist_ok=True)
        with tempfile.NamedTemporaryFile(dir=target.parent, suffix=".part", delete=False) as file:
            np.savez(
                file, stamps=stamps, keys=np.array(held.keys), resets=np.array(held.resets, np.int64), shown=held.shown
            )
        Path(file.name).replace(target)
        _trim(target.parent)


def _file(path: Path) -> Path:
    told = path.stat()
    text = f"{_VERSION} {path.resolve()} {told.st_size} {told.st_mtime_ns}"
    return kept_folder() / f"{hashlib.blake2b(text.encode(), digest_size=16).hexdigest()}.npz"


def _trim(folder: Path) -> None:
    """Let the oldest go."""
    files = sorted(folder.glob("*.npz"), key=lambda file: file.stat().st_mtime, reverse=True)
    for file in files[_KEPT_MOST:]:
        file.unlink(missing_ok=True)
