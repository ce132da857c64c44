"""What a track is named by: its size, shape, speed and course, each usual value with how far it varies.

Sizes and speeds are in person heights at the feet, from size marks or from the walkers of the recording; where neither tells them,
in own heights.
"""

from __future__ import annotations

from dataclasses import dataclass, fields

import numpy as np
from numpy.typing import NDArray

from north_hush.core.compiled import compiled
from north_hush.core.follow.apart import Apart
from north_hush.core.follow.tracks import CELLS, FOOT, FRAME, HOW, LEFT, OWN, RIGHT, STRENGTH, TOP, UNSEEN, X
from north_hush.core.grid import Grid

_LOW, _HIGH = 0.1, 0.9
_PACE_S = 0.5
"""Speed is told over so long: half a step."""


@dataclass(frozen=True)
class Traits:
    """What a track is named by.

    Attributes
    ----------
    tall, wide : median, in person heights (own heights where those are not known); `_low` and `_high` a tenth from either end
    speed : median, person heights a second; `slow` and `fast` a tenth from either end
    level : how much of its speed is across the picture, 0..1: rain falls, walkers do not
    straight : way from first to last by way gone, 0..1
    travelled : farthest from where it began, in own heights
    seen, alone : share of its frames it was seen in, and seen in a body of its own
    filled : share of its box that is its own
    strength : how far above the limit of foreground; `flicker` how far that varies, as a share
    view_percent : of the view
    steady : median change of its cells from frame to frame, as a share
    measured : whether person heights are known
    """

    tall: float
    tall_low: float
    tall_high: float
    wide: float
    wide_low: float
    wide_high: float
    speed: float
    slow: float
    fast: float
    level: float
    straight: float
    travelled: float
    seen: float
    alone: float
    filled: float
    strength: float
    flicker: float
    view_percent: float
    steady: float
    measured: bool


def traits_of(
    rows: NDArray[np.floating], time_us: NDArray[np.int64], person: NDArray[np.float64], grid: Grid
) -> Traits | None:
    """Traits of one track; None when it never had a body of its own.

    Parameters
    ----------
    rows : (sights, SIGHT_FIELDS) of the track, by frame
    person : (rows,) float64, height of a person in cells by the row of the feet, 0 where it is not known
    """
    own = rows[rows[:, HOW] == OWN].astype(np.float64)
    if len(own) == 0:
        return None
    tall = np.maximum(own[:, FOOT] - own[:, TOP], 0.5)
    wide = own[:, RIGHT] - own[:, LEFT]
    heights = person[np.clip(own[:, FOOT].astype(np.int64), 0, grid.rows - 1)]
    measured = bool((heights > 0).mean() > 0.5)
    unit = np.where(heights > 0, heights, np.median(tall)) if measured else np.full(len(own), float(np.median(tall)))
    across, down, gone = _legs(own, time_us)
    speeds = np.hypot(across, down) / float(np.median(unit))
    sideways, falling = abs(float(np.median(across))), abs(float(np.median(down)))
    points = own[:, [X, FOOT]]
    net = float(np.hypot(*(points[-1] - points[0])))
    (tall_low, tall_usual, tall_high), (wide_low, wide_usual, wide_high), (slow, speed, fast) = (
        np.quantile(values, (_LOW, 0.5, _HIGH)).tolist() for values in (tall / unit, wide / unit, speeds)
    )
    strength = own[:, STRENGTH]
    return Traits(
        tall=tall_usual, tall_low=tall_low, tall_high=tall_high,
        wide=wide_usual, wide_low=wide_low, wide_high=wide_high,
        speed=speed, slow=slow, fast=fast,
        level=sideways / (sideways + falling + 0.05),
        straight=min(1.0, net / gone) if gone > 1 else 0.0,
        travelled=float(np.hypot(*(points - points[0]).T).max()) / float(np.median(tall)),
        seen=float((rows[:, HOW] != UNSEEN).mean()),
        alone=len(own) / len(rows),
        filled=float(np.median(own[:, CELLS] / np.maximum(1.0, tall * wide))),
        strength=float(np.median(strength)),
        flicker=float(strength.std() / max(1e-6, float(strength.mean()))),
        view_percent=100 * float(np.median(own[:, CELLS])) / grid.cells,
        steady=float(np.median(np.abs(np.diff(own[:, CELLS]) / own[:-1, CELLS]))) if len(own) > 1 else 1.0,
        measured=measured,
    )  # fmt: skip


def _legs(
    own: NDArray[np.float64], time_us: NDArray[np.int64]
) -> tuple[NDArray[np.float64], NDArray[np.float64], float]:
    """Speeds across and down in cells a second over half a second, and the way gone in cells."""
    at_s = time_us[own[:, FRAME].astype(np.int64)] / 1e6
    points = own[:, [X, FOOT]]
    pace = max(1, round(_PACE_S / max(float(np.median(np.diff(at_s))), 1e-3))) if len(own) > 1 else 1
    if len(own) <= pace:
        return np.zeros(1), np.zeros(1), 0.0
    took = np.maximum(at_s[pace:] - at_s[:-pace], 1e-3)
    across, down = ((points[pace:] - points[:-pace]) / took[:, None]).T
    gone = float(np.hypot(*np.diff(points[::pace], axis=0).T).sum())
    return across, down, gone


def trait_table(
    apart: Apart, time_us: NDArray[np.int64], person: NDArray[np.float64], grid: Grid
) -> NDArray[np.float64]:
    """Traits of all tracks at once, (tracks, traits) float64 in the order of `Traits`; not a number where a track never had a body of
    its own. `traits_of` is its twin."""
    return trait_parts(apart.columns, apart.starts[:-1], apart.starts[1:], time_us, person, grid)


def trait_parts(
    columns: NDArray[np.float32],
    firsts: NDArray[np.int64],
    afters: NDArray[np.int64],
    time_us: NDArray[np.int64],
    person: NDArray[np.float64],
    grid: Grid,
) -> NDArray[np.float64]:
    """The same of parts of tracks, which may overlap: from which of the columns of `Apart` on, and to before which, each (parts,)
    int64."""
    table = np.full((len(firsts), len(fields(Traits))), np.nan)
    _fill(np.ascontiguousarray(columns), firsts, afters, time_us, person, grid.cells, table)
    return table


@compiled
def _fill(
    columns: NDArray[np.float32],
    firsts: NDArray[np.int64],
    afters: NDArray[np.int64],
    time_us: NDArray[np.int64],
    person: NDArray[np.float64],
    cells: int,
    table: NDArray[np.float64],
) -> None:
    for number in range(len(firsts)):
        part = columns[:, firsts[number] : afters[number]].astype(np.float64)
        alone = part[HOW] == OWN
        count = alone.sum()
        if count == 0:
            continue
        own = part[:, alone]
        out = table[number]
        tall = np.maximum(own[FOOT] - own[TOP], 0.5)
        wide = own[RIGHT] - own[LEFT]
        usual = np.median(tall)
        unit = np.empty(count)
        known = 0
        for at in range(count):
            unit[at] = person[min(max(int(own[FOOT, at]), 0), len(person) - 1)]
            known += unit[at] > 0
        measured = 2 * known > count
        for at in range(count):
            if not measured or unit[at] <= 0:
                unit[at] = usual
        at_s = np.empty(count)
        for at in range(count):
            at_s[at] = time_us[int(own[FRAME, at])] / 1e6
        pace = max(1, round(_PACE_S / max(np.median(np.diff(at_s)), 1e-3))) if count > 1 else 1
        legs = max(1, count - pace)
        across, down, speeds = np.zeros(legs), np.zeros(legs), np.zeros(legs)
        gone = 0.0
        if count > pace:
            scale = np.median(unit)
            for at in range(legs):
                took = max(at_s[at + pace] - at_s[at], 1e-3)
                across[at] = (own[X, at + pace] - own[X, at]) / took
                down[at] = (own[FOOT, at + pace] - own[FOOT, at]) / took
                speeds[at] = np.hypot(across[at], down[at]) / scale
            for at in range(pace, count, pace):
                gone += np.hypot(own[X, at] - own[X, at - pace], own[FOOT, at] - own[FOOT, at - pace])
        sideways, falling = abs(np.median(across)), abs(np.median(down))
        far = np.hypot(own[X] - own[X, 0], own[FOOT] - own[FOOT, 0])
        talls, wides = np.sort(tall / unit), np.sort(wide / unit)
        speeds = np.sort(speeds)
        out[0], out[1], out[2] = _at(talls, 0.5), _at(talls, _LOW), _at(talls, _HIGH)
        out[3], out[4], out[5] = _at(wides, 0.5), _at(wides, _LOW), _at(wides, _HIGH)
        out[6], out[7], out[8] = _at(speeds, 0.5), _at(speeds, _LOW), _at(speeds, _HIGH)
        out[9] = sideways / (sideways + falling + 0.05)
        out[10] = min(1.0, far[count - 1] / gone) if gone > 1 else 0.0
        out[11] = far.max() / usual
        out[12] = (part[HOW] != UNSEEN).sum() / part.shape[1]
        out[13] = count / part.shape[1]
        out[14] = np.median(own[CELLS] / np.maximum(1.0, tall * wide))
        strength = own[STRENGTH]
        out[15] = np.median(strength)
        out[16] = strength.std() / max(1e-6, strength.mean())
        out[17] = 100 * np.median(own[CELLS]) / cells
        out[18] = np.median(np.abs((own[CELLS, 1:] - own[CELLS, :-1]) / own[CELLS, :-1])) if count > 1 else 1.0
        out[19] = 1.0 if measured else 0.0


@compiled
def _at(ordered: NDArray[np.float64], share: float) -> float:
    """A quantile of values in their order, between two of them where it falls there."""
    place = share * (len(ordered) - 1)
    low = int(place)
    high = min(low + 1, len(ordered) - 1)
    return float(ordered[low] + (place - low) * (ordered[high] - ordered[low]))
