"""The approach of one track to a line: where it stood lately, on which side it was, and since when it is past."""

from __future__ import annotations

import math
from collections import deque
from collections.abc import Sequence
from dataclasses import dataclass, field

from north_hush.core.follow.certainty import KNOWN_BY_US, Look
from north_hush.core.follow.halves import WHOLE_BY_US, Box
from north_hush.core.follow.heights import Heights

_STANDS_CELLS, _STANDS_US = 0.25, 1_000_000
"""So far beyond, and for so long, it counts there too: who stands on the line is noise in each frame, and not for a second."""
_FITTED_US = 2_500_000
"""The sights of so long are kept, which a straight way is fitted to."""
_BREAK_US = 4_000_000
"""Unseen for longer, a track is another one."""


@dataclass(frozen=True)
class Piece:
    """A straight piece of a line, in cells: plain numbers, since arrays of two cost more than what is worked out with them."""

    x: float
    y: float
    right: float
    down: float
    length: float

    @classmethod
    def between(cls, start: Sequence[float], end: Sequence[float]) -> Piece:
        right, down = end[0] - start[0], end[1] - start[1]
        return cls(start[0], start[1], right, down, max(math.hypot(right, down), 1e-9))

    def seen_from(self, at: tuple[float, float]) -> tuple[float, float, float, float]:
        """How far away a point is, how far on side A of the piece's line, where along it (0 to 1), and how long the piece is."""
        x, y = at[0] - self.x, at[1] - self.y
        along = (x * self.right + y * self.down) / self.length**2
        on_it = min(1.0, max(0.0, along))
        away = math.hypot(x - on_it * self.right, y - on_it * self.down)
        return away, (x * self.down - y * self.right) / self.length, along, self.length


@dataclass(frozen=True)
class NearSight:
    """One frame of a track near the line; the distance in cells, positive on side A."""

    now_us: int
    frame: int
    distance: float
    at: tuple[float, float]
    """Where it stands."""
    along: bool
    """Whether that is beside the line, not beyond its ends."""


@dataclass
class Approach:
    """A track near the line: where it stands, on which side it was, and its recent sights."""

    heights: Heights
    side: int = 0
    seen_us: int = 0
    sights: deque[NearSight] = field(default_factory=deque)
    looks: deque[Look] = field(default_factory=deque)
    passed: NearSight | None = None
    """The first sight after the last one on the side it came from."""
    box: Box = (0.0, 0.0, 0.0, 0.0)
    box_before: Box = (0.0, 0.0, 0.0, 0.0)
    """Where its body was seen last, and in the frame before."""
    whole: tuple[int, float] = (-WHOLE_BY_US, 0.0)
    """When something stood on it that is a part of the same body, and how tall both were, in person heights."""

    def note(self, sight: NearSight) -> None:
        """Take one more sight; those older than the line is fitted over go."""
        if self.sights and sight.now_us - self.sights[-1].now_us > _BREAK_US:
            self.sights.clear()
            self.passed = None
            self.side = 0
        own_side = sight.distance * self.side > 0
        if own_side or self.passed is None:
            self.passed = None if own_side else sight
        self.sights.append(sight)
        while self.sights[0].now_us < sight.now_us - _FITTED_US:
            self.sights.popleft()

    def stands_beyond(self, now: float) -> bool:
        """Tell whether it is just beyond the line by now, and was on that side of it in every sight for long enough."""
        if abs(now) < _STANDS_CELLS:
            return False
        for sight in reversed(self.sights):
            if sight.distance * now <= 0:
                return False
            if self.sights[-1].now_us - sight.now_us >= _STANDS_US:
                return True
        return False

    def look(self, look: Look) -> None:
        """Take how it is seen in a frame, also when it is not."""
        self.looks.append(look)
        while self.looks[0].now_us < look.now_us - KNOWN_BY_US:
            self.looks.popleft()
