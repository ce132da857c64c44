"""What of recorded files goes, by age and by room: a pure choice, and the act of it. What is held stays."""

from __future__ import annotations

from collections.abc import Collection, Iterable, Mapping
from contextlib import suppress
from dataclasses import dataclass
from pathlib import Path
from typing import Literal

from north_hush.core.errors import SiteError
from north_hush.core.footage.stamps import US_PER_S
from north_hush.core.outcome.disk import GB
from north_hush.core.site.model import Site
from north_hush.core.words import tr

_DAY_US = 86_400 * US_PER_S
What = Literal["clip", "footage"]
PICTURES = "pictures"
"""Folder of the pictures of alarms, beside what is recorded."""


@dataclass(frozen=True)
class Kept:
    """A file that is kept: the view it is of (by name), when it ended, its bytes, and whether it is a clip or of continuous footage."""

    file: str
    view: str
    end_us: int
    size: int
    what: What = "clip"


@dataclass(frozen=True)
class Limits:
    """What a view may keep."""

    oldest_us: int
    quota_bytes: int | None
    oldest_footage_us: int = 0

    def oldest(self, what: What) -> int:
        """What ended before goes."""
        return self.oldest_us if what == "clip" else self.oldest_footage_us


def limits_of(site: Site, now_us: int) -> dict[str, Limits]:
    """The limits of each view of a site, by its name."""
    found = {}
    for view in site.views:
        keep = view.outcome.keep
        quota = None if keep.quota_gb is None else round(keep.quota_gb * GB)
        footage_us = now_us - round(keep.continuous_days * _DAY_US)
        found[view.name] = Limits(now_us - round(keep.clips_days * _DAY_US), quota, footage_us)
    return found


def going(
    clips: Iterable[Kept], limits: Mapping[str, Limits], size_bytes: int, free_bytes: int, reserve_bytes: int
) -> list[tuple[Kept, str]]:
    """Which clips go, and why, the oldest first: what is over its age; then what is over its view's quota; then the oldest of all,
    while all together are over the disk's size or less than the reserve is free.

    Clips of a view that is gone have no age and no quota.
    """
    left = sorted(clips, key=lambda clip: (clip.end_us, clip.file))
    found: list[tuple[Kept, str]] = []

    def go(clip: Kept, why: str) -> None:
        found.append((clip, why))
        left.remove(clip)

    for clip in list(left):
        if clip.view in limits and clip.end_us < limits[clip.view].oldest(clip.what):
            go(clip, "age")
    for view, limit in limits.items():
        own = [clip for clip in left if clip.view == view]
        over = sum(clip.size for clip in own) - (limit.quota_bytes if limit.quota_bytes is not None else 2**62)
        for clip in own:
            if over <= 0:
                break
            over -= clip.size
            go(clip, "quota")
    freed = sum(clip.size for clip, _ in found)
    used = sum(clip.size for clip in left)
    while left and (used > size_bytes or free_bytes + freed < reserve_bytes):
        used, freed = used - left[0].size, freed + left[0].size
        go(left[0], "room")
    return found


def kept_of(files: Iterable[tuple[str, str, int, str]], held: Collection[Path] = ()) -> list[Kept]:
    """Files of a store that are still there and may go, with their sizes: not those that are held, by a mark beside them or because
    they are among `held`."""
    found = []
    for file, view, time_us, what in files:
        path = Path(file)
        with suppress(OSError):
            if path.resolve() not in held and not is_held(path):
                found.append(Kept(file, view, time_us, path.stat().st_size, "clip" if what == "clip" else "footage"))
    return found


def is_held(path: Path) -> bool:
    """Whether a file was marked to stay."""
    return _mark(path).exists()


def hold(path: Path, *, stays: bool) -> None:
    """Mark a recorded file to stay whatever its age, or let it go with the others again.

    Raises
    ------
    SiteError : it is not there, or the mark cannot be written.
    """
    try:
        if not stays:
            _mark(path).unlink(missing_ok=True)
        elif not path.is_file():
            raise SiteError(
                str(path), tr("is not there."), tr("It may have gone already: its age and the disk decide.")
            )
        else:
            _mark(path).touch()
    except OSError as error:
        raise SiteError(
            str(_mark(path)), tr("cannot be written ({strerror}).", strerror=error.strerror), tr("Check permissions.")
        ) from error


def _mark(path: Path) -> Path:
    return path.with_suffix(".held")


def footage_of(site: Site, site_path: Path) -> frozenset[Path]:
    """The files that a site works with as recordings: they are not taken away under it."""
    return frozenset((site_path.parent / held.path).resolve() for view in site.views for held in view.recordings)


def reserve_of(site: Site, disk_bytes: int) -> int:
    """How much of a disk stays free: what the site says, and never more than a twentieth of a disk that is smaller than it thinks."""
    return min(round(site.disk.reserve_gb * GB), disk_bytes // 20)


def remove(clip: Kept) -> bool:
    """Take a clip's file away, and what lies beside it; True when it is gone."""
    path = Path(clip.file)
    try:
        path.unlink(missing_ok=True)
        path.with_suffix(".vtt").unlink(missing_ok=True)
    except OSError:
        return False
    return True


def remove_pictures(folder: Path, oldest_us: int) -> None:
    """Take pictures of alarms away that were written before an instant; what cannot be stays."""
    with suppress(OSError):
        for path in (folder / PICTURES).glob("*.jpg"):
            if path.stat().st_mtime * US_PER_S < oldest_us:
                path.unlink(missing_ok=True)
