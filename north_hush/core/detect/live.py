"""The live twin: the same functions as replay, one frame at a time with bounded memory."""

from __future__ import annotations

from collections.abc import Mapping

import numpy as np

from north_hush.core.detect.alarms import Alarm, advance, alarms_of, fresh_state, limits_of, open_alarm
from north_hush.core.detect.levels import changed_areas
from north_hush.core.detect.settings import FACTORY, ZoneSettings
from north_hush.core.footage.reduce import Reduced
from north_hush.core.grid import Grid
from north_hush.core.scene.items import Watcher
from north_hush.core.scene.plan import Plan
from north_hush.core.scene.weights import WHOLE_PICTURE_ID, watched_weights


class LiveZone:
    """One zone or wire of a live view. Feed it what a `Reducer` gives."""

    def __init__(self, zone: Watcher | None, plan: Plan, settings: ZoneSettings, grid: Grid) -> None:
        self._weights = watched_weights(zone, plan, grid)
        self._settings = settings
        self._state = fresh_state()
        self.id = zone.id if zone else WHOLE_PICTURE_ID
        self.area = 0

    def push(self, frame: Reduced) -> list[Alarm]:
        """Take the next frame and return the alarms that ended with it."""
        values = frame.cells[self._settings.channel][:, None]
        areas = changed_areas(values, self._weights, self._settings.change_limit_quarters)
        self.area = int(areas[0])
        valid, gap = np.array([frame.row["valid"]], bool), np.array([frame.row["gap"]], bool)
        total = self._weights.total
        return alarms_of(advance(self._state, areas, valid, gap, total, limits_of(self._settings)))

    @property
    def running(self) -> Alarm | None:
        """The alarm that runs now, if any."""
        return open_alarm(self._state)


def live_zones(plan: Plan, settings: Mapping[str, ZoneSettings], grid: Grid) -> list[LiveZone]:
    """Return the live twins of a plan's zones and wires; of the whole picture while none is drawn."""
    return [
        LiveZone(watcher, plan, settings.get(watcher.id if watcher else WHOLE_PICTURE_ID, FACTORY), grid)
        for watcher in plan.watchers
    ]
