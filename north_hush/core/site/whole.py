"""Writing files whole or not at all: a part beside, synced and renamed. A link where the file should be is replaced, not followed."""

from __future__ import annotations

import os
from contextlib import suppress
from pathlib import Path

PART_SUFFIX = ".part"


def write_whole(path: Path, data: bytes) -> None:
    """Write, sync, rename, sync the folder; a file that is there keeps its mode, and its owner where that is allowed.

    Raises
    ------
    OSError : it cannot be written; what was there is untouched.
    """
    part = path.with_name(f".{path.name}.{os.getpid()}{PART_SUFFIX}")
    flags = os.O_WRONLY | os.O_CREAT | os.O_EXCL | os.O_CLOEXEC | os.O_NOFOLLOW
    with suppress(FileNotFoundError):
        part.unlink()
    fd = os.open(part, flags, 0o666)
    try:
        with os.fdopen(fd, "wb") as file:
            if path.is_file() and not path.is_symlink():
                held = path.stat()
                with suppress(OSError):  # only root may give a file away
                    os.fchown(file.fileno(), held.st_uid, held.st_gid)
                os.fchmod(file.fileno(), held.st_mode & 0o7777)
            file.write(data)
            file.flush()
            os.fsync(file.fileno())
        part.replace(path)
        sync_folder(path.parent)
    except BaseException:
        with suppress(OSError):
            part.unlink(missing_ok=True)
        raise


def sync_folder(folder: Path) -> None:
    """Without this a rename may be undone by a power cut."""
    fd = os.open(folder, os.O_RDONLY | os.O_DIRECTORY)
    try:
        os.fsync(fd)
    finally:
        os.close(fd)
