"""Replay: the zones of a view over stored evidence. It keeps the one memo, by value, so that nothing is done twice."""

from __future__ import annotations

import threading
from collections import OrderedDict
from collections.abc import Hashable, Mapping
from dataclasses import dataclass, field
from typing import Literal

import numpy as np
from numpy.typing import NDArray

from north_hush.core.detect.alarms import Alarm, crossing_alarms, find_alarms
from north_hush.core.detect.crossings import WireWatch
from north_hush.core.detect.dials import next_limits
from north_hush.core.detect.guard import OFF_PERCENT, LightGuard
from north_hush.core.detect.levels import VALUES, changed_areas, survival_table, table_dtype
from north_hush.core.detect.paths import PathFinder, ZoneWatch, crossing_fits, needs_paths
from north_hush.core.detect.settings import FACTORY, ZoneSettings
from north_hush.core.detect.steady import Steadier
from north_hush.core.footage.evidence import Evidence
from north_hush.core.grid import Grid
from north_hush.core.scene.items import Watcher, Wire, Zone
from north_hush.core.scene.plan import Plan, watcher_id
from north_hush.core.scene.raster import SIXTEENTHS
from north_hush.core.scene.weights import Weights, plane_weights, watched_weights

WHOLE_PICTURE_NAME = "Whole picture"

MEMO_BYTES = 384 * 1024**2
_WEIGHTS_KEPT = 512
_SIGHTS_SHARE = 4
"""Paths may take one over this of what is remembered."""
_LEVEL_FIELDS = (
    "start_percent", "clear_percent", "confirm_frames", "release_frames", "rearm_s", "longest_s", "smooth_frames", "usual_s",
    "guard_percent", "guard_hold_s",
)  # fmt: skip
"""Dials of the alarm rule alone: turning them never changes which frames may confirm."""

_Key = tuple[str, str, bytes]
"""Evidence, channel and weights: equal keys mean equal levels."""


@dataclass(frozen=True, eq=False)
class Lane:
    """What one zone or wire did over a recording.

    Attributes
    ----------
    areas : (frames,) changed area in sixteenths of a cell
    total : watched area in sixteenths; 0 means not watched
    """

    zone_id: str
    name: str
    areas: NDArray[np.int64] = field(repr=False)
    total: int
    alarms: list[Alarm]
    settings: ZoneSettings
    kind: Literal["zone", "wire"] = "zone"

    @property
    def level_percent(self) -> NDArray[np.float32]:
        """(frames,) level in percent of the watched zone."""
        scale = np.float32(100 / self.total if self.total else 0)
        return self.areas.astype(np.float32) * scale

    @property
    def small(self) -> bool:
        """True when less than one cell is watched: it works by its share, and a single cell decides."""
        return 0 < self.total < SIXTEENTHS

    def percent(self, area: int) -> float:
        """An area as percent of the watched zone."""
        return 100 * area / self.total if self.total else 0.0


def _sights_key(evidence: Evidence, dials: ZoneSettings, plane: NDArray[np.uint8]) -> tuple[Hashable, ...]:
    """What decides the paths that are followed."""
    rate, channel = dials.analysis_per_s, dials.stored_channel
    return (evidence.key, len(evidence.frames), channel, rate, dials.change_limit_quarters, plane.tobytes())


class Replay:
    """Evaluate zones on evidence, remembering weights, survival tables and areas within a bound."""

    def __init__(self, memo_bytes: int = MEMO_BYTES) -> None:
        self._memo_bytes = memo_bytes
        self._lock = threading.Lock()
        self._weights: OrderedDict[tuple[Watcher | None, Grid], tuple[Plan, Weights]] = OrderedDict()
        self._tables: OrderedDict[_Key, NDArray[np.unsignedinteger]] = OrderedDict()
        self._areas: OrderedDict[tuple[_Key, int], NDArray[np.int64]] = OrderedDict()
        self._sights: OrderedDict[tuple[Hashable, ...], NDArray[np.float64]] = OrderedDict()
        self._allowances: OrderedDict[tuple[Hashable, ...], NDArray[np.bool_]] = OrderedDict()

    def lanes(self, evidence: Evidence, plan: Plan, settings: Mapping[str, ZoneSettings]) -> list[Lane]:
        """Levels and alarms of every zone and wire of a plan, in its order."""
        return [self.lane(evidence, watcher, plan, settings) for watcher in plan.watchers]

    def lane(
        self, evidence: Evidence, watcher: Watcher | None, plan: Plan, settings: Mapping[str, ZoneSettings]
    ) -> Lane:
        """Levels and alarms of one zone or wire (None: the whole picture)."""
        dials, weights, key = self._what(evidence, watcher, plan, settings)
        areas, counts = Steadier(dials, weights.total).feed(
            self._areas_of(key, evidence, weights, dials), evidence.valid, evidence.gap, evidence.time_us
        )
        alarms = self._alarms(evidence, watcher, plan, areas, counts, weights, dials)
        kind: Literal["zone", "wire"] = "wire" if isinstance(watcher, Wire) else "zone"
        name = watcher.name if watcher else WHOLE_PICTURE_NAME
        return Lane(watcher_id(watcher), name, areas, weights.total, alarms, dials, kind)

    def _alarms(
        self,
        evidence: Evidence,
        watcher: Watcher | None,
        plan: Plan,
        areas: NDArray[np.int64],
        counts: NDArray[np.bool_],
        weights: Weights,
        dials: ZoneSettings,
    ) -> list[Alarm]:
        if isinstance(watcher, Wire) and watcher.watches != "broken":
            if weights.total == 0:
                return []
            sights = self._sights_of(evidence, watcher, plan, dials, counts)
            fits = crossing_fits(
                sights, ZoneWatch(None, dials, evidence.grid, plan.size_marks), self._guarded(evidence, dials)
            )
            crossings = WireWatch(watcher.line, evidence.grid, plan.size_marks).feed(sights, evidence.time_us, 0, fits)
            return crossing_alarms(crossings, watcher, areas)
        allowed = self._allowed(evidence, watcher, plan, dials, counts)
        if dials.guard_percent < OFF_PERCENT:
            areas = np.where(self._guarded(evidence, dials), 0, areas)
        return find_alarms(areas, counts, evidence.gap, weights.total, dials, evidence.time_us, allowed)

    @staticmethod
    def _guarded(evidence: Evidence, dials: ZoneSettings) -> NDArray[np.bool_]:
        return LightGuard(dials).feed(evidence.frames)

    def _allowed(
        self, evidence: Evidence, watcher: Watcher | None, plan: Plan, dials: ZoneSettings, counts: NDArray[np.bool_]
    ) -> NDArray[np.bool_]:
        """Frames that may confirm, kept for the dials that decide it: turning the others asks again and again."""
        if not needs_paths(watcher, dials):
            return np.ones(len(evidence.frames), bool)
        plane = plane_weights(watcher_id(watcher), plan, evidence.grid)
        deciding = dials.model_copy(update={field: getattr(FACTORY, field) for field in _LEVEL_FIELDS})
        key = (evidence.key, len(evidence.frames), watcher, plan.size_marks, deciding, plane.tobytes())
        with self._lock:
            held = self._allowances.get(key)
        if held is not None:
            return held
        zone = watcher if isinstance(watcher, Zone) else None
        watch = ZoneWatch(zone, dials, evidence.grid, plan.size_marks)
        allowed = watch.feed(self._sights_of(evidence, watcher, plan, dials, counts), evidence.time_us)
        with self._lock:
            self._allowances[key] = allowed
            while sum(kept.nbytes for kept in self._allowances.values()) > self._memo_bytes // 32:
                self._allowances.popitem(last=False)
        return allowed

    def _sights_of(
        self, evidence: Evidence, watcher: Watcher | None, plan: Plan, dials: ZoneSettings, counts: NDArray[np.bool_]
    ) -> NDArray[np.float64]:
        """Sights of all paths under the masks that count for a watcher, kept for the settings used last."""
        plane = plane_weights(watcher_id(watcher), plan, evidence.grid)
        channel, key = dials.stored_channel, _sights_key(evidence, dials, plane)
        with self._lock:
            sights = self._sights.get(key)
        if sights is None:
            finder = PathFinder(plane, dials.change_limit_quarters, evidence.grid)
            sights = finder.feed(evidence.channel(channel), evidence.time_us, counts, evidence.gap)
            with self._lock:
                self._sights[key] = sights
                while sum(kept.nbytes for kept in self._sights.values()) > self._memo_bytes // _SIGHTS_SHARE:
                    self._sights.popitem(last=False)
        return sights

    def sights(
        self, evidence: Evidence, watcher: Watcher | None, plan: Plan, dials: ZoneSettings
    ) -> NDArray[np.float64]:
        """Sights of all paths of the view as a watcher follows them, see `links.follow`."""
        nothing = np.zeros(len(evidence.frames), np.int64)
        counts = Steadier(dials, 0).feed(nothing, evidence.valid, evidence.gap, evidence.time_us)[1]
        return self._sights_of(evidence, watcher, plan, dials, counts)

    def prepare_next(self, evidence: Evidence, plan: Plan, settings: Mapping[str, ZoneSettings]) -> bool:
        """Follow what moves at a change limit one step from the present one, for an item that needs it, so that a turn of
        the dial finds it done. False when there is nothing left to do, or no room for it. May run in a thread."""
        for watcher in plan.watchers:
            dials = settings.get(watcher_id(watcher), FACTORY)
            crosses = isinstance(watcher, Wire) and watcher.watches != "broken"
            if not (crosses or needs_paths(watcher, dials)):
                continue
            plane = plane_weights(watcher_id(watcher), plan, evidence.grid)
            for beside in next_limits(dials):
                with self._lock:
                    done = _sights_key(evidence, beside, plane) in self._sights
                    room = sum(kept.nbytes for kept in self._sights.values()) < self._memo_bytes // _SIGHTS_SHARE // 2
                if not done and room:
                    self.sights(evidence, watcher, plan, beside)
                    return True
        return False

    def has_table(
        self, evidence: Evidence, watcher: Watcher | None, plan: Plan, settings: Mapping[str, ZoneSettings]
    ) -> bool:
        """Tell whether a moved change limit would be a row look-up already."""
        return self._what(evidence, watcher, plan, settings)[2] in self._tables

    def make_table(
        self, evidence: Evidence, watcher: Watcher | None, plan: Plan, settings: Mapping[str, ZoneSettings]
    ) -> bool:
        """Build a zone's survival table, so that from then on every change limit is a row look-up.

        Returns False when it would not fit the memo. May run in a thread beside `lanes`.
        """
        dials, weights, key = self._what(evidence, watcher, plan, settings)
        if len(evidence.frames) * VALUES * table_dtype(weights.total).itemsize > self._memo_bytes:
            return False
        table = survival_table(evidence.channel(dials.stored_channel), weights)
        with self._lock:
            self._tables[key] = table
            while sum(kept.nbytes for kept in self._tables.values()) > self._memo_bytes:
                self._tables.popitem(last=False)
            return key in self._tables

    def _what(
        self, evidence: Evidence, watcher: Watcher | None, plan: Plan, settings: Mapping[str, ZoneSettings]
    ) -> tuple[ZoneSettings, Weights, _Key]:
        dials = settings.get(watcher_id(watcher), FACTORY)
        place = (watcher, evidence.grid)
        with self._lock:
            held = self._weights.get(place)
        if held is None or (held[0].masks, held[0].privacy) != (plan.masks, plan.privacy):
            held = (plan, watched_weights(watcher, plan, evidence.grid))
            with self._lock:
                self._weights[place] = held
                while len(self._weights) > _WEIGHTS_KEPT:
                    self._weights.popitem(last=False)
        return dials, held[1], (evidence.key, dials.stored_channel, held[1].key)

    def _areas_of(self, key: _Key, evidence: Evidence, weights: Weights, dials: ZoneSettings) -> NDArray[np.int64]:
        limit_quarters = dials.change_limit_quarters
        with self._lock:
            if (key, limit_quarters) in self._areas:
                self._areas.move_to_end((key, limit_quarters))
                return self._areas[key, limit_quarters]
            table = self._tables.get(key)
            if table is not None:
                self._tables.move_to_end(key)
        if table is not None:
            areas = np.asarray(table[limit_quarters], np.int64)
        else:
            areas = changed_areas(evidence.channel(dials.stored_channel), weights, limit_quarters)
        with self._lock:
            self._areas[key, limit_quarters] = areas
            while sum(kept.nbytes for kept in self._areas.values()) > self._memo_bytes // 8:
                self._areas.popitem(last=False)
        return areas
