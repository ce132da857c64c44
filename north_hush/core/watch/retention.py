"""What of recorded clips goes, by age and by room: a pure choice, and the act of it."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from contextlib import suppress
from dataclasses import dataclass
from pathlib import Path

from north_hush.core.footage.stamps import US_PER_S
from north_hush.core.outcome.disk import GB
from north_hush.core.site.model import Site

_DAY_US = 86_400 * US_PER_S


@dataclass(frozen=True)
class Kept:
    """A clip that is kept: its file, the view it is of (by name), when it began, and its bytes."""

    file: str
    view: str
    start_us: int
    size: int


@dataclass(frozen=True)
class Limits:
    """What a view may keep."""

    oldest_us: int
    quota_bytes: int | None


def limits_of(site: Site, now_us: int) -> dict[str, Limits]:
    """The limits of each view of a site, by its name."""
    found = {}
    for view in site.views:
        keep = view.outcome.keep
        quota = None if keep.quota_gb is None else round(keep.quota_gb * GB)
        found[view.name] = Limits(now_us - round(keep.clips_days * _DAY_US), quota)
    return found


def going(
    clips: Iterable[Kept], limits: Mapping[str, Limits], size_bytes: int, free_bytes: int, reserve_bytes: int
) -> list[tuple[Kept, str]]:
    """Which clips go, and why, the oldest first: what is over its age; then what is over its view's quota; then the oldest of all,
    while all together are over the disk's size or less than the reserve is free.

    Clips of a view that is gone have no age and no quota.
    """
    left = sorted(clips, key=lambda clip: (clip.start_us, clip.file))
    found: list[tuple[Kept, str]] = []

    def go(clip: Kept, why: str) -> None:
        found.append((clip, why))
        left.remove(clip)

    for clip in list(left):
        if clip.view in limits and clip.start_us < limits[clip.view].oldest_us:
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


def kept_of(files: Iterable[tuple[str, str, int]]) -> list[Kept]:
    """Clips of a store that are still there, with their sizes."""
    found = []
    for file, view, time_us in files:
        with suppress(OSError):
            found.append(Kept(file, view, time_us, Path(file).stat().st_size))
    return found


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
