"""The live twin: the same functions as replay, one frame at a time with bounded memory."""

from __future__ import annotations

from collections.abc import Mapping

import numpy as np
from numpy.typing import NDArray

from north_hush.core.detect.alarms import (
    ALLOWED,
    FRAMES,
    REFUSED,
    RUN,
    Alarm,
    advance,
    alarms_of,
    fresh_state,
    limits_of,
    open_alarm,
)
from north_hush.core.detect.guard import LightGuard
from north_hush.core.detect.levels import areas_over, cell_limits
from north_hush.core.detect.settings import FACTORY, ZoneSettings
from north_hush.core.detect.steady import Steadier
from north_hush.core.follow.broken import BrokenWatch, names_what_breaks
from north_hush.core.follow.chances import LiveChances, enough
from north_hush.core.follow.crossing import PEAK_FRAMES, crossing_alarms, of_kinds, unmasked
from north_hush.core.follow.crossings import WireWatch
from north_hush.core.follow.owned import TRACK, Owner
from north_hush.core.follow.tracks import FRAME as TRACK_FRAME
from north_hush.core.follow.tracks import SIGHT_FIELDS, Follower, uncovered
from north_hush.core.follow.tracks import TRACK as TRACK_NUMBER
from north_hush.core.follow.visits import ZoneWatch, is_visited, needs_tracks
from north_hush.core.footage.options import FOREGROUND, QUARTERS
from north_hush.core.footage.reduce import Reduced
from north_hush.core.grid import Grid
from north_hush.core.scene.items import Watcher, Wire, Zone
from north_hush.core.scene.plan import Plan, is_crossed, watcher_id
from north_hush.core.scene.stature import person_cells
from north_hush.core.scene.weights import plane_weights, watched_weights


class LiveTracks:
    """The tracks of a live view, shared by all its zones and wires: each frame is followed once."""

    def __init__(self, plan: Plan, grid: Grid) -> None:
        self._follower = Follower(grid)
        self._privacy, self._grid = plan.privacy, grid
        self._chances = LiveChances(person_cells(plan.size_marks, grid), grid, plan.taught)
        self._last: Reduced | None = None
        self._sights = np.zeros((0, SIGHT_FIELDS))

    def take(self, plan: Plan) -> None:
        """Name by other size marks and taught kinds from the next frame on."""
        self._chances.take(person_cells(plan.size_marks, self._grid), plan.taught)

    def likely(self, tracks: NDArray[np.float64], dials: ZoneSettings) -> NDArray[np.float64]:
        """How likely each of some tracks is of a kind that is reported, by now, (tracks,) float64."""
        return self._chances.of(tracks, dials.kinds)

    def push(self, frame: Reduced) -> NDArray[np.float64]:
        """Sights of tracks in a frame; the same again for the frame taken last."""
        if frame is not self._last:
            self._last = frame
            values = uncovered(frame.cells[FOREGROUND][:, None], self._privacy, self._grid)
            row = frame.row
            self._sights = self._follower.feed(
                values,
                frame.cells[QUARTERS][:, None],
                np.array([row["time_us"]]),
                np.array([row["valid"]]),
                np.array([row["gap"]]),
            )
            self._chances.feed(self._sights, int(row["time_us"]))
        return self._sights


class LiveZone:
    """One zone or wire of a live view. Feed it what a `Reducer` gives."""

    def __init__(
        self,
        watcher: Watcher | None,
        plan: Plan,
        settings: ZoneSettings,
        grid: Grid,
        tracks: LiveTracks | None = None,
    ) -> None:
        self._weights = watched_weights(watcher, plan, grid)
        self._settings = settings
        self._cell_limits = cell_limits(self._weights.weight, settings.change_limit_quarters)
        self._limits = limits_of(settings, visits=is_visited(watcher))
        self._state = fresh_state()
        self._frames = 0
        self._watcher = watcher
        self._areas = np.zeros(0, np.int64)
        self._crossed = WireWatch(watcher.line, grid, plan.size_marks) if is_crossed(watcher) else None
        zone = watcher if isinstance(watcher, Zone) else None
        self._visits = ZoneWatch(zone, settings, grid, plan.size_marks) if needs_tracks(watcher, settings) else None
        breaks = names_what_breaks(watcher, settings)
        self._broken = BrokenWatch(self._weights, grid) if breaks else None
        self._guard = LightGuard(settings)
        self._steadier = Steadier(settings, self._weights.total)
        self.id = watcher_id(watcher)
        self._plane, self._grid = plane_weights(self.id, plan, grid), grid
        self._tracks = tracks or LiveTracks(plan, grid)
        self._owner = Owner(self._plane, settings.change_limit_quarters, grid)
        self.area = 0

    def push(self, frame: Reduced) -> list[Alarm]:
        """Take the next frame and return the alarms that ended with it."""
        number, self._frames = self._frames, self._frames + 1
        values = frame.cells[self._settings.stored_channel][:, None]
        areas = areas_over(values, self._weights, self._cell_limits)
        valid, gap = np.array([frame.row["valid"]], bool), np.array([frame.row["gap"]], bool)
        time_us = np.array([frame.row["time_us"]], np.int64)
        areas, valid = self._steadier.feed(areas, valid, gap, time_us)
        self.area = int(areas[0])
        total = self._weights.total
        if self._crossed is not None and isinstance(self._watcher, Wire):
            self._areas = np.append(self._areas, areas)[-PEAK_FRAMES:]
            crossings = self._crossed.feed(self._followed(frame, number), time_us, number) if total else []
            crossings = unmasked(crossings, self._plane, self._grid)
            if self._settings.limits_kinds and crossings:
                tracks = np.array([held.track for held in crossings], np.float64)
                crossings = of_kinds(crossings, self._tracks.likely(tracks, self._settings), self._settings)
            first = number + 1 - len(self._areas)
            return crossing_alarms(crossings, self._watcher, self._settings, self._areas, first)
        areas = np.where(self._guard.feed(np.atleast_1d(frame.row)), 0, areas)
        allowed = self._allowed(frame, values, valid, time_us, number)
        return alarms_of(advance(self._state, areas, valid, gap, total, self._limits, allowed, time_us))

    def _allowed(
        self,
        frame: Reduced,
        values: NDArray[np.uint8],
        valid: NDArray[np.bool_],
        time_us: NDArray[np.int64],
        number: int,
    ) -> NDArray[np.uint8]:
        """Whether the frame may confirm, (1,), see `advance`."""
        if self._broken is not None:
            tracks = self._followed(frame, number)
            likely = self._tracks.likely(tracks[:, TRACK_NUMBER], self._settings)
            broken = (self._broken.on_it(tracks) & enough(likely, self._settings)).any()
            return np.full(1, ALLOWED if broken else REFUSED, np.uint8)
        if self._visits is None:
            return np.full(1, ALLOWED, np.uint8)
        self._owner.frames = number
        sights = self._owner.feed(values, valid, self._followed(frame, number))
        limited = self._settings.limits_kinds
        known = self._tracks.likely(sights[:, TRACK], self._settings) if limited else None
        return self._visits.feed(sights, time_us, number, known)

    def _followed(self, frame: Reduced, number: int) -> NDArray[np.float64]:
        """Sights of tracks in a frame, which has the number it has for this item: items are drawn and begin to follow while others
        have done so for long."""
        sights = self._tracks.push(frame).copy()
        sights[:, TRACK_FRAME] = number
        return sights

    def go_on_from(self, before: LiveZone) -> None:
        """Take over the alarm that runs, and the count of frames, from the twin of the same item under other settings; and what is
        followed, as far as these do not decide it."""
        self._state, self._frames, self.area = before._state, before._frames, before.area
        if self._settings != before._settings:
            self._state[RUN] = 0  # confirmed anew
        if self._watcher == before._watcher:
            self._crossed, self._areas = before._crossed, before._areas
        if self._visits is not None and before._visits is not None:
            self._visits.go_on_from(before._visits)

    def forget(self) -> None:
        """End what runs without telling: its picture is lost."""
        frames = self._state[FRAMES]
        self._state = fresh_state()
        self._state[FRAMES] = frames

    @property
    def level_percent(self) -> float:
        """The level of the frame taken last, in percent of what is watched."""
        return 100 * self.area / self._weights.total if self._weights.total else 0.0

    @property
    def running(self) -> Alarm | None:
        """The alarm that runs now, if any."""
        return open_alarm(self._state)


def live_zones(plan: Plan, settings: Mapping[str, ZoneSettings], grid: Grid) -> list[LiveZone]:
    """Return the live twins of a plan's zones and wires; of the whole picture while none is drawn."""
    tracks = LiveTracks(plan, grid)
    return [
        LiveZone(watcher, plan, settings.get(watcher_id(watcher), FACTORY), grid, tracks) for watcher in plan.watchers
    ]
