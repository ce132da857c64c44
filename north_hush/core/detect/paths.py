"""Paths of what moves through the view, and what zones and wires make of them: entry, loitering and crossing."""

from __future__ import annotations

from dataclasses import dataclass, field

import numpy as np
from numpy.typing import NDArray

from north_hush.core.detect.links import FRAME, NET, PATH, LinkState, X, Y, follow
from north_hush.core.detect.patches import CELLS, find_patches, grouped, plane_limits
from north_hush.core.detect.patches import FRAME as PATCH_FRAME
from north_hush.core.footage.stamps import US_PER_S
from north_hush.core.grid import Grid
from north_hush.core.scene.area import cell_shares
from north_hush.core.scene.items import Zone
from north_hush.core.scene.raster import SIXTEENTHS

_SHARE_FOLLOWED = 8
"""One over this: while more of the view than that changes at once, it is light, which has no feet; paths pass it over."""

_TRAVEL_MIN_CELLS = 1.5
_BREAK_US = 1_000_000
_FORGET_US = 60_000_000


@dataclass
class PathFinder:
    """Patches and links of one channel, change limit and set of masks, fed with frames in their order."""

    weights: NDArray[np.uint8]
    limit_quarters: int
    grid: Grid
    _limits: NDArray[np.int64] = field(init=False)
    _state: LinkState = field(init=False, default_factory=LinkState)
    _frames: int = field(init=False, default=0)

    def __post_init__(self) -> None:
        self._limits = plane_limits(self.weights, self.limit_quarters)

    def feed(
        self, values: NDArray[np.uint8], time_us: NDArray[np.int64], valid: NDArray[np.bool_], gap: NDArray[np.bool_]
    ) -> NDArray[np.float64]:
        """Take the next frames and return the sights of paths in them, see `links.follow`.

        Parameters
        ----------
        values : (cells, frames) uint8
        """
        first, frames = self._frames, values.shape[1]
        self._frames += frames
        patches = find_patches(values, self._limits, self.grid.columns, first)
        sizes = np.bincount(patches[:, PATCH_FRAME] - first, patches[:, CELLS], frames)
        followed = valid & (sizes * _SHARE_FOLLOWED < self.grid.cells)
        patches = grouped(patches[followed[patches[:, PATCH_FRAME] - first]])
        return follow(self._state, patches, time_us, followed, gap, first)


@dataclass
class _Visit:
    came_in: bool
    inside_from_us: int
    inside_at_us: int


class ZoneWatch:
    """Follows which paths are in a zone, for zones that fire on entry or loitering."""

    def __init__(self, zone: Zone, loiter_s: float, grid: Grid) -> None:
        self._inside = (cell_shares(zone.area, grid) * 2 >= SIXTEENTHS).reshape(grid.rows, grid.columns)
        self._fires = zone.fires
        self._loiter_us = int(loiter_s * US_PER_S)
        self._visits: dict[int, _Visit] = {}

    def feed(self, sights: NDArray[np.float64], time_us: NDArray[np.int64], first_frame: int = 0) -> NDArray[np.bool_]:
        """Tell for each frame whether something that came in, or stayed long enough, is in the zone.

        Parameters
        ----------
        time_us : of the frames from `first_frame` on, which the sights belong to

        Returns
        -------
        (frames,) bool
        """
        fires = np.zeros(len(time_us), bool)
        rows, columns = self._inside.shape
        for row in sights:
            place = int(row[FRAME]) - first_frame
            now_us = int(time_us[place])
            x, y = min(max(int(row[X]), 0), columns - 1), min(max(int(row[Y]), 0), rows - 1)
            fires[place] |= self._sees(int(row[PATH]), bool(self._inside[y, x]), float(row[NET]), now_us)
        return fires

    def _sees(self, path: int, inside: bool, net: float, now_us: int) -> bool:
        visit = self._visits.get(path)
        if visit is None:
            if len(self._visits) > 1000:
                self._forget(now_us)
            visit = self._visits[path] = _Visit(not inside, now_us, now_us)
        if not inside:
            visit.came_in = True
            return False
        if now_us - visit.inside_at_us > _BREAK_US:
            visit.inside_from_us = now_us
        visit.inside_at_us = now_us
        if self._fires == "entry":
            return visit.came_in and net >= _TRAVEL_MIN_CELLS
        return now_us - visit.inside_from_us >= self._loiter_us

    def _forget(self, now_us: int) -> None:
        self._visits = {
            path: visit for path, visit in self._visits.items() if now_us - visit.inside_at_us <= _FORGET_US
        }
