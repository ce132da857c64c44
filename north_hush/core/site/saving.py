"""Saving a site file: whole or not at all, also when the power goes, with the versions before kept beside it.

A save writes a part beside the file, syncs it, renames it over the file and syncs the folder: an acknowledged save is on the disk.
Three versions before are kept, each written the same way: that before the last save, one that is an hour old or more, and one of a
day. A damaged file is never taken for a version; it is set aside.
"""

from __future__ import annotations

import json
import os
import time
from collections.abc import Iterator
from contextlib import contextmanager, suppress
from dataclasses import dataclass
from pathlib import Path

from north_hush.core.errors import SiteError
from north_hush.core.site.lock import SiteLock
from north_hush.core.site.model import FORMAT, Site
from north_hush.core.site.whole import PART_SUFFIX, write_whole
from north_hush.core.words import tr

BACKUP_SUFFIX = ".before"
_GENERATIONS_S = {BACKUP_SUFFIX: 0, ".hour-before": 3600, ".day-before": 24 * 3600}
"""Kept beside the file, and how old each has to be before it is replaced."""
_DAMAGED_SUFFIX = ".damaged"


@dataclass(frozen=True)
class Mark:
    """What a site file was when it was read or written last: another one means that somebody else wrote it."""

    inode: int
    size: int
    changed_ns: int


class SiteChangedError(SiteError):
    """The file on the disk is not the one that was read."""


def mark_of(path: Path) -> Mark | None:
    """The mark of a file; None where there is none."""
    try:
        held = path.stat()
    except OSError:
        return None
    return Mark(held.st_ino, held.st_size, held.st_mtime_ns)


def backup_of(path: Path) -> Path:
    """Where the version before the last save is kept."""
    real = path.resolve()
    return real.with_name(real.name + BACKUP_SUFFIX)


@contextmanager
def held_site(path: Path) -> Iterator[None]:
    """Hold a site file against windows and other commands while it is read, changed and saved.

    Raises
    ------
    SiteError : somebody else has it.
    """
    with SiteLock(path):
        yield


def save_site(site: Site, path: Path, known: Mark | None = None) -> Mark | None:
    """Write a site file, through a link to what it points to, with the mode and owner it has.

    Parameters
    ----------
    known : what the file was when it was read; None writes over whatever is there

    Raises
    ------
    SiteChangedError : another program has written it since; nothing is written.
    SiteError : it cannot be written.
    """
    real = path.resolve()
    if known is not None and (now := mark_of(real)) is not None and now != known:
        raise SiteChangedError(
            str(path), tr("was changed by another program since it was read here."),
            tr("Keep this version (what is there stays beside it), or open the file again."),
        )  # fmt: skip
    try:
        _clear_parts(real)
        _keep_versions(real)
        write_whole(real, (site.model_dump_json(indent=1) + "\n").encode())
    except OSError as error:
        raise SiteError(
            str(path),
            tr("cannot be written ({strerror}).", strerror=error.strerror),
            tr("Your changes stay in the window; save them elsewhere."),
        ) from error
    return mark_of(real)


def _keep_versions(path: Path) -> None:
    """Keep what is there as the version before; an older generation only when the one that is kept is old enough."""
    try:
        data = path.read_bytes()
    except FileNotFoundError:
        return
    if not _sound(data):
        write_whole(path.with_name(path.name + _DAMAGED_SUFFIX), data)
        return
    for suffix, age_s in _GENERATIONS_S.items():
        kept = path.with_name(path.name + suffix)
        if not age_s or not kept.exists() or time.time() - kept.stat().st_mtime > age_s:
            write_whole(kept, data)


def _sound(data: bytes) -> bool:
    """Tell a site file from a torn or foreign one."""
    try:
        held = json.loads(data)
    except (ValueError, RecursionError):
        return False
    return isinstance(held, dict) and held.get("format") == FORMAT


def _clear_parts(path: Path) -> None:
    """Remove the parts of saves whose process is gone."""
    for part in path.parent.glob(f".{_escaped(path.name)}*{PART_SUFFIX}"):
        number = part.name.removesuffix(PART_SUFFIX).rpartition(".")[2]
        if number.isdigit() and int(number) != os.getpid() and not _runs(int(number)):
            with suppress(OSError):
                part.unlink()


def _escaped(name: str) -> str:
    return "".join(f"[{letter}]" if letter in "*?[" else letter for letter in name)


def _runs(process: int) -> bool:
    try:
        os.kill(process, 0)
    except ProcessLookupError:
        return False
    except OSError:
        pass
    return True
