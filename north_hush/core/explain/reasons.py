"""Reasons: why an alarm was raised, and what it looks like, from the evidence alone."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from north_hush.core.detect.alarms import Alarm
from north_hush.core.detect.guard import GUARD_LIMIT_GREY
from north_hush.core.detect.lane import Lane
from north_hush.core.detect.settings import PERCENT_SCALE, ZoneSettings
from north_hush.core.explain.causes import Cause, Signs, likely_cause
from north_hush.core.explain.restless import restlessness
from north_hush.core.follow.owned import FRAME, LIT, NET, SEEN, SIZE, TRACK, X, Y
from north_hush.core.follow.patches import BOTTOM, CELLS, FOOT_X, FOOT_Y, LEFT, RIGHT, TOP, find_patches, plane_limits
from north_hush.core.follow.tracks import FOOT
from north_hush.core.follow.tracks import FRAME as TRACK_FRAME
from north_hush.core.follow.tracks import TRACK as TRACK_NUMBER
from north_hush.core.follow.tracks import X as TRACK_X
from north_hush.core.follow.visits import is_visited
from north_hush.core.footage.differences import CELL_SCALE
from north_hush.core.footage.evidence import Evidence
from north_hush.core.footage.luma import PLANE_SCALE
from north_hush.core.footage.stamps import US_PER_S
from north_hush.core.grid import Grid
from north_hush.core.scene.area import WHOLE_AREA, cell_shares
from north_hush.core.scene.items import Watcher, Wire, Zone
from north_hush.core.scene.outline import Point
from north_hush.core.scene.plan import Plan, watcher_id
from north_hush.core.scene.weights import plane_weights, watched_weights

_LOOKED_AT_MAX = 48
"""Of a long alarm so many frames are looked at, spread evenly."""
_AROUND_S = 20.0
"""How far around an alarm its cells are asked for a rhythm."""
_CELLS_MAX = 200
_PATH_POINTS = 60
_SPECK_CELLS = 2
_KEYS_TELL = 0.1


@dataclass(frozen=True)
class Seen:
    """A patch on the picture, in fractions: its box, its foot point, and its size in percent of the view."""

    left: float
    top: float
    right: float
    bottom: float
    foot: Point
    size_percent: float


@dataclass(frozen=True)
class Reasons:
    """Why an alarm was raised.

    Attributes
    ----------
    peak_frame, peak_percent : where the level was highest, and how high
    confirmed : frames from the onset to the start, both included
    patch : the largest patch of the item at the peak, None where only scattered cells changed
    path : where the one that came farthest went, as points of the picture; empty where nothing was followed
    travelled_percent : how far that is from its beginning, in percent of the picture's width
    cause, sure : what it looks like, and how sure that is, 0..1
    signs : what that was told from
    """

    peak_frame: int
    peak_percent: float
    confirmed: int
    patch: Seen | None
    path: tuple[Point, ...]
    travelled_percent: float
    cause: Cause
    sure: float
    signs: Signs


class Explainer:
    """Explains alarms of one recording under one plan."""

    def __init__(
        self,
        evidence: Evidence,
        plan: Plan,
        sights_of: Callable[[Watcher | None, ZoneSettings], NDArray[np.float64]],
        tracks: Callable[[], NDArray[np.float64]],
    ) -> None:
        self._evidence, self._plan, self._sights_of, self._tracks = evidence, plan, sights_of, tracks

    def explain(self, lane: Lane, alarm: Alarm) -> Reasons:
        """Work out why an alarm of a lane was raised."""
        lane = lane.at(alarm.onset_us)
        evidence, settings = self._evidence, lane.settings
        watcher, limits, own = self._watched(lane)
        peak, patch = self.peak(lane, alarm)
        frames = np.unique(np.linspace(alarm.onset_frame, alarm.end_frame, _LOOKED_AT_MAX).astype(np.int64))
        frames = np.union1d(frames, np.arange(alarm.onset_frame, min(alarm.end_frame, alarm.onset_frame + 8) + 1))
        values = evidence.values_at(settings.stored_channel, frames)
        over = values >= limits[:, None]
        patches = find_patches(values, limits, evidence.grid.columns, 0)
        sights = self._sights_of(watcher, settings)
        if not is_visited(watcher):  # what is seen while everything changes is no reason for it
            sights = sights[sights[:, LIT] == 0]
        path = _farthest(sights, alarm, _inside(watcher, evidence.grid))
        signs = self._signs(lane, alarm, frames, values, over, patches, own, path)
        cause, sure = likely_cause(signs)
        return Reasons(
            peak_frame=peak,
            peak_percent=lane.percent(int(lane.areas[peak])),
            confirmed=alarm.start_frame - alarm.onset_frame + 1,
            patch=patch,
            path=_points(path[:, [X, Y]], evidence.grid) if alarm.track is None else self._course(alarm),
            travelled_percent=100 * float(path[:, NET].max(initial=0)) / evidence.grid.columns,
            cause=cause,
            sure=sure,
            signs=signs,
        )

    def peak(self, lane: Lane, alarm: Alarm) -> tuple[int, Seen | None]:
        """The frame in which an alarm's level was highest, and the largest patch of the item in it."""
        _, limits, own = self._watched(lane)
        peak = alarm.onset_frame + int(np.argmax(lane.areas[alarm.onset_frame : alarm.end_frame + 1]))
        values = self._evidence.values(lane.settings.stored_channel, peak, peak + 1)
        return peak, _largest(values, limits, own, self._evidence.grid)

    def _watched(self, lane: Lane) -> tuple[Watcher | None, NDArray[np.int64], NDArray[np.int64]]:
        """The zone or wire of a lane, the smallest value that counts in each cell, and the cells it watches."""
        grid = self._evidence.grid
        watcher = next(held for held in self._plan.watchers if watcher_id(held) == lane.zone_id)
        weights = plane_weights(lane.zone_id, self._plan, grid)
        limits = plane_limits(weights, lane.settings.change_limit_quarters)
        return watcher, limits, watched_weights(watcher, self._plan, grid).cells

    def _course(self, alarm: Alarm) -> tuple[Point, ...]:
        """Where the feet of who crossed went until it was told."""
        tracks = self._tracks()
        own = tracks[(tracks[:, TRACK_NUMBER] == alarm.track) & (tracks[:, TRACK_FRAME] <= alarm.end_frame)]
        return _points(own[:, [TRACK_X, FOOT]], self._evidence.grid)

    def _signs(
        self,
        lane: Lane,
        alarm: Alarm,
        frames: NDArray[np.int64],
        values: NDArray[np.uint8],
        over: NDArray[np.bool_],
        patches: NDArray[np.int32],
        own: NDArray[np.int64],
        path: NDArray[np.float64],
    ) -> Signs:
        evidence, settings = self._evidence, lane.settings
        rows, grid = evidence.frames, evidence.grid
        before = max(0, alarm.onset_frame - 1)
        span = slice(before, alarm.end_frame + 1)
        changed = np.intersect1d(np.flatnonzero(over.any(axis=1)), own)
        mine = patches[np.isin(_foot_cells(patches, grid), own)]
        sizes = mine[:, CELLS]
        ticking, periodic = self._rhythm(changed, alarm, settings)
        peaks = np.flatnonzero(over[own].any(axis=0))
        strong = values[changed].max(initial=0) / CELL_SCALE if len(changed) else 0.0
        net = float(path[:, NET].max(initial=0.0))
        way = float(np.hypot(np.diff(path[:, X]), np.diff(path[:, Y])).sum()) if len(path) > 1 else 0.0
        return Signs(
            lasts_s=_lasting_s(lane, alarm, evidence),
            raw_percent=float(rows[f"share_{GUARD_LIMIT_GREY}"][span].max()) / PERCENT_SCALE,
            shift_grey=float(np.abs(rows["shift_step"][span]).max()) / PLANE_SCALE,
            drift_grey=float(np.abs(rows["mean"][span].astype(int) - int(rows["mean"][before])).max()) / PLANE_SCALE,
            beside_percent=100 * float(np.delete(over, own, axis=0).mean(axis=0).max(initial=0))
            if len(own) < len(over)
            else 0,
            key_share=_at_keys(rows["key"], frames[peaks]),
            begins_at_key=_begins_at_key(rows["key"], alarm),
            busy=self._busy(changed, alarm, settings),
            view_cells=float(np.median(patches[:, CELLS])) if len(patches) else 0.0,
            patch_cells=float(np.median(sizes)) if len(sizes) else 0.0,
            specks_per_frame=float((patches[:, CELLS] <= _SPECK_CELLS).sum()) / max(1, len(frames)),
            largest_percent=100 * float(sizes.max(initial=0)) / grid.cells,
            strength=float(strong) / max(settings.change_limit_grey, 0.25),
            ticking=ticking,
            periodic=periodic,
            travelled_cells=net,
            straight=min(1.0, net / way) if way > 0 else 0.0,
            seen_frames=int(path[:, SEEN].max(initial=0)) if len(path) else 0,
            path_cells=float(np.median(path[path[:, SIZE] > 0, SIZE])) if len(path) else 0.0,
            slow_channel=settings.channel in ("drift", "settle"),
        )

    def _busy(self, changed: NDArray[np.int64], alarm: Alarm, settings: ZoneSettings) -> float:
        """How often the changed cells change around the alarm, but not in it: the median share of frames."""
        time_us, around = self._evidence.time_us, round(_AROUND_S * US_PER_S)
        first, last = np.searchsorted(time_us, (alarm.onset_us - around, alarm.end_us + around)).tolist()
        frames = np.r_[first : alarm.onset_frame, alarm.end_frame + 1 : last]
        frames = frames[self._evidence.valid[frames]]
        if len(changed) == 0 or len(frames) == 0:
            return 0.0
        cells = changed[:: max(1, len(changed) // _CELLS_MAX)]
        values = self._evidence.values_at(settings.stored_channel, frames, cells)
        return float(np.median((values >= settings.change_limit_quarters).mean(axis=1)))

    def _rhythm(self, changed: NDArray[np.int64], alarm: Alarm, settings: ZoneSettings) -> tuple[float, float]:
        """Shares of the changed cells that tick like a clock, and that keep another rhythm, over a while around it."""
        evidence = self._evidence
        if len(changed) == 0:
            return 0.0, 0.0
        time_us = evidence.time_us
        around = round(_AROUND_S * US_PER_S)
        first, last = np.searchsorted(
            time_us, (time_us[alarm.onset_frame] - around, time_us[alarm.start_frame] + around)
        ).tolist()
        cells = changed[:: max(1, len(changed) // _CELLS_MAX)]
        part = evidence.values(settings.stored_channel, first, last)[cells]
        rows = evidence.frames[first:last]
        limit = settings.change_limit_quarters
        measured = restlessness(part, rows["valid"], rows["time_us"], limit, evidence.grid)
        other = (measured.period_s > 0) & ~measured.ticking
        return float(measured.ticking.mean()), float(other.mean())


def _inside(watcher: Watcher | None, grid: Grid) -> NDArray[np.bool_]:
    if isinstance(watcher, Wire):
        return np.ones((grid.rows, grid.columns), bool)
    area = watcher.area if isinstance(watcher, Zone) else WHOLE_AREA
    return (cell_shares(area, grid) > 0).reshape(grid.rows, grid.columns)


def _farthest(sights: NDArray[np.float64], alarm: Alarm, inside: NDArray[np.bool_]) -> NDArray[np.float64]:
    """Sights, up to the alarm's end, of the track that is in the item during the alarm and has come farthest by then."""
    first, after = np.searchsorted(sights[:, FRAME], (alarm.onset_frame, alarm.end_frame + 1))
    during = sights[first:after]
    rows, columns = inside.shape
    x = np.clip(during[:, X].astype(int), 0, columns - 1)
    y = np.clip(during[:, Y].astype(int), 0, rows - 1)
    during = during[inside[y, x] & (during[:, TRACK] >= 0) & (during[:, SIZE] > 0)]
    if len(during) == 0:
        return np.zeros((0, sights.shape[1]))
    best = during[np.argmax(during[:, NET])]
    own = sights[:after]
    return np.asarray(own[(own[:, TRACK] == best[TRACK]) & (own[:, FRAME] <= best[FRAME])])


def _points(path: NDArray[np.float64], grid: Grid) -> tuple[Point, ...]:
    kept = path[np.unique(np.linspace(0, len(path) - 1, _PATH_POINTS).astype(int))] if len(path) else path
    return tuple(_rounded(grid.point(x, y)) for x, y in kept.tolist())


def _rounded(at: Point) -> Point:
    return round(at[0], 4), round(at[1], 4)


def _largest(values: NDArray[np.uint8], limits: NDArray[np.int64], own: NDArray[np.int64], grid: Grid) -> Seen | None:
    """The patch with most of the item's cells in a frame, (cells, 1) uint8."""
    patches = find_patches(values, limits, grid.columns, 0)
    rows, columns = np.divmod(own, grid.columns)
    over = values[own, 0] >= limits[own]
    rows, columns = rows[over], columns[over]
    best, most = None, 0
    for patch in patches:
        inside = (columns >= patch[LEFT]) & (columns <= patch[RIGHT]) & (rows >= patch[TOP]) & (rows <= patch[BOTTOM])
        if inside.sum() > most:
            best, most = patch, int(inside.sum())
    return None if best is None else seen_patch(best, grid)


def seen_patch(patch: NDArray[np.int32], grid: Grid) -> Seen:
    """A row of a patch table as it lies on the picture."""
    left, top = grid.point(float(patch[LEFT]), float(patch[TOP]))
    right, bottom = grid.point(float(patch[RIGHT]) + 1, float(patch[BOTTOM]) + 1)
    return Seen(
        left=left,
        top=top,
        right=right,
        bottom=bottom,
        foot=grid.point(float(patch[FOOT_X]) / 16, float(patch[FOOT_Y]) / 16),
        size_percent=100 * int(patch[CELLS]) / grid.cells,
    )


def _foot_cells(patches: NDArray[np.int32], grid: Grid) -> NDArray[np.int64]:
    x = np.clip(patches[:, FOOT_X] // 16, 0, grid.columns - 1).astype(np.int64)
    return np.clip(patches[:, FOOT_Y] // 16, 0, grid.rows - 1).astype(np.int64) * grid.columns + x


def _lasting_s(lane: Lane, alarm: Alarm, evidence: Evidence) -> float:
    """From the onset to the last frame that is not below the clear level: how long to wait for the release is no matter of
    what happened."""
    clear = max(1, round(lane.settings.clear_percent * PERCENT_SCALE))
    span = slice(alarm.onset_frame, alarm.end_frame + 1)
    above = np.flatnonzero(lane.areas[span] * 100 * PERCENT_SCALE >= clear * lane.total)
    last = alarm.onset_frame + int(above[-1]) if len(above) else alarm.onset_frame
    return float(evidence.time_us[last] - evidence.time_us[alarm.onset_frame] + evidence.usual_us) / US_PER_S


def _begins_at_key(keys: NDArray[np.bool_], alarm: Alarm) -> bool:
    """Tell whether an alarm begins at a key frame or the one after it, where key frames are rare enough to tell."""
    if not keys.any() or keys.mean() > _KEYS_TELL:
        return False
    return bool(keys[max(0, alarm.onset_frame - 1) : alarm.onset_frame + 1].any())


def _at_keys(keys: NDArray[np.bool_], frames: NDArray[np.int64]) -> float:
    """Share of frames that are a key frame or follow one."""
    if len(frames) == 0 or not keys.any() or keys.mean() > 0.34:
        return 0.0
    return float((keys[frames] | keys[np.maximum(frames - 1, 0)]).mean())
