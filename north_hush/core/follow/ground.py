"""Where a followed body touches the ground: its foot point, or ahead of it when the body is longer than a person is tall.

The foot point of a patch is its lower edge. For somebody who comes nearer, or walks alone, that is where the feet are. Of
somebody who goes away and draws a sledge or a trailer, the lower edge is what is drawn: the feet are further up. Where size
marks tell how tall a person is at each place, the one in front stands where a person's height fits below the patch's top:

    y - TALLER * person(y) = top + SPILL

and the ground is taken there, but never further up than AHEAD_MOST of a person's height: the top of a large vehicle is no
head. Tops are hidden and found again, and what lies above a walker joins him for a moment, so the lift is the lowest median
over the last three seconds, kept while the body goes away.
"""

from __future__ import annotations

import math
from collections import deque
from dataclasses import dataclass, field

import numpy as np
from numpy.typing import NDArray

from north_hush.core.footage.stamps import US_PER_S

WINDOW_US, LIFT_WINDOW_US = 1_500_000, 3_000_000
TALLER, SPILL_CELLS = 1.05, 0.4
"""A person in step with a cap, against one who stands; and how far change spills over the upper edge, in cells."""
AHEAD_LEAST, AHEAD_MOST = 0.25, 0.33
"""In person heights: a smaller lift is noise, a larger one no person's."""
_LEAST_SEEN = 5
_MOVES_CELLS_PER_S = 0.1
_UNKNOWN = 1.0


@dataclass(frozen=True)
class Stature:
    """How tall a person is whose feet are in each row, and in which row he stands whose top is at a height.

    Attributes
    ----------
    cells : (rows,) float64, height in cells; 0 where no person stands upright or no size mark tells
    """

    cells: NDArray[np.float64]
    _rows: NDArray[np.float64] = field(init=False)
    _tops: NDArray[np.float64] = field(init=False)

    def __post_init__(self) -> None:
        known = self.cells > 0
        rows = np.arange(len(self.cells))[known] + 0.5
        object.__setattr__(self, "_rows", rows)
        object.__setattr__(self, "_tops", np.maximum.accumulate(rows - TALLER * self.cells[known]))

    def at(self, y: float) -> float:
        """Height in cells of a person whose feet are at y."""
        return float(self.cells[min(len(self.cells) - 1, max(0, int(y)))])

    def feet_below(self, top: float) -> float:
        """Where the feet of a person are whose top is there; y in cells."""
        return float(np.interp(top + SPILL_CELLS, self._tops, self._rows))


@dataclass(frozen=True)
class Stand:
    """Where a body stands in one frame.

    Attributes
    ----------
    y : in cells
    lift : by how much that is above the foot point, in person heights (0 or below)
    person : height of a person there in cells, 0 when that is not known
    tall : how tall it usually is, in person heights; 1 when that is not known
    speed : over the window, in person heights a second; 0 when that is not known
    """

    y: float
    lift: float
    person: float
    tall: float
    speed: float


class Ground:
    """Follows one path, sight by sight, with the memory of three seconds."""

    def __init__(self, stature: Stature) -> None:
        self._stature = stature
        self._recent: deque[tuple[int, float, float, float]] = deque()
        """When (us), x, y, and height in person heights."""
        self._lift = 0.0
        self._lifts: deque[tuple[int, float]] = deque()
        """When (us), and in person heights."""

    def feed(self, now_us: int, x: float, y: float, tall_cells: float) -> Stand:
        """Take where the path is seen, its foot point and its height up from there, and tell where it stands."""
        person = self._stature.at(y)
        tall = tall_cells / person if person else _UNKNOWN
        ahead = min(0.0, self._stature.feet_below(y - tall_cells) - y) / person if person else 0.0
        recent = self._recent
        recent.append((now_us, x, y, tall))
        while recent[0][0] < now_us - WINDOW_US:
            recent.popleft()
        self._lifts.append((now_us, ahead))
        while self._lifts[0][0] < now_us - LIFT_WINDOW_US:
            self._lifts.popleft()
        first_us, first_x, first_y = recent[0][:3]
        took_s = max((now_us - first_us) / US_PER_S, 0.1)
        down = (y - first_y) / took_s
        if down > _MOVES_CELLS_PER_S:
            self._lift = 0.0
        elif down < -_MOVES_CELLS_PER_S and len(recent) > _LEAST_SEEN:
            self._lift = min(self._lift, middle([held[1] for held in self._lifts]))
        lift = max(self._lift, -AHEAD_MOST) if self._lift < -AHEAD_LEAST else 0.0
        came = math.hypot(x - first_x, y - first_y)
        return Stand(
            y + lift * person,
            lift,
            person,
            middle([held[3] for held in recent]),
            came / took_s / person if person else 0.0,
        )


def middle(values: list[float]) -> float:
    """The median; of an even number the mean of the two in the middle."""
    ordered, half = sorted(values), len(values) // 2
    return ordered[half] if len(values) % 2 else (ordered[half - 1] + ordered[half]) / 2
