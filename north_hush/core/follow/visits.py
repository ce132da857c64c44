"""Visits: what zones make of tracks and their own patches: entry, loitering, and limits of size and travel."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal, get_args

import numpy as np
from numpy.typing import NDArray

from north_hush.core.detect.settings import HEIGHTS_MAX, ZoneSettings
from north_hush.core.follow.chances import enough
from north_hush.core.follow.owned import FRAME, LASTS, NET, SIZE, TALL, TRACK, X, Y
from north_hush.core.footage.stamps import US_PER_S
from north_hush.core.grid import Grid
from north_hush.core.scene.area import WHOLE_AREA, cell_shares
from north_hush.core.scene.items import SizeMark, Watcher, Wire, Zone
from north_hush.core.scene.raster import SIXTEENTHS
from north_hush.core.scene.stature import person_cells

_TRAVEL_MIN_CELLS = 1.5
Refusal = Literal[
    "size_min_percent", "size_max_percent", "travel_percent", "size_min_heights", "size_max_heights", "travel_heights",
    "kind_sure_percent", "loiter_s", "entry", "unseen", "guard_percent", "rearm_s", "confirm_frames",
]  # fmt: skip
"""What kept an alarm from being raised: a limit of the settings, that nothing came in, or that nothing was seen."""
REFUSALS: tuple[Refusal, ...] = get_args(Refusal)

_BREAK_US = 1_000_000
_FORGET_US = 60_000_000
_FORGET_EVERY_US = 1_000_000
"""Looking through all visits at every new track would be quadratic in snow."""


def needs_tracks(watcher: Watcher | None, settings: ZoneSettings) -> bool:
    """Tell whether a zone's alarms (None: of the whole picture) depend on what is followed. A line that must not be
    broken follows nothing: its level is all there is."""
    if isinstance(watcher, Wire):
        return False
    return settings.follows or (watcher is not None and watcher.fires != "motion")


@dataclass
class _Visit:
    came_in: bool
    inside_from_us: int
    inside_at_us: int


class ZoneWatch:
    """Follows which tracks are in a zone: for entry and loitering, and for limits of size and travel.

    None for the zone stands for the whole picture.
    """

    def __init__(
        self, zone: Zone | None, settings: ZoneSettings, grid: Grid, size_marks: tuple[SizeMark, ...] = ()
    ) -> None:
        shares = cell_shares(zone.area if zone else WHOLE_AREA, grid)
        self._inside = (shares * 2 >= SIXTEENTHS).reshape(grid.rows, grid.columns)
        self._fires = zone.fires if zone else "motion"
        self._loiter_us = int(settings.loiter_s * US_PER_S)
        self._sizes = settings.size_min_percent * grid.cells / 100, settings.size_max_percent * grid.cells / 100
        self._net = settings.travel_percent * grid.columns / 100
        self._heights: NDArray[np.float64] | None = None
        if settings.things_in == "heights":
            self._sizes, self._net = (0.0, float(grid.cells)), 0.0
            self._heights = person_cells(size_marks, grid)
            self._tall = settings.size_min_heights, settings.size_max_heights
            self._net_heights = settings.travel_heights
        if self._fires == "entry":
            self._net = max(self._net, _TRAVEL_MIN_CELLS)
        self._settings = settings
        self._visits: dict[int, _Visit] = {}
        self._forgot_us = 0

    def feed(
        self,
        sights: NDArray[np.float64],
        time_us: NDArray[np.int64],
        first_frame: int = 0,
        likely: NDArray[np.float64] | None = None,
    ) -> NDArray[np.bool_]:
        """Tell for each frame whether something is in the zone that counts: of the size, come far enough, and for entry
        and loitering come in or stayed.

        Parameters
        ----------
        sights : (sights, owned.OWNED_FIELDS) float64
        time_us : of the frames from `first_frame` on, which the sights belong to
        likely : (sights,) float64, how likely each is of a kind that is reported; must be given where kinds are limited

        Returns
        -------
        (frames,) bool
        """
        fires = np.zeros(len(time_us), bool)
        inside, refused = self.looked_at(sights, time_us, first_frame, likely)
        counts = inside & (refused < 0)
        fires[sights[counts, FRAME].astype(np.int64) - first_frame] = True
        return fires

    def looked_at(
        self,
        sights: NDArray[np.float64],
        time_us: NDArray[np.int64],
        first_frame: int = 0,
        likely: NDArray[np.float64] | None = None,
    ) -> tuple[NDArray[np.bool_], NDArray[np.int64]]:
        """Which sights are in the zone, (sights,) bool, and the first limit each does not keep, its place in REFUSALS or -1,
        (sights,) int64. Visits are counted on from the last call."""
        rows, columns = self._inside.shape
        x = np.clip(sights[:, X].astype(np.int64), 0, columns - 1)
        y = np.clip(sights[:, Y].astype(np.int64), 0, rows - 1)
        inside = self._inside[y, x]
        refused = self._refusals(sights, x, y, likely)
        if self._fires != "motion":
            for number, row in enumerate(sights):
                now_us = int(time_us[int(row[FRAME]) - first_frame])
                visit = self._visit(int(row[TRACK]), bool(inside[number]), now_us)
                refused[number] = refused[number] if visit is None else REFUSALS.index(visit)
        return inside, refused

    def _refusals(
        self,
        sights: NDArray[np.float64],
        x: NDArray[np.int64],
        y: NDArray[np.int64],
        likely: NDArray[np.float64] | None,
    ) -> NDArray[np.int64]:
        """Of each sight the first limit it does not keep, its place in REFUSALS, -1 when it keeps all. Somebody who
        loiters may be still, and leave no patch; where no person stands upright (no size marks, beyond the horizon),
        limits in heights refuse nothing."""
        net, size, tall = sights[:, NET], sights[:, SIZE], sights[:, TALL]
        unseen = size == 0
        stays = self._fires == "loitering"
        rules: list[tuple[Refusal, NDArray[np.bool_]]] = [
            ("travel_percent", net < self._net),
            ("unseen", unseen & (sights[:, LASTS] == 0) if stays else unseen),
            ("size_min_percent", ~unseen & (size < self._sizes[0])),
            ("size_max_percent", ~unseen & (size > self._sizes[1])),
        ]
        if self._heights is not None:
            person = self._heights[y]
            low, high = self._tall
            known = (person > 0) & ~unseen
            rules += [
                ("size_min_heights", known & (tall < low * person)),
                ("size_max_heights", known & (tall > high * person) & (high < HEIGHTS_MAX)),
                ("travel_heights", known & (net < self._net_heights * person)),
            ]
        if likely is not None:
            rules.append(("kind_sure_percent", ~enough(likely, self._settings)))
        refused = np.full(len(sights), -1, np.int64)
        for limit, breaks in reversed(rules):
            refused[breaks] = REFUSALS.index(limit)
        return refused

    def _visit(self, track: int, inside: bool, now_us: int) -> Refusal | None:
        """Note where a track is, and tell why its visit does not count yet."""
        if track < 0:  # nobody is known to have come or stayed
            return "entry" if self._fires == "entry" else "loiter_s"
        visit = self._visits.get(track)
        if visit is None:
            if now_us - self._forgot_us > _FORGET_EVERY_US:
                self._forget(now_us)
                self._forgot_us = now_us
            visit = self._visits[track] = _Visit(not inside, now_us, now_us)
        if not inside:
            visit.came_in = True
            return None
        if now_us - visit.inside_at_us > _BREAK_US:
            visit.inside_from_us = now_us
        visit.inside_at_us = now_us
        if self._fires == "entry" and not visit.came_in:
            return "entry"
        stays = self._fires != "loitering" or now_us - visit.inside_from_us >= self._loiter_us
        return None if stays else "loiter_s"

    def _forget(self, now_us: int) -> None:
        self._visits = {
            track: visit for track, visit in self._visits.items() if now_us - visit.inside_at_us <= _FORGET_US
        }
