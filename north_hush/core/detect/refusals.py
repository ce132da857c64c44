"""Refusals: what passed the start level and raised no alarm, and the limit that refused it."""

from __future__ import annotations

from collections import Counter
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from north_hush.core.detect.guard import LightGuard
from north_hush.core.detect.links import SIZE, TALL, X, Y
from north_hush.core.detect.paths import Refusal, ZoneWatch, needs_paths
from north_hush.core.detect.replay import Lane, Replay
from north_hush.core.detect.settings import PERCENT_SCALE
from north_hush.core.footage.evidence import Evidence
from north_hush.core.footage.stamps import US_PER_S
from north_hush.core.scene.items import Zone
from north_hush.core.scene.outline import Point
from north_hush.core.scene.plan import Plan, watcher_id

REFUSAL_NAMES: dict[Refusal, str] = {
    "size_min_percent": "too small",
    "size_max_percent": "too large",
    "travel_percent": "has not come far enough",
    "size_min_heights": "too small",
    "size_max_heights": "too large",
    "travel_heights": "has not come far enough",
    "loiter_s": "has not stayed long enough",
    "entry": "was inside already",
    "unseen": "nothing seen to follow",
    "guard_percent": "light guard",
    "rearm_s": "re-arm time",
    "confirm_frames": "too few frames in a row",
}


@dataclass(frozen=True)
class Refused:
    """Something followed that does not count in a frame: its foot point and height on the picture, and the limit."""

    foot: Point
    height_frac: float
    size_percent: float
    limit: Refusal


@dataclass(frozen=True)
class Stretch:
    """Frames at or above the start level without an alarm, both ends included, and what kept it quiet."""

    first_frame: int
    last_frame: int
    limit: Refusal


@dataclass(frozen=True)
class Refusals:
    """Refusals of one lane over a recording."""

    by_frame: dict[int, tuple[Refused, ...]]
    stretches: tuple[Stretch, ...]


def refusals(replay: Replay, evidence: Evidence, plan: Plan, lane: Lane) -> Refusals:
    """Work out what a lane's limits refused. A crossed wire has no level to pass, and so no stretches."""
    watcher = next(held for held in plan.watchers if watcher_id(held) == lane.zone_id)
    crossed = lane.kind == "wire" and getattr(watcher, "watches", "broken") != "broken"
    if crossed or lane.total == 0:
        return Refusals({}, ())
    by_frame: dict[int, list[Refused]] = {}
    if needs_paths(watcher, lane.settings):
        zone = watcher if isinstance(watcher, Zone) else None
        watch = ZoneWatch(zone, lane.settings, evidence.grid, plan.size_marks)
        watch.refused = []
        sights = replay.sights(evidence, watcher, plan, lane.settings)
        watch.feed(sights, evidence.time_us)
        for frame, number, limit in watch.refused:
            by_frame.setdefault(frame, []).append(_refused(sights[number], limit, evidence))
    held = {frame: tuple(found) for frame, found in by_frame.items()}
    return Refusals(held, tuple(_stretches(evidence, lane, held)))


def _refused(sight: NDArray[np.float64], limit: Refusal, evidence: Evidence) -> Refused:
    grid = evidence.grid
    side = grid.cell_source_px
    foot = (min(1.0, float(sight[X]) * side / grid.width), min(1.0, float(sight[Y]) * side / grid.height))
    return Refused(foot, float(sight[TALL]) * side / grid.height, 100 * float(sight[SIZE]) / grid.cells, limit)


def _stretches(evidence: Evidence, lane: Lane, by_frame: dict[int, tuple[Refused, ...]]) -> list[Stretch]:
    """Runs of valid frames at or above the start level that lie in no alarm."""
    frames, settings = evidence.frames, lane.settings
    start = max(1, round(settings.start_percent * PERCENT_SCALE))
    high = frames["valid"] & (lane.areas * 10_000 >= start * lane.total)
    armed_us = np.zeros(len(frames), np.int64)
    for alarm in lane.alarms:
        high[alarm.onset_frame : alarm.end_frame + 1] = False
        after = int(evidence.time_us[alarm.end_frame]) + round(settings.rearm_s * US_PER_S)
        armed_us[alarm.end_frame :] = after
    waiting = evidence.time_us < armed_us
    guarded = LightGuard(settings).feed(frames)
    edges = np.flatnonzero(np.diff(np.concatenate([[0], high.astype(np.int8), [0]])))
    found = []
    for first, after in zip(edges[::2].tolist(), edges[1::2].tolist(), strict=True):
        part = range(first, after)
        limits: Counter[Refusal] = Counter()
        for frame in part:
            if guarded[frame]:
                limits["guard_percent"] += 1
            elif waiting[frame]:
                limits["rearm_s"] += 1
            elif frame in by_frame:
                limits[by_frame[frame][0].limit] += 1
        few = len(part) < settings.confirm_frames
        usual = limits.most_common(1)
        limit: Refusal = usual[0][0] if usual and not few else "confirm_frames"
        if not usual and not few:
            limit = "unseen"
        found.append(Stretch(first, after - 1, limit))
    return found
