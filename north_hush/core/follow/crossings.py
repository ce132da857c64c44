"""Crossings: followed paths that go from one side of a tripwire to the other.

A path is on a side when the median of its last three distances from the line is beyond the dead band. When that side
changes, the moment it passed the line is where a straight line through its distances of the last three seconds meets zero
(least squares): the foot point of somebody far off is known to half a cell, and he takes a second for that. What jumps
about that line, or is small and faster than a person runs, is weather or an animal.
"""

from __future__ import annotations

from collections import deque
from dataclasses import dataclass, field, replace

import numpy as np
from numpy.typing import NDArray

from north_hush.core.detect.alarms import Alarm
from north_hush.core.follow.ground import Ground, Stand, Stature, middle
from north_hush.core.follow.links import FRAME, NET, PATCH, PATH, SEEN, TALL, X, Y
from north_hush.core.footage.stamps import US_PER_S
from north_hush.core.grid import Grid
from north_hush.core.scene.items import Direction, SizeMark, Wire
from north_hush.core.scene.outline import Point
from north_hush.core.scene.stature import person_cells

DEAD_BAND_CELLS = 0.75
"""How far a body must be beyond the line before it counts as on that side."""
_REACH_CELLS = 12.0
"""Farther from the line than this, nothing is remembered of a path."""
_OVERHANG_CELLS = 0.5
_TRAVEL_MIN_CELLS, _SEEN_MIN_FRAMES = 2.0, 10
"""What a path must have covered, and in how many frames it must have been seen, before it crosses anything."""
_MEDIAN_OF, _FIRST_SIDE_LEAST = 3, 5
"""Who begins to move is seen in part only, so that a path's first side takes more sights than a change of sides."""
_FITTED_US, _FITTED_LEAST = 2_500_000, 4
_BREAK_US = 2_000_000
"""Unseen for longer, a path's distances are forgotten, but not its side."""
_JUMP_CELLS = 1.75
_FASTEST_HEIGHTS_PER_S = 6.0
_SMALL_HEIGHTS, _SMALL_FASTEST_HEIGHTS_PER_S = 0.9, 2.0
_TWIN_US, _TWIN_CELLS, _TWIN_HEIGHTS = 1_500_000, 2.0, 0.4
"""Two crossings the same way, this close in time and place, are two pieces of one body."""
_PIECE_HEIGHTS, _ASIDE_HEIGHTS, _BELOW_HEIGHTS, _APART_CELLS, _BESIDE_US = 0.5, 0.35, 1.0, 1.0, 300_000
"""Lower than this, with another path so little aside and at most so far below it at the same time, is part of a body."""
_FORGET_US, _FORGET_EVERY_US = 10_000_000, 1_000_000
PEAK_FRAMES = 256
"""The peak of a crossing is looked for in so many frames before it is sure; the live twin keeps no more."""


@dataclass(frozen=True)
class Crossing:
    """One crossing: the frame in which the line was passed, that in which it was sure, and where (fractions)."""

    frame: int
    sure_frame: int
    direction: Direction
    place: Point
    path: int
    passed_us: int
    sure_us: int


def crossing_alarms(
    crossings: list[Crossing], wire: Wire, areas: NDArray[np.int64], first_frame: int = 0
) -> list[Alarm]:
    """Crossings in a direction the wire watches, as alarms.

    Parameters
    ----------
    areas : (frames,) int64, changed area of the wire in the frames from `first_frame` on
    """
    alarms = []
    for held in crossings:
        if wire.watches not in (held.direction, "both"):
            continue
        first = max(held.frame, held.sure_frame + 1 - PEAK_FRAMES) - first_frame
        peak = int(areas[max(0, first) : held.sure_frame + 1 - first_frame].max(initial=0))
        frames = held.frame, held.sure_frame, held.sure_frame
        times_us = held.passed_us, held.sure_us, held.sure_us
        alarms.append(Alarm(*frames, "crossed", peak, *times_us, held.direction, held.place))
    return alarms


@dataclass(frozen=True)
class _Sight:
    now_us: int
    frame: int
    distance: float
    at: tuple[float, float]
    """Where it stands."""
    lift: float
    person: float
    fits: bool


@dataclass
class _Walker:
    """A path near the line: where it stands, on which side it was, and its recent distances."""

    ground: Ground
    side: int = 0
    seen_us: int = 0
    sights: deque[_Sight] = field(default_factory=deque)
    passed: _Sight | None = None
    """The first sight after the last one on the side it came from."""

    def note(self, sight: _Sight) -> None:
        """Take one more sight; those older than the line is fitted over go."""
        if self.sights and sight.now_us - self.sights[-1].now_us > _BREAK_US:
            self.sights.clear()
            self.passed = None
        own_side = sight.distance * self.side > 0
        if own_side or self.passed is None:
            self.passed = None if own_side else sight
        self.sights.append(sight)
        while self.sights[0].now_us < sight.now_us - _FITTED_US:
            self.sights.popleft()


class WireWatch:
    """Follows which side of one line each path is on. Replay feeds it all sights, live those of a frame."""

    def __init__(self, line: tuple[Point, ...], grid: Grid, size_marks: tuple[SizeMark, ...] = ()) -> None:
        side = grid.cell_source_px
        self._scale = np.array([grid.width / side, grid.height / side])
        corners = np.asarray(line, np.float64) * self._scale
        self._starts, self._spans = corners[:-1], np.diff(corners, axis=0)
        self._lengths = np.maximum(np.hypot(*self._spans.T), 1e-9)
        self._low, self._high = corners.min(axis=0) - _REACH_CELLS, corners.max(axis=0) + _REACH_CELLS
        self._stature = Stature(person_cells(size_marks, grid))
        self._walkers: dict[int, _Walker] = {}
        self._forgot_us = 0
        self._recent: list[tuple[int, Direction, float, float]] = []

    def feed(
        self,
        sights: NDArray[np.float64],
        time_us: NDArray[np.int64],
        first_frame: int = 0,
        fits: NDArray[np.bool_] | None = None,
    ) -> list[Crossing]:
        """Take sights of some frames, in their order, and return the crossings that became sure in them.

        Parameters
        ----------
        sights : (sights, SIGHT_FIELDS) float64
        time_us : of the frames from `first_frame` on
        fits : (sights,) bool; who fits in less than half of the recent sights crosses nothing. None fits all.
        """
        place = sights[:, [X, Y]]
        near = ((place >= self._low) & (place <= self._high)).all(axis=1) & (sights[:, PATCH] >= 0)
        found = []
        for number in np.flatnonzero(near).tolist():
            row = sights[number]
            now_us = int(time_us[int(row[FRAME]) - first_frame])
            crossing = self._step(row, now_us, fits=fits is None or bool(fits[number]))
            if crossing is not None:
                found.append(crossing)
        return found

    def _step(self, row: NDArray[np.float64], now_us: int, *, fits: bool) -> Crossing | None:
        path, frame = int(row[PATH]), int(row[FRAME])
        walker = self._walkers.get(path)
        if walker is None:
            if now_us - self._forgot_us > _FORGET_EVERY_US:
                self._forget(now_us)
                self._forgot_us = now_us
            walker = self._walkers[path] = _Walker(Ground(self._stature))
        walker.seen_us = now_us
        stand = walker.ground.feed(now_us, float(row[X]), float(row[Y]), float(row[TALL]))
        at = (float(row[X]), stand.y)
        distance = self._distance(at)
        if distance is None:
            walker.side, walker.passed = 0, None
            walker.sights.clear()
            return None
        walker.note(_Sight(now_us, frame, distance, at, stand.lift, stand.person, fits))
        latest = [held.distance for held in walker.sights]
        if walker.side == 0 and row[SEEN] < _FIRST_SIDE_LEAST:
            return None
        now = middle(latest[-_MEDIAN_OF:] if walker.side else latest[-_FIRST_SIDE_LEAST:])
        if abs(now) < DEAD_BAND_CELLS:
            return None
        came_from, walker.side = walker.side, 1 if now > 0 else -1
        if came_from in (0, walker.side):
            return None
        passed = None if self._is_piece(walker, stand, row) else self._passed(walker, stand)
        walker.passed = None
        if passed is None or row[NET] < _TRAVEL_MIN_CELLS or row[SEEN] < _SEEN_MIN_FRAMES:
            return None
        direction: Direction = "a_to_b" if walker.side < 0 else "b_to_a"
        if self._is_twin(passed.now_us, direction, *passed.at, stand.person):
            return None
        x_frac, y_frac = (passed.at / self._scale).tolist()
        place = round(x_frac, 5), round(y_frac, 5)
        return Crossing(passed.frame, frame, direction, place, path, passed.now_us, now_us)

    def _is_piece(self, walker: _Walker, stand: Stand, row: NDArray[np.float64]) -> bool:
        """Tell whether a small thing is the head or back of somebody who fell apart: another path walks below it."""
        if stand.tall >= _PIECE_HEIGHTS or not stand.person:
            return False
        reach = _BELOW_HEIGHTS * stand.person
        for other in self._walkers.values():
            if other is walker or not other.sights or walker.seen_us - other.seen_us > _BESIDE_US:
                continue
            x, y = other.sights[-1].at
            if abs(x - row[X]) <= _ASIDE_HEIGHTS * stand.person and _APART_CELLS < y - stand.y <= reach:
                return True
        return False

    def _passed(self, walker: _Walker, stand: Stand) -> _Sight | None:
        """The sight nearest to when the line was passed; None for what does not move as people and vehicles do."""
        sights = list(walker.sights)
        if len(sights) < _FITTED_LEAST or 2 * sum(held.fits for held in sights) < len(sights):
            return None
        sights = self._levelled(sights, stand.lift)
        times = np.array([(held.now_us - sights[-1].now_us) / US_PER_S for held in sights])
        distances = np.array([held.distance for held in sights])
        off = times - times.mean()
        speed = float((off * distances).sum() / max(float((off * off).sum()), 1e-9))
        steps = np.abs(np.diff(distances) / np.maximum(np.diff(times), 1e-3))
        jump = float((np.abs(np.diff(distances)) - np.median(steps) * np.diff(times)).max())
        if jump > _JUMP_CELLS or stand.speed > _FASTEST_HEIGHTS_PER_S:
            return None
        if stand.tall < _SMALL_HEIGHTS and stand.speed > _SMALL_FASTEST_HEIGHTS_PER_S:
            return None
        when_s = float(times.mean() - distances.mean() / speed) if speed else np.inf
        passed = sights[int(np.abs(times - when_s).argmin())]
        straight = speed * walker.side > 0 and times[0] - 0.5 <= when_s <= 0.5
        if not straight or abs(passed.distance) > _JUMP_CELLS:
            passed = walker.passed or sights[-1]  # it waited or turned: when it left the side it came from
        return passed if abs(passed.distance) <= _JUMP_CELLS else None

    def _levelled(self, sights: list[_Sight], lift: float) -> list[_Sight]:
        """The sights with the feet of all of them where they are known to be by now: what is drawn behind somebody is not
        told from his feet at first."""
        return [self._lifted(held, lift) if held.lift != lift else held for held in sights]

    def _lifted(self, held: _Sight, lift: float) -> _Sight:
        at = (held.at[0], held.at[1] + (lift - held.lift) * held.person)
        distance = self._distance(at)
        return held if distance is None else replace(held, at=at, distance=distance, lift=lift)

    def _distance(self, at: tuple[float, float]) -> float | None:
        """Signed distance from the line in cells, positive on side A; None beyond its ends."""
        offsets = np.array(at) - self._starts
        along = (offsets * self._spans).sum(axis=1) / self._lengths**2
        slack = _OVERHANG_CELLS / self._lengths
        within = (along >= -slack) & (along <= 1 + slack)
        if not within.any():
            return None
        left = (offsets[:, 0] * self._spans[:, 1] - offsets[:, 1] * self._spans[:, 0]) / self._lengths
        places = np.flatnonzero(within)
        return float(left[places[np.argmin(np.abs(left[places]))]])

    def _is_twin(self, when_us: int, direction: Direction, x: float, y: float, person: float) -> bool:
        self._recent = [item for item in self._recent if when_us - item[0] <= _FORGET_US]
        reach = max(_TWIN_CELLS, _TWIN_HEIGHTS * person)
        twin = any(
            way == direction and abs(when_us - there_us) <= _TWIN_US and np.hypot(x - there_x, y - there_y) <= reach
            for there_us, way, there_x, there_y in self._recent
        )
        if not twin:
            self._recent.append((when_us, direction, x, y))
        return twin

    def _forget(self, now_us: int) -> None:
        """Memory stays bounded: paths not seen for long are gone."""
        self._walkers = {path: held for path, held in self._walkers.items() if now_us - held.seen_us <= _FORGET_US}
