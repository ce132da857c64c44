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
    starts = np.array([held.start_us for held in alarms], np.int64)
    ends = np.array([held.end_us for held in alarms], np.int64)
    items = {held.item for held in alarms}
    if len(items) == 1:
        only: list[int] = first_running(hours[items.pop()], starts, ends).tolist()
        return only
    found = np.full(len(alarms), -1, np.int64)
    which = np.array([held.item for held in alarms])
    for item in items:
        own = which == item
        found[own] = first_running(hours[item], starts[own], ends[own])
    return found.tolist()
