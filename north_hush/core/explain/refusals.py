"""Refusals: what passed the start level and raised no alarm, and the limit that refused it."""

from __future__ import annotations

from collections import Counter
from collections.abc import Callable, Iterator
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from north_hush.core.courtesy import give_way
from north_hush.core.detect.guard import LightGuard
from north_hush.core.detect.lane import Lane
from north_hush.core.detect.settings import PERCENT_SCALE, ZoneSettings
from north_hush.core.detect.steady import Steadier
from north_hush.core.follow.broken import names_what_breaks
from north_hush.core.follow.owned import FRAME, SIZE, TALL, X, Y
from north_hush.core.follow.tracks import CELLS as T_CELLS
from north_hush.core.follow.tracks import FOOT as T_FOOT
from north_hush.core.follow.tracks import FRAME as T_FRAME
from north_hush.core.follow.tracks import TOP as T_TOP
from north_hush.core.follow.tracks import X as T_X
from north_hush.core.follow.visits import REFUSALS, Refusal, ZoneWatch, needs_tracks
from north_hush.core.footage.evidence import Evidence
from north_hush.core.footage.stamps import US_PER_S
from north_hush.core.grid import Grid
from north_hush.core.runs import runs_of
from north_hush.core.scene.items import Watcher, Zone
from north_hush.core.scene.outline import Point
from north_hush.core.scene.plan import Plan, is_crossed, watcher_id
from north_hush.core.words import tr

REFUSAL_NAMES: dict[Refusal, str] = {
    "size_min_percent": tr("too small"),
    "size_max_percent": tr("too large"),
    "travel_percent": tr("has not come far enough"),
    "size_min_heights": tr("too small"),
    "size_max_heights": tr("too large"),
    "travel_heights": tr("has not come far enough"),
    "kind_sure_percent": tr("not surely of a kind that is reported"),
    "loiter_s": tr("has not stayed long enough"),
    "entry": tr("was inside already"),
    "unseen": tr("nothing seen to follow"),
    "guard_percent": tr("light guard"),
    "rearm_s": tr("re-arm time"),
    "confirm_frames": tr("too few frames in a row"),
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


@dataclass(frozen=True, eq=False)
class Refusals:
    """Refusals of one lane over a recording.

    Attributes
    ----------
    frame : (refused,) int32, ascending: the frame of each sight in the item that does not count
    limit : (refused,) uint8, the first limit it does not keep, its place in REFUSALS
    sight : (refused, 4) float32, foot point x and y, height and size, all in cells
    """

    grid: Grid
    frame: NDArray[np.int32]
    limit: NDArray[np.uint8]
    sight: NDArray[np.float32]
    stretches: tuple[Stretch, ...]

    def at(self, frame: int) -> tuple[Refused, ...]:
        """What was refused in a frame."""
        first, after = np.searchsorted(self.frame, (frame, frame + 1)).tolist()
        return tuple(self._refused(number) for number in range(first, after))

    def _refused(self, number: int) -> Refused:
        x, y, tall, size = self.sight[number].tolist()
        height = tall * self.grid.cell_size_frac[1]
        return Refused(self.grid.point(x, y), height, 100 * size / self.grid.cells, REFUSALS[self.limit[number]])


def refusals(
    evidence: Evidence,
    plan: Plan,
    lane: Lane,
    sights_of: Callable[[Watcher | None, ZoneSettings], NDArray[np.float64]],
    likely_of: Callable[[NDArray[np.float64], ZoneSettings], NDArray[np.float64] | None],
    on_line_of: Callable[[Watcher | None, ZoneSettings], NDArray[np.float64]],
) -> Refusals:
    """Work out what a lane's limits refused. A crossed wire has no level to pass, and so no stretches.

    Parameters
    ----------
    sights_of : what a zone sees, see `owned.Owner`
    likely_of : how likely each of these is of a kind that is reported; None where all are
    on_line_of : what is on a line that must not be broken and of no kind that is reported, (sights, tracks.SIGHT_FIELDS)
    """
    watcher = next(held for held in plan.watchers if watcher_id(held) == lane.zone_id)
    frame, limit = np.zeros(0, np.int32), np.zeros(0, np.uint8)
    sight = np.zeros((0, 4), np.float32)
    if is_crossed(watcher) or lane.total == 0:
        return Refusals(evidence.grid, frame, limit, sight, ())
    if names_what_breaks(watcher, lane.settings):
        tracks = on_line_of(watcher, lane.settings)
        frame = tracks[:, T_FRAME].astype(np.int32)
        limit = np.full(len(tracks), REFUSALS.index("kind_sure_percent"), np.uint8)
        feet, tops = tracks[:, T_FOOT], tracks[:, T_TOP]
        sight = np.column_stack([tracks[:, T_X], feet, feet - tops, tracks[:, T_CELLS]]).astype(np.float32)
    elif needs_tracks(watcher, lane.settings):
        zone = watcher if isinstance(watcher, Zone) else None
        sights = sights_of(watcher, lane.settings)
        watch = ZoneWatch(zone, lane.settings, evidence.grid, plan.size_marks)
        looked = watch.looked_at(sights, evidence.time_us, likely=likely_of(sights, lane.settings))
        kept = np.flatnonzero(looked.inside & (looked.refused >= 0))
        frame, limit = sights[kept, FRAME].astype(np.int32), looked.refused[kept].astype(np.uint8)
        sight = sights[kept][:, [X, Y, TALL, SIZE]].astype(np.float32)
    return Refusals(evidence.grid, frame, limit, sight, tuple(_stretches(evidence, lane, frame, limit)))


def _stretches(
    evidence: Evidence, lane: Lane, refused: NDArray[np.int32], limit_of: NDArray[np.uint8]
) -> Iterator[Stretch]:
    """Runs of frames at or above the start level that lie in no alarm. At a lower analysis rate only the frames that count
    tell what kept them quiet, and only they are frames in a row."""
    frames, settings = evidence.frames, lane.settings
    start = max(1, round(settings.start_percent * PERCENT_SCALE))
    counts = Steadier(settings, lane.total).feed(lane.areas, evidence.valid, evidence.gap, evidence.time_us)[1]
    high = evidence.valid & (lane.areas * 10_000 >= start * lane.total)
    armed_us = np.zeros(len(frames), np.int64)
    rearm_us = round(settings.rearm_s * US_PER_S)
    after_ends = (*(alarm.end_frame for alarm in lane.alarms[1:]), len(frames))
    for alarm, after in zip(lane.alarms, after_ends, strict=False):
        high[alarm.onset_frame : alarm.end_frame + 1] = False
        armed_us[alarm.end_frame : after] = alarm.end_us + rearm_us  # until the next one ends
    waiting = evidence.time_us < armed_us
    guarded = LightGuard(settings).feed(frames)
    first_of = np.searchsorted(refused, np.arange(len(frames) + 1))
    for first, after in runs_of(high):
        give_way()
        part = [frame for frame in range(first, after) if counts[frame]]
        limits: Counter[Refusal] = Counter()
        for frame in part:
            if guarded[frame]:
                limits["guard_percent"] += 1
            elif waiting[frame]:
                limits["rearm_s"] += 1
            elif first_of[frame + 1] > first_of[frame]:
                limits[REFUSALS[limit_of[first_of[frame]]]] += 1
        few = len(part) < settings.confirm_frames
        usual = limits.most_common(1)
        limit: Refusal = usual[0][0] if usual and not few else "confirm_frames"
        if not usual and not few:
            limit = "unseen"
        yield Stretch(first, after - 1, limit)
