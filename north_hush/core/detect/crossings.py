"""Crossings: followed paths that go from one side of a tripwire to the other."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

import numpy as np
from numpy.typing import NDArray

from north_hush.core.detect.links import FRAME, NET, PATCH, PATH, SEEN, X, Y
from north_hush.core.grid import Grid
from north_hush.core.scene.outline import Point

Direction = Literal["a_to_b", "b_to_a"]

DEAD_BAND_CELLS = 0.75
"""How far a foot point must be beyond the line before it counts as on that side."""
_REACH_CELLS = 8.0
"""Farther from the line than this, nothing is remembered of a path."""
_OVERHANG_CELLS = 0.5
TRAVEL_MIN_CELLS, SEEN_MIN_FRAMES = 3.0, 8
"""What a path must have covered, and in how many frames it must have been seen, before it crosses anything."""
_TWIN_FRAMES_US = 700_000
_TWIN_CELLS = 2.0
"""Two crossings the same way, this close in time and place, are two pieces of one body."""
_FORGET_US = 10_000_000


@dataclass(frozen=True)
class Crossing:
    """One crossing: the frame in which the foot point passed the line, that in which it was sure, and where (fractions)."""

    frame: int
    sure_frame: int
    direction: Direction
    place: Point
    path: int


@dataclass
class _Side:
    side: int
    passed_frame: int
    passed_at: tuple[float, float]
    sign: int
    seen_us: int


class WireWatch:
    """Follows which side of one line each path is on. Replay feeds it all sights, live those of a frame."""

    def __init__(self, line: tuple[Point, ...], grid: Grid) -> None:
        side = grid.cell_source_px
        self._scale = np.array([grid.width / side, grid.height / side])
        corners = np.asarray(line, np.float64) * self._scale
        self._starts, self._spans = corners[:-1], np.diff(corners, axis=0)
        self._lengths = np.maximum(np.hypot(*self._spans.T), 1e-9)
        self._low, self._high = corners.min(axis=0) - _REACH_CELLS, corners.max(axis=0) + _REACH_CELLS
        self._sides: dict[int, _Side] = {}
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
        fits : (sights,) bool; in others no crossing becomes sure, but they are followed. None fits all.
        """
        place = sights[:, [X, Y]]
        near = ((place >= self._low) & (place <= self._high)).all(axis=1)
        found = []
        for number in np.flatnonzero(near).tolist():
            row = sights[number]
            frame = int(row[FRAME])
            fit = fits is None or bool(fits[number])
            crossing = self._step(row, frame, int(time_us[frame - first_frame]), fit=fit)
            if crossing is not None:
                found.append(crossing)
        return found

    def _step(self, row: NDArray[np.float64], frame: int, now_us: int, *, fit: bool) -> Crossing | None:
        path, at = int(row[PATH]), (float(row[X]), float(row[Y]))
        distance = self._distance(at)
        if distance is None:
            self._sides.pop(path, None)
            return None
        sign = 1 if distance >= 0 else -1
        held = self._sides.get(path)
        if held is None:
            if abs(distance) >= DEAD_BAND_CELLS:
                self._sides[path] = _Side(sign, frame, at, sign, now_us)
                self._forget(now_us)
            return None
        held.seen_us = now_us
        if sign != held.sign:
            held.sign, held.passed_frame, held.passed_at = sign, frame, at
        sure = abs(distance) >= DEAD_BAND_CELLS and row[PATCH] >= 0 and row[NET] >= TRAVEL_MIN_CELLS
        sure = sure and row[SEEN] >= SEEN_MIN_FRAMES and fit
        if not sure or sign == held.side:
            return None
        held.side = sign
        direction: Direction = "a_to_b" if sign < 0 else "b_to_a"
        x, y = held.passed_at
        if self._is_twin(now_us, direction, x, y):
            return None
        x_frac, y_frac = (held.passed_at / self._scale).tolist()
        return Crossing(held.passed_frame, frame, direction, (round(x_frac, 5), round(y_frac, 5)), path)

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

    def _is_twin(self, now_us: int, direction: Direction, x: float, y: float) -> bool:
        self._recent = [item for item in self._recent if now_us - item[0] <= _TWIN_FRAMES_US]
        twin = any(
            way == direction and np.hypot(x - there_x, y - there_y) <= _TWIN_CELLS
            for _, way, there_x, there_y in self._recent
        )
        if not twin:
            self._recent.append((now_us, direction, x, y))
        return twin

    def _forget(self, now_us: int) -> None:
        """Memory stays bounded: paths not seen for long are gone."""
        self._sides = {path: side for path, side in self._sides.items() if now_us - side.seen_us <= _FORGET_US}
