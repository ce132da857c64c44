"""One writer a site file: a lock beside it, held by window and command line alike, by the real path.

The lock is the kernel's (flock), so that it goes with the process that holds it, however that ends. The file says who holds it, for
people; where it was written on another host, over a network drive, nobody here can tell whether that one still runs, and it is
broken only on purpose.
"""

from __future__ import annotations

import errno
import fcntl
import json
import os
import socket
from contextlib import suppress
from pathlib import Path
from typing import Any, Self

from north_hush.core.errors import SiteError
from north_hush.core.words import tr

LOCK_SUFFIX = ".lock"


def lock_path(path: Path) -> Path:
    """Where the lock of a site file lies: beside the file itself, also when that is opened through a link."""
    real = path.resolve()
    return real.with_name(real.name + LOCK_SUFFIX)


class SiteLock:
    """Holds a site file until `release`, or until the process ends.

    Raises
    ------
    SiteError : another process or another host holds it, or the folder cannot be written.
    """

    def __init__(self, path: Path) -> None:
        self._path, self._fd = lock_path(path), -1
        try:
            self._fd = _taken(self._path)
        except OSError as error:
            if error.errno == errno.EWOULDBLOCK:
                process = _holder(self._path).get("process")
                which = tr(" (process {process})", process=process) if process else ""
                raise SiteError(
                    str(path),
                    tr("is open in another window or command{which}.", which=which),
                    tr("Close it there first."),
                ) from error
            raise SiteError(
                str(path), tr("cannot be locked for writing ({strerror}).", strerror=error.strerror),
                tr("Check the folder's permissions, or copy it elsewhere."),
            ) from error  # fmt: skip
        host = str(_holder(self._path).get("host", ""))
        if host and host != socket.gethostname():
            self._close()
            raise SiteError(
                str(path), tr("is open on another computer ({host}), or was when that stopped.", host=host),
                tr("Close it there; if nobody has it open, remove {name} beside it.", name=self._path.name),
            )  # fmt: skip
        self._tell({"process": os.getpid(), "host": socket.gethostname()})

    def release(self) -> None:
        """Let go of the file, and leave nothing behind."""
        if self._fd >= 0:
            with suppress(OSError):
                self._path.unlink(missing_ok=True)
            self._close()

    def __enter__(self) -> Self:
        return self

    def __exit__(self, *_: object) -> None:
        self.release()

    def _tell(self, holder: dict[str, Any]) -> None:
        os.ftruncate(self._fd, 0)
        os.pwrite(self._fd, json.dumps(holder).encode(), 0)

    def _close(self) -> None:
        if self._fd >= 0:
            os.close(self._fd)
            self._fd = -1


def _taken(path: Path) -> int:
    """Open and lock the file; once more where the one who had it took it away meanwhile.

    Raises
    ------
    OSError : EWOULDBLOCK when another process holds it.
    """
    while True:
        fd = os.open(path, os.O_RDWR | os.O_CREAT | os.O_CLOEXEC | os.O_NOFOLLOW, 0o644)
        try:
            fcntl.flock(fd, fcntl.LOCK_EX | fcntl.LOCK_NB)
            there = path.stat(follow_symlinks=False)
        except FileNotFoundError:
            os.close(fd)
            continue
        except OSError:
            os.close(fd)
            raise
        if there.st_ino == os.fstat(fd).st_ino:
            return fd
        os.close(fd)


def _holder(path: Path) -> dict[str, Any]:
    """Who wrote into a lock; nothing for an empty one, or one that says nothing."""
    with suppress(OSError, ValueError, RecursionError):
        held = json.loads(path.read_bytes()[:4096])
        return held if isinstance(held, dict) else {}
    return {}
