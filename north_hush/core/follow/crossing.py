"""A crossing of a tripwire, and which ones a wire reports as alarms."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from north_hush.core.detect.alarms import Alarm
from north_hush.core.detect.settings import HEIGHTS_MAX, ZoneSettings
from north_hush.core.follow.chances import enough
from north_hush.core.grid import Grid
from north_hush.core.scene.items import Direction, Wire
from north_hush.core.scene.outline import Point

PEAK_FRAMES = 256
"""The peak of a crossing is looked for in so many frames before it is sure; the live twin keeps no more."""


@dataclass(frozen=True)
class Crossing:
    """One crossing: the frame in which the line was passed, that in which it was told, where (fractions), and how sure it is, with
    the size of the body in percent of the view and in person heights (None where those are not known)."""

    frame: int
    told_frame: int
    direction: Direction
    place: Point
    track: int
    passed_us: int
    told_us: int
    sure: float
    size_percent: float
    heights: float | None


def counts(crossing: Crossing, wire: Wire, dials: ZoneSettings) -> bool:
    """Tell whether a wire with these dials reports a crossing: by its way, certainty and size."""
    if wire.watches not in (crossing.direction, "both") or crossing.sure * 100 < dials.sure_percent:
        return False
    if dials.things_in == "percent":
        return dials.size_min_percent <= crossing.size_percent <= dials.size_max_percent
    if crossing.heights is None:
        return True
    return dials.size_min_heights <= crossing.heights and (
        crossing.heights <= dials.size_max_heights or dials.size_max_heights >= HEIGHTS_MAX
    )


def of_kinds(crossings: Sequence[Crossing], likely: NDArray[np.float64], dials: ZoneSettings) -> list[Crossing]:
    """The crossings of what is likely enough of a kind that is reported.

    Parameters
    ----------
    likely : (crossings,) float64, how likely it was that when it was told
    """
    return [held for held, counts in zip(crossings, enough(likely, dials).tolist(), strict=True) if counts]


def unmasked(crossings: list[Crossing], weights: NDArray[np.uint8], grid: Grid) -> list[Crossing]:
    """The crossings whose place no mask covers wholly.

    Parameters
    ----------
    weights : (cells,) uint8 of the view, 0 under a mask
    """
    cells = [grid.cell_at(*held.place) for held in crossings]
    return [held for held, cell in zip(crossings, cells, strict=True) if cell is None or weights[cell] > 0]


def crossing_alarms(
    crossings: list[Crossing], wire: Wire, dials: ZoneSettings, areas: NDArray[np.int64], first_frame: int = 0
) -> list[Alarm]:
    """The crossings a wire reports, as alarms.

    Parameters
    ----------
    areas : (frames,) int64, changed area of the wire in the frames from `first_frame` on
    """
    alarms = []
    for held in crossings:
        if not counts(held, wire, dials):
            continue
        first = max(held.frame, held.told_frame + 1 - PEAK_FRAMES) - first_frame
        peak = int(areas[max(0, first) : held.told_frame + 1 - first_frame].max(initial=0))
        frames = held.frame, held.told_frame, held.told_frame
        times_us = held.passed_us, held.told_us, held.told_us
        crossed = Alarm(*frames, "crossed", peak, *times_us, held.direction, held.place, held.sure, held.track)
        alarms.append(crossed)
    return alarms
