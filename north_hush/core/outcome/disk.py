"""How long a disk lasts, simulated day by day over the days that were measured.

Each day every view adds its clips and its continuous footage. What is older than its age goes; then what is over the view's quota, the
oldest first; then, while the disk has less than its reserve, the oldest of all, continuous footage before clips of the same day.
"""

from __future__ import annotations

from collections import deque
from collections.abc import Sequence
from dataclasses import dataclass, field

from north_hush.core.outcome.rules import Disk

GB = 1_000_000_000
_DAYS_MAX = 3660
_SETTLED_DAYS = 28


@dataclass(frozen=True)
class Daily:
    """What one view adds in a day, and how long it may stay.

    Attributes
    ----------
    clip_bytes, continuous_bytes : of a usual day
    clips_days, continuous_days : ages in days
    quota_bytes : the most of it; None for no such limit
    """

    clip_bytes: int
    continuous_bytes: int
    clips_days: float
    continuous_days: float
    quota_bytes: int | None = None


@dataclass(frozen=True)
class Lasting:
    """How a disk fares.

    Attributes
    ----------
    full_after_days : the day something had to go for want of room; None when it never does
    clips_days, continuous_days : how far back each reaches once it goes round, by view
    used_bytes : what is taken then
    """

    full_after_days: int | None
    clips_days: tuple[int, ...]
    continuous_days: tuple[int, ...]
    used_bytes: int


@dataclass
class _Kept:
    """One kind of footage of one view: how many bytes of which day, the oldest first."""

    view: int
    first: bool
    """Goes before the other kind of the same day."""
    age_days: float
    days: deque[tuple[int, int]] = field(default_factory=deque)
    used: int = 0

    def add(self, day: int, size: int) -> None:
        if size:
            self.days.append((day, size))
            self.used += size

    def drop(self) -> None:
        self.used -= self.days.popleft()[1]

    def reach(self, today: int) -> int:
        return today - self.days[0][0] + 1 if self.days else 0


def lasting(views: Sequence[Daily], disk: Disk) -> Lasting:
    """Run a disk over days until it goes round, or nothing changes any more."""
    room = round((disk.size_gb - disk.reserve_gb) * GB)
    clips = [_Kept(number, False, held.clips_days) for number, held in enumerate(views)]
    whole = [_Kept(number, True, held.continuous_days) for number, held in enumerate(views)]
    kinds = [*whole, *clips]
    full: int | None = None
    last_change, before = 0, (-1, -1)
    today = 0
    for today in range(1, _DAYS_MAX):
        for kept, held in zip(clips, views, strict=True):
            kept.add(today, held.clip_bytes)
        for kept, held in zip(whole, views, strict=True):
            kept.add(today, held.continuous_bytes)
        for kept in kinds:
            while kept.days and today - kept.days[0][0] >= kept.age_days:
                kept.drop()
        for number, held in enumerate(views):
            if held.quota_bytes is not None and _make_room([whole[number], clips[number]], held.quota_bytes):
                full = full or today
        if _make_room(kinds, room):
            full = full or today
        now = (sum(kept.used for kept in kinds), sum(kept.reach(today) for kept in kinds))
        if now != before:
            last_change, before = today, now
        if today - last_change >= _SETTLED_DAYS:
            break
    used = sum(kept.used for kept in kinds)
    reaches = [tuple(kept.reach(today) for kept in held) for held in (clips, whole)]
    return Lasting(full, reaches[0], reaches[1], used)


def _make_room(kinds: Sequence[_Kept], room: int) -> bool:
    """Let the oldest go until what is kept fits; True when anything went."""
    went = False
    used = sum(kept.used for kept in kinds)
    while used > room:
        oldest = min((kept for kept in kinds if kept.days), key=lambda kept: (kept.days[0][0], not kept.first))
        used -= oldest.days[0][1]
        oldest.drop()
        went = True
    return went
