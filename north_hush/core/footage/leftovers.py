"""Folders that last as long as a process: named after it, and cleared once it is gone, however it went."""

from __future__ import annotations

import os
import re
import shutil
import socket
import tempfile
import time
from contextlib import suppress
from pathlib import Path

SPARE = "north-hush-evidence"
"""Begin of the name of evidence that could not be kept in the cache."""
_OWNED = re.compile(r"@([^@]+)@(\d+)-[^@]*$")
_STALE_S = 24 * 3600
"""What another machine made is cleared when nothing changed in it for so long."""


def owned_folder(name: str, folder: Path, owner: int | None = None) -> Path:
    """Make a folder that belongs to a process, this one unless another is named.

    Raises
    ------
    OSError : it cannot be made.
    """
    return Path(tempfile.mkdtemp(prefix=f"{name}@{_host()}@{owner or os.getpid()}-", dir=folder))


def is_owned(name: str) -> bool:
    """Tell whether a folder belongs to a process."""
    return _OWNED.search(name) is not None


def clear_left_behind(folder: Path) -> None:
    """Remove the folders in `folder` whose process is gone. What cannot be removed stays."""
    with suppress(OSError):
        for path in folder.iterdir():
            found = _OWNED.search(path.name)
            if found is not None and _is_gone(path, found[1], int(found[2])):
                shutil.rmtree(path, ignore_errors=True)


def _is_gone(path: Path, host: str, owner: int) -> bool:
    if host != _host():
        with suppress(OSError):
            return time.time() - path.stat().st_mtime > _STALE_S
        return False
    try:
        os.kill(owner, 0)
    except ProcessLookupError:
        return True
    except (OSError, OverflowError):
        return False
    return False


def _host() -> str:
    return re.sub(r"[^A-Za-z0-9.-]", "-", socket.gethostname()) or "here"
