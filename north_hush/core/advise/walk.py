"""A walk test: where somebody who walked through the view on purpose was noticed, and where not.

The walker is the track that went furthest in that stretch, zones and masks or not; further tracks are added where he was lost in
between and could have got to in the time. At each frame he is *noticed* while an
alarm of any item runs. Where none does, the evidence tells why.
"""

from __future__ import annotations

from collections import Counter
from collections.abc import Sequence
from dataclasses import dataclass
from itertools import groupby
from typing import Literal

import numpy as np
from numpy.typing import NDArray

from north_hush.core.detect.lane import Lane
from north_hush.core.follow.apart import tracks_apart
from north_hush.core.follow.tracks import FOOT, FRAME, HOW, UNSEEN, X
from north_hush.core.footage.evidence import Evidence
from north_hush.core.footage.stamps import US_PER_S
from north_hush.core.grid import Grid
from north_hush.core.scene.area import WHOLE_AREA, cell_shares
from north_hush.core.scene.items import Wire
from north_hush.core.scene.outline import Point
from north_hush.core.scene.plan import Plan
from north_hush.core.scene.weights import watched_weights
from north_hush.core.words import tr

Notice = Literal["alarm", "quiet", "masked", "outside", "unseen"]
NOTICE_NAMES: dict[Notice, str] = {
    "alarm": "noticed",
    "quiet": tr("watched, but below the limits"),
    "masked": tr("under a mask"),
    "outside": tr("in no zone"),
    "unseen": tr("nothing to be seen"),
}

_LEAST_CELLS = 2.0
_REACH_CELLS_PER_S, _REACH_CELLS = 10.0, 3.0
_SHARED = 0.3
_DEAD_MIN_S = 0.4


@dataclass(frozen=True)
class DeadSpot:
    """A part of the way on which no alarm ran, where its middle was, and the reason for most of it."""

    start_s: float
    end_s: float
    place: Point
    why: Notice


@dataclass(frozen=True, eq=False)
class WalkTest:
    """The way of a walker, frame by frame.

    Attributes
    ----------
    time_s : (frames,) float64
    places : (frames, 2) float64, foot point on the picture, between sights on a straight line
    notices : for each frame
    dead : parts of the way that were not noticed, in their order
    """

    time_s: NDArray[np.float64]
    places: NDArray[np.float64]
    notices: tuple[Notice, ...]
    dead: tuple[DeadSpot, ...]

    @property
    def noticed_percent(self) -> float | None:
        """Share of the way's time in which an alarm ran; None when nobody was found."""
        return 100 * self.notices.count("alarm") / len(self.notices) if self.notices else None


def walk_test(
    evidence: Evidence,
    plan: Plan,
    lanes: Sequence[Lane],
    tracks: NDArray[np.float64],
    start_s: float,
    end_s: float,
) -> WalkTest:
    """Follow the walker of a stretch and tell where an alarm of some lane ran.

    Parameters
    ----------
    tracks : (sights, tracks.SIGHT_FIELDS) float64 of the whole recording, by frame
    """
    first, after = np.searchsorted(evidence.time_us, np.array([start_s, end_s]) * US_PER_S).tolist()
    part = evidence.between(first, after)
    during = slice(*np.searchsorted(tracks[:, FRAME], (first, after)))
    way = _way(tracks[during], part, first)
    if len(way) == 0:
        return WalkTest(np.zeros(0), np.zeros((0, 2)), (), ())
    frames = np.arange(int(way[0, 0]), int(way[-1, 0]) + 1)
    x, y = np.interp(frames, way[:, 0], way[:, 1]), np.interp(frames, way[:, 0], way[:, 2])
    ringing = _ringing(lanes, len(evidence.frames))[first:after]
    ground = _ground(plan, evidence.grid)
    seen = set(way[:, 0].astype(int).tolist())
    notices: list[Notice] = []
    for frame, across, down in zip(frames.tolist(), x.tolist(), y.tolist(), strict=True):
        if ringing[frame]:
            notices.append("alarm")
        elif frame not in seen:
            notices.append("unseen")
        else:
            notices.append(ground[_cell(across, down, evidence.grid)])
    grid = evidence.grid
    places = np.clip(np.stack([x, y], axis=1) * grid.cell_size_frac, 0, 1)
    time_s = part.time_us[frames] / US_PER_S
    return WalkTest(time_s, places, tuple(notices), tuple(_dead(time_s, places, notices)))


def _way(tracks: NDArray[np.float64], part: Evidence, first: int) -> NDArray[np.float64]:
    """Frame of the part, x and y in cells of the walker's feet where he was seen, (sights, 3) float64."""
    seconds = part.time_us / US_PER_S
    ways = [rows[rows[:, HOW] != UNSEEN][:, [FRAME, X, FOOT]] - (first, 0, 0) for rows in tracks_apart(tracks)]
    ways.sort(key=lambda way: -_net(way))
    taken: list[NDArray[np.float64]] = []
    for way in ways:
        if _net(way) >= _LEAST_CELLS and _fits(way, taken, seconds):
            taken.append(way)
    if not taken:
        return np.zeros((0, 3))
    whole = np.concatenate(taken)
    return whole[np.unique(whole[:, 0], return_index=True)[1]]  # of two at one frame, the one that went further


def _net(way: NDArray[np.float64]) -> float:
    return float(np.hypot(*(way[:, 1:] - way[0, 1:]).T).max())


def _fits(way: NDArray[np.float64], taken: list[NDArray[np.float64]], seconds: NDArray[np.float64]) -> bool:
    """Tell whether one body can have gone this way and those taken already."""
    for other in taken:
        shared = np.isin(way[:, 0], other[:, 0]).mean()
        before, then = (way, other) if way[0, 0] < other[0, 0] else (other, way)
        left_s = abs(float(seconds[int(then[0, 0])] - seconds[int(before[-1, 0])]))
        apart = float(np.hypot(*(then[0, 1:] - before[-1, 1:])))
        if shared > _SHARED or apart > _REACH_CELLS + _REACH_CELLS_PER_S * left_s:
            return False
    return True


def _ringing(lanes: Sequence[Lane], frames: int) -> NDArray[np.bool_]:
    found = np.zeros(frames, bool)
    for lane in lanes:
        for alarm in lane.alarms:
            found[alarm.onset_frame : alarm.end_frame + 1] = True
    return found


def _ground(plan: Plan, grid: Grid) -> list[Notice]:
    """What a walker in each cell is to the zones; wires watch no ground."""
    ground: list[Notice] = ["outside"] * grid.cells
    for watcher in plan.watchers:
        if isinstance(watcher, Wire):
            continue
        inside = np.flatnonzero(cell_shares(WHOLE_AREA if watcher is None else watcher.area, grid) > 0)
        watched = set(watched_weights(watcher, plan, grid).cells.tolist())
        for cell in inside.tolist():
            if cell in watched:
                ground[cell] = "quiet"
            elif ground[cell] == "outside":
                ground[cell] = "masked"
    return ground


def _cell(x: float, y: float, grid: Grid) -> int:
    """The cell a foot point stands in: it lies on the lower edge of a body's last cell."""
    row, column = min(grid.rows - 1, max(0, int(y - 0.5))), min(grid.columns - 1, max(0, int(x)))
    return row * grid.columns + column


def _dead(time_s: NDArray[np.float64], places: NDArray[np.float64], notices: list[Notice]) -> list[DeadSpot]:
    found, at = [], 0
    for noticed, run in groupby(notices, key=lambda notice: notice == "alarm"):
        length = len(list(run))
        first, last, at = at, at + length - 1, at + length
        if noticed or time_s[last] - time_s[first] < _DEAD_MIN_S:
            continue
        middle = places[(first + last) // 2]
        why = Counter(notices[first : last + 1]).most_common(1)[0][0]
        found.append(DeadSpot(float(time_s[first]), float(time_s[last]), (float(middle[0]), float(middle[1])), why))
    return found
