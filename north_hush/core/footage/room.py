"""How much evidence the cache holds. Where it is full, the values of the recordings used longest ago go first: what was worked out of
them, and is kept beside them, outlives them. Such a folder is lean; whole ones and lean ones go only where that is not enough."""

from __future__ import annotations

import os
import shutil
from contextlib import suppress
from pathlib import Path

from north_hush.core.footage.kept import is_kept
from north_hush.core.footage.leftovers import clear_left_behind, is_owned
from north_hush.core.footage.options import STORED

LIMIT_BYTES = 20 * 1024**3
_LEAN = "lean"
"""An empty file of this name says so, and is written before anything goes: a folder is never lean without saying it."""


def is_lean(folder: Path) -> bool:
    """Whether the values of evidence were let go."""
    return (folder / _LEAN).exists()


def folder_bytes(folder: Path) -> int:
    """Size of an evidence folder on disk."""
    return sum(path.stat().st_size for path in folder.iterdir())


def trim(root: Path, keep: Path) -> None:
    """Make the cache fit its limit without touching one folder, and clear what killed passes left behind."""
    clear_left_behind(root)
    with suppress(OSError):
        folders = [path for path in root.iterdir() if path.is_dir() and not is_owned(path.name)]
        folders.sort(key=lambda path: path.stat().st_mtime)
        over = sum(map(folder_bytes, folders)) - LIMIT_BYTES
        for go in (_let_values_go, _let_all_go):
            for folder in folders:
                if over > 0 and folder != keep:
                    before = folder_bytes(folder)
                    go(folder)
                    over -= before - (folder_bytes(folder) if folder.exists() else 0)


def _let_values_go(folder: Path) -> None:
    used = folder.stat()
    (folder / _LEAN).touch()
    for channel in STORED:
        for part in folder.glob(f"{channel}-*.zst"):
            part.unlink(missing_ok=True)
    os.utime(folder, ns=(used.st_atime_ns, used.st_mtime_ns))  # it was not used


def _let_all_go(folder: Path) -> None:
    shutil.rmtree(folder, ignore_errors=True)


def carry_over(before: Path, made: Path) -> None:
    """What was worked out of values that were let go is true of the same values made again. What lies beside damaged ones is left."""
    with suppress(OSError):
        for path in before.iterdir() if is_lean(before) else ():
            if is_kept(path.name):
                path.replace(made / path.name)
