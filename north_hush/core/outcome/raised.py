"""An alarm as outcome takes it."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

import numpy as np

from north_hush.core.hours.spans import Spans, first_running

NEVER_BRIEF = 1_000_000_000
"""Frames of a crossing: what was followed across a line is no brief change, however soon it was told."""


@dataclass(frozen=True)
class Raised:
    """An alarm, in microseconds of any one clock, its last instant included.

    Attributes
    ----------
    changed_frames : for how many frames change lasted in it; NEVER_BRIEF for a crossing
    kind, sure : what it was, and how sure a crossing is, where that is known; known when it ends, not before
    """

    item: str
    start_us: int
    end_us: int
    changed_frames: int = 1
    kind: str = "unclear"
    sure: float | None = None


def first_running_of(alarms: Sequence[Raised], hours: Mapping[str, Spans]) -> list[int]:
    """The first instant of each alarm at which the hours of its item hold; -1 where there is none."""
    found = np.full(len(alarms), -1, np.int64)
    places: dict[str, list[int]] = {}
    for number, held in enumerate(alarms):
        places.setdefault(held.item, []).append(number)
    ends = np.array([(held.start_us, held.end_us) for held in alarms], np.int64).reshape(-1, 2)
    for item, of in places.items():
        found[of] = first_running(hours[item], ends[of, 0], ends[of, 1])
    return found.tolist()
