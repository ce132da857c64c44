"""Groups of like alarms, so that twenty of one kind are judged in one act."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import TypeVar

from north_hush.core.explain.causes import Cause

BRIEF_S = 0.3
"""Change that lasted no longer is one group, whatever it looks like."""

KeyT = TypeVar("KeyT")


@dataclass(frozen=True)
class Like:
    """What decides which group an alarm belongs to."""

    item: str
    cause: Cause
    lasts_s: float
    x_frac: float | None = None
    y_frac: float | None = None


@dataclass(frozen=True)
class Group:
    """Alarms that look alike, by their places in the list they came from."""

    item: str
    cause: Cause | None
    """None for brief change."""
    members: tuple[int, ...]


def grouped(alarms: Sequence[Like]) -> list[Group]:
    """Group alarms of the same item and cause, and within them of the same ninth of the picture; larger groups first."""
    found: dict[tuple[str, Cause | None, int], list[int]] = {}
    for place, alarm in enumerate(alarms):
        brief = alarm.lasts_s <= BRIEF_S and alarm.cause != "travelled"
        ninth = -1 if brief or alarm.x_frac is None or alarm.y_frac is None else _ninth(alarm.x_frac, alarm.y_frac)
        found.setdefault((alarm.item, None if brief else alarm.cause, ninth), []).append(place)
    groups = [Group(item, cause, tuple(members)) for (item, cause, _), members in found.items()]
    return sorted(groups, key=lambda group: (-len(group.members), group.members))


def _ninth(x: float, y: float) -> int:
    return min(2, int(3 * y)) * 3 + min(2, int(3 * x))
