"""Crossings: tracks that go from one side of a tripwire to the other, each with how sure it is.

A track is on a side when the median of its last three distances from the line is beyond the dead band. When that side changes, the
moment it passed is where a straight line through its distances of the last seconds meets zero (least squares): a foot is known to
half a cell. How sure a crossing is, is a product of what bodies have and weather lacks, see `certainty`.
"""

from __future__ import annotations

from collections import deque
from collections.abc import Iterator, Sequence
from itertools import islice, pairwise
from operator import itemgetter

import numpy as np
from numpy.typing import NDArray

from north_hush.core.follow.approach import Approach, NearSight, Piece
from north_hush.core.follow.certainty import Look, certainty
from north_hush.core.follow.crossing import Crossing
from north_hush.core.follow.halves import SEEN_BY_US, WHOLE_BY_US, heights_together
from north_hush.core.follow.heights import Heights, middle
from north_hush.core.follow.tracks import (
    CELLS,
    FOOT,
    FRAME,
    HITS,
    HOW,
    LEFT,
    NET,
    OWN,
    RIGHT,
    STRENGTH,
    TOP,
    TRACK,
    UNSEEN,
    X,
    Y,
)
from north_hush.core.footage.stamps import US_PER_S
from north_hush.core.grid import Grid
from north_hush.core.scene.items import Direction, SizeMark
from north_hush.core.scene.outline import Point
from north_hush.core.scene.stature import person_cells

_DEAD_BAND_CELLS = 0.6
"""How far a body must be beyond the line before it counts as on that side: nearly nine in ten lower edges are known so well."""
_REACH_CELLS = 12.0
"""Farther from the line than this, nothing is remembered of a track."""
_OVERHANG_CELLS, _OVERHANG_TALL = 0.5, 0.25
"""How far beyond the ends of the line a crossing may be: a line is drawn by hand, to somebody's knees as to his soles."""
_TRAVEL_LEAST_CELLS, _HITS_LEAST, _KNOWN_LEAST_US = 1.5, 3, 400_000
"""What a track must have covered, in how many frames and for how long it must have been seen, before it crosses anything."""
_MEDIAN_OF, _FIRST_SIDE_LEAST, _FIRST_SIDE_US = 3, 2, 300_000
"""Who begins to move is seen in part only, so that a track's first side takes more sights than a change of sides."""
_FITTED_LEAST = 3
_OFF_LINE_CELLS = 1.75
_TWIN_US, _TWIN_TALL = 500_000, 0.2
"""Two crossings the same way so close in time and place, in own heights, are two pieces of one body: one walker behind another
follows by more."""
_BEGUN_BY_US, _BEGUN_KEPT = 2_000_000, 256
_FORGET_US, _FORGET_EVERY_US = 10_000_000, 1_000_000


class WireWatch:
    """Follows which side of one line each track is on. Replay feeds it all sights, live those of a frame."""

    def __init__(self, line: tuple[Point, ...], grid: Grid, size_marks: tuple[SizeMark, ...] = ()) -> None:
        side = grid.cell_source_px
        self._cells = grid.cells
        self._scale = np.array([grid.width / side, grid.height / side])
        corners = np.asarray(line, np.float64) * self._scale
        self._pieces = [Piece.between(*ends) for ends in pairwise(corners.tolist())]
        self._low, self._high = corners.min(axis=0) - _REACH_CELLS, corners.max(axis=0) + _REACH_CELLS
        self._person_cells = person_cells(size_marks, grid)
        self._walkers: dict[int, Approach] = {}
        self._forgot_us = 0
        self._recent: list[tuple[int, Direction, float, float]] = []
        self._begun: deque[int] = deque(maxlen=_BEGUN_KEPT)
        """When tracks began anywhere in the view."""

    def feed(self, sights: NDArray[np.float64], time_us: NDArray[np.int64], first_frame: int = 0) -> list[Crossing]:
        """Take sights of some frames, in their order, and return the crossings that were told in them.

        Parameters
        ----------
        sights : (sights, SIGHT_FIELDS) float64
        time_us : of the frames from `first_frame` on
        """
        place = sights[:, [X, FOOT]]
        near = ((place >= self._low) & (place <= self._high)).all(axis=1)
        looked_at = near | (sights[:, HITS] == 1)
        found = []
        for row, is_near in zip(sights[looked_at].tolist(), near[looked_at].tolist(), strict=True):
            now_us = int(time_us[int(row[FRAME]) - first_frame])
            if row[HITS] == 1:
                self._begun.append(now_us)
            if not is_near:
                continue
            crossing = self._step(row, now_us)
            if crossing is not None:
                found.append(crossing)
        return found

    def _step(self, row: Sequence[float], now_us: int) -> Crossing | None:
        track, frame = int(row[TRACK]), int(row[FRAME])
        walker = self._walkers.get(track)
        if walker is None:
            if now_us - self._forgot_us > _FORGET_EVERY_US:
                self._forget(now_us)
                self._forgot_us = now_us
            walker = self._walkers[track] = self._begun_as(row, now_us)
        walker.seen_us = now_us
        if row[HOW] != UNSEEN:
            walker.box_before = walker.box
            walker.box = row[LEFT], row[TOP], row[RIGHT], row[FOOT]
        tall = max(0.5, row[FOOT] - row[TOP])
        own = row[HOW] == OWN
        box = max(1.0, tall * (row[RIGHT] - row[LEFT]))
        walker.look(
            Look(
                now_us, row[X], row[FOOT], tall, row[HOW] != UNSEEN,
                row[CELLS] if own else None, row[CELLS] / box, row[STRENGTH],
            )
        )  # fmt: skip
        if row[HOW] == UNSEEN:
            return None
        heights = walker.heights.feed(now_us, row[FOOT], tall)
        at = (row[X], row[FOOT])
        distance, along = self._distance(at, tall)
        walker.note(NearSight(now_us, frame, distance, at, along))
        latest = [held.distance for held in islice(reversed(walker.sights), _MEDIAN_OF + 1)]
        waited_us = now_us - walker.sights[0].now_us
        if walker.side == 0 and (len(latest) < _FIRST_SIDE_LEAST or waited_us < _FIRST_SIDE_US):
            return None
        now = middle(latest[:_MEDIAN_OF] if walker.side else latest)
        if abs(now) < _DEAD_BAND_CELLS and not (walker.side and walker.stands_beyond(now)):
            return None
        came_from, side = walker.side, 1 if now > 0 else -1
        if came_from in (0, side):
            walker.side = side
            return None
        known_us = now_us - walker.looks[0].now_us
        if row[NET] < _TRAVEL_LEAST_CELLS or row[HITS] < _HITS_LEAST or known_us < _KNOWN_LEAST_US:
            return None  # not yet
        walker.side = side
        passed = self._passed(walker)
        walker.passed = None
        if passed is None:
            return None
        if self._is_upper_half(walker, now_us):
            return None
        heights = self._with_upper_half(walker, now_us, heights)
        direction: Direction = "a_to_b" if walker.side < 0 else "b_to_a"
        if self._is_twin(passed.now_us, direction, *passed.at, max(1.0, _TWIN_TALL * tall)):
            return None
        x_frac, y_frac = (passed.at / self._scale).tolist()
        looks = tuple(walker.looks)
        cells = [held.cells for held in looks if held.cells is not None]
        return Crossing(
            passed.frame, frame, direction, (round(x_frac, 5), round(y_frac, 5)), track, passed.now_us, now_us,
            certainty(looks, self._cells, self._begun_per_s(now_us), heights),
            100 * middle(cells) / self._cells if cells else 0.0,
            heights,
        )  # fmt: skip

    def _begun_as(self, row: Sequence[float], now_us: int) -> Approach:
        """A walker for a track that begins: of one who parts from somebody's body, or from what he put down, with the side that
        was on."""
        walker = Approach(Heights(self._person_cells))
        if row[HITS] > 1:
            return walker
        for other in self._walkers.values():
            left, top, right, bottom = other.box_before
            if other.seen_us == now_us and left <= row[X] <= right and top <= row[Y] <= bottom:
                walker.side = other.side
                walker.sights.extend(other.sights)
                walker.passed = other.passed
        return walker

    def _is_upper_half(self, walker: Approach, now_us: int) -> bool:
        """Whether it is the upper half of somebody, whose lower half crosses for both, and is told how tall they are together."""
        found = False
        for other in self._seen_beside(walker, now_us):
            together = heights_together(walker.box, other.box, self._person_cells)
            if together is not None:
                found, other.whole = True, (now_us, together)
        return found

    def _with_upper_half(self, walker: Approach, now_us: int, heights: float | None) -> float | None:
        """The height of a body with what stands on it, or did lately, in person heights."""
        if heights is None:
            return None
        told_us, whole = walker.whole
        boxes = (other.box for other in self._seen_beside(walker, now_us))
        together = [heights_together(box, walker.box, self._person_cells) for box in boxes]
        lately = whole if now_us - told_us <= WHOLE_BY_US else 0.0
        return max(heights, lately, *(held or 0.0 for held in together))

    def _seen_beside(self, walker: Approach, now_us: int) -> Iterator[Approach]:
        """Other tracks that are followed near the line now, those that are out of sight for a moment too."""
        held = self._walkers.values()
        return (other for other in held if other is not walker and now_us - other.seen_us <= SEEN_BY_US)

    def _begun_per_s(self, now_us: int) -> float:
        return sum(at_us > now_us - _BEGUN_BY_US for at_us in self._begun) * US_PER_S / _BEGUN_BY_US

    def _passed(self, walker: Approach) -> NearSight | None:
        """The sight nearest to when the line was passed; None for who went around its end, or was not near it."""
        sights = list(walker.sights)
        passed = walker.passed or sights[-1]  # it waited or turned: when it left the side it came from
        turned = max(range(len(sights)), key=lambda number: -walker.side * sights[number].distance)
        sights = sights[turned:]  # of who came over the line and turned back only the way back is straight
        if len(sights) >= _FITTED_LEAST:
            times = np.array([(held.now_us - sights[-1].now_us) / US_PER_S for held in sights])
            distances = np.array([held.distance for held in sights])
            off = times - times.mean()
            speed = float((off * distances).sum() / max(float((off * off).sum()), 1e-9))
            when_s = float(times.mean() - distances.mean() / speed) if speed else np.inf
            nearest = sights[int(np.abs(times - when_s).argmin())]
            straight = speed * walker.side > 0 and times[0] - 0.5 <= when_s <= 0.5
            if straight and abs(nearest.distance) <= _OFF_LINE_CELLS:
                passed = nearest
        return passed if passed.along else None

    def _distance(self, at: tuple[float, float], tall: float) -> tuple[float, bool]:
        """Signed distance from the line in cells, positive on side A; and whether that is beside the line."""
        nearest = min((piece.seen_from(at) for piece in self._pieces), key=itemgetter(0))
        _, left, along, length = nearest
        slack = (_OVERHANG_CELLS + _OVERHANG_TALL * tall) / length
        return left, -slack <= along <= 1 + slack

    def _is_twin(self, when_us: int, direction: Direction, x: float, y: float, reach: float) -> bool:
        self._recent = [item for item in self._recent if when_us - item[0] <= _FORGET_US]
        twin = any(
            way == direction and abs(when_us - there_us) <= _TWIN_US and np.hypot(x - there_x, y - there_y) <= reach
            for there_us, way, there_x, there_y in self._recent
        )
        if not twin:
            self._recent.append((when_us, direction, x, y))
        return twin

    def _forget(self, now_us: int) -> None:
        """Memory stays bounded: tracks not seen for long are gone."""
        self._walkers = {track: held for track, held in self._walkers.items() if now_us - held.seen_us <= _FORGET_US}
