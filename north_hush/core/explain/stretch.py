"""Facts of a stretch of a recording, and single frames in it, for one lane."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from north_hush.core.detect.lane import Lane
from north_hush.core.detect.settings import PERCENT_SCALE
from north_hush.core.follow.patches import CELLS, find_patches, plane_limits
from north_hush.core.footage.evidence import Evidence
from north_hush.core.scene.plan import Plan
from north_hush.core.scene.weights import plane_weights


@dataclass(frozen=True)
class Stretch:
    """Counts over some frames of a lane.

    Attributes
    ----------
    frames : valid ones
    over : of these, at or above the start level
    alarms : that start in the stretch
    alarm_s, length_s : time in alarm, and in all
    """

    frames: int
    over: int
    alarms: int
    alarm_s: float
    length_s: float


def stretch_of(lane: Lane, evidence: Evidence, start_s: float, end_s: float) -> Stretch:
    """Count over the frames shown from `start_s` to before `end_s`."""
    seconds = evidence.seconds
    first, after = (int(place) for place in np.searchsorted(seconds, (start_s, end_s)))
    valid = evidence.valid[first:after]
    over = valid & over_percent(lane, lane.settings.start_percent)[first:after]
    start_s, end_s = max(0.0, start_s), min(end_s, evidence.duration_s)
    spans = [(float(seconds[alarm.start_frame]), float(seconds[alarm.end_frame])) for alarm in lane.alarms]
    inside = [max(0.0, min(end, end_s) - max(start, start_s)) for start, end in spans]
    begun = sum(start_s <= start < end_s for start, _ in spans)
    return Stretch(int(valid.sum()), int(over.sum()), begun, sum(inside), max(0.0, end_s - start_s))


def over_percent(lane: Lane, percent: float) -> np.ndarray[tuple[int], np.dtype[np.bool_]]:
    """Frames whose level is at or above a value, (frames,) bool; compared in whole numbers, as alarms are."""
    if lane.total == 0:
        return np.zeros(len(lane.areas), bool)
    return np.asarray(lane.areas * 100 * PERCENT_SCALE >= max(1, round(percent * PERCENT_SCALE)) * lane.total)


def next_over(lane: Lane, evidence: Evidence, frame: int, percent: float, way: int) -> int | None:
    """The next valid frame after (way 1) or before (way -1) one at which the level passes a value: it is at or above it, and
    was below it in the frame before."""
    over = over_percent(lane, percent) & evidence.valid
    passes = np.flatnonzero(over & ~np.concatenate([[False], over[:-1]]))
    found = passes[passes > frame] if way > 0 else passes[passes < frame][::-1]
    return int(found[0]) if len(found) else None


def largest_patch_percent(lane: Lane, evidence: Evidence, plan: Plan, frame: int) -> float:
    """Size of the largest patch of a frame in percent of the view, wherever it lies."""
    values = evidence.values(lane.settings.stored_channel, frame, frame + 1)
    limits = plane_limits(plane_weights(lane.zone_id, plan, evidence.grid), lane.settings.change_limit_quarters)
    patches = find_patches(values, limits, evidence.grid.columns, 0)
    return 100 * float(patches[:, CELLS].max(initial=0)) / evidence.grid.cells
