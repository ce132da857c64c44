"""Restlessness: how often each cell changes by itself, which places do so in a rhythm, and where a clock is burnt in."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

import numpy as np
from numpy.typing import NDArray

from north_hush.core.courtesy import give_way
from north_hush.core.footage.evidence import Evidence
from north_hush.core.footage.stamps import US_PER_S
from north_hush.core.grid import Grid
from north_hush.core.scene.contour import fractions_of, traced
from north_hush.core.scene.outline import Point, rectangle, simplified

Why = Literal["clock", "periodic", "restless"]

_STRETCH_FRAMES, _STRETCHES_MOST = 4096, 9
"""Three quarters of an hour at 15 frames/s: what changes by itself does so all day, or is not told from weather."""
_SEGMENT = 1024
_LEAST_STEP_S = 0.06
"""Rhythms are looked for on a grid of time no finer than this, so that a segment holds the longest of them four times."""
_CHUNK_CELLS = 64
_HELD_STEPS = 2
_SHARE_PERIODIC_MIN = 0.03
_PERIOD_S = (0.4, 15.0)
_RHYTHM_MIN = 0.35
"""Least autocorrelation at the period, of 1 at no shift; noise of a thousand frames stays below 0.1."""

_TICK_SHARE_MIN = 0.7
_TICKS_PER_S = (0.3, 1.6)
_TICK_FRAMES_MAX = 2
_INTERVAL_MAX_S = 0.3
_TICK_REACH_FRAMES = 1.5
_CLOCK_GAP_CELLS = 3
_CLOCK_LIMIT_QUARTERS = 12
_CLOCK_SHARE_MAX = 0.03

_REGION_SHARE_MIN = 0.02
_EIGHT = np.ones((3, 3), bool)


@dataclass(frozen=True, eq=False)
class Restlessness:
    """What each cell of a picture did by itself over a stretch.

    Attributes
    ----------
    share : (cells,) float32, share of the counted time in which the cell passed the limit, 0..1
    period_s : (cells,) float32, seconds between its changes where they keep a rhythm, else 0
    ticking : (cells,) bool, it changes on whole seconds only, as a burnt-in clock does
    frames : how many frames were counted
    """

    grid: Grid
    share: NDArray[np.float32]
    period_s: NDArray[np.float32]
    ticking: NDArray[np.bool_]
    frames: int


@dataclass(frozen=True)
class Region:
    """A restless place, as an outline that could become a mask."""

    outline: tuple[Point, ...]
    why: Why
    cells: int
    share: float
    """Mean share of the frames in which its cells change."""
    period_s: float


def restlessness(
    values: NDArray[np.uint8],
    valid: NDArray[np.bool_],
    time_us: NDArray[np.int64],
    limit_quarters: int,
    grid: Grid,
    *,
    rhythm: bool = True,
) -> Restlessness:
    """Measure every cell over the frames given.

    Parameters
    ----------
    values : (cells, frames) uint8, of one channel, in quarters of a grey level
    valid : (frames,) bool; others count in nothing
    time_us : (frames,) int64
    limit_quarters : least change that counts
    rhythm : whether periods are wanted, which take most of the time
    """
    frames = int(valid.sum())
    share = np.zeros(len(values), np.float32)
    period_s, ticking = np.zeros(len(values), np.float32), np.zeros(len(values), bool)
    if frames < 2:
        return Restlessness(grid, share, period_s, ticking, frames)
    interval_s = float(np.median(np.diff(time_us))) / US_PER_S
    seconds = time_us / US_PER_S
    lasting = _lasting_s(seconds, interval_s) * valid
    grid_of, step_s = _grid_of(seconds, interval_s)
    for first in range(0, len(values), _CHUNK_CELLS):
        give_way()
        part = slice(first, first + _CHUNK_CELLS)
        changed = (values[part] >= limit_quarters) & valid
        share[part] = changed @ lasting / lasting.sum()
        if rhythm:
            period_s[part] = _periods(_on_grid(changed, grid_of), share[part], step_s)
        for place, row in enumerate(changed, first):
            give_way()
            ticking[place] = _ticks(row, seconds, interval_s)
    return Restlessness(grid, share, np.where(ticking, 1.0, period_s).astype(np.float32), ticking, frames)


def restlessness_over(
    evidence: Evidence,
    channel: str,
    limit_quarters: int,
    span: tuple[int, int] | None = None,
    *,
    rhythm: bool = True,
) -> Restlessness:
    """Measure every cell over a recording, or from one frame to before another. Of many frames so many are looked at as fit into
    memory, in stretches evenly spread."""
    first, after = span or (0, len(evidence.frames))
    parts = max(1, (after - first) // _STRETCH_FRAMES)
    looked = min(parts, _STRETCHES_MOST)
    frames = np.arange(first, after)
    if looked < parts:
        starts = first + np.linspace(0, after - first - _STRETCH_FRAMES, looked).astype(np.int64)
        frames = (starts[:, None] + np.arange(_STRETCH_FRAMES)).ravel()
    rows = evidence.frames[frames]
    values = evidence.values_at(channel, frames)
    return restlessness(values, rows["valid"], rows["time_us"], limit_quarters, evidence.grid, rhythm=rhythm)


def _lasting_s(seconds: NDArray[np.float64], interval_s: float) -> NDArray[np.float64]:
    """For how long each frame stands: until the next, but no longer than three usual intervals."""
    return np.asarray(np.minimum(np.append(np.diff(seconds), interval_s), 3 * interval_s))


def _grid_of(seconds: NDArray[np.float64], interval_s: float) -> tuple[NDArray[np.int64], float]:
    """Place of each frame on an even grid of time, and its step: a rhythm is one of time, whatever the frames do."""
    step_s = max(interval_s, _LEAST_STEP_S)
    return np.floor((seconds - seconds[0]) / step_s + 0.5).astype(np.int64), step_s


def _on_grid(changed: NDArray[np.bool_], grid_of: NDArray[np.int64]) -> NDArray[np.bool_]:
    """Change on the grid of time, (cells, steps): in a step with several frames that of any, in one without that of the step
    before, unless it lies in a pause."""
    starts = np.flatnonzero(np.diff(grid_of, prepend=-1))
    held = np.logical_or.reduceat(changed, starts, axis=1)
    steps = np.arange(int(grid_of[-1]) + 1)
    latest = np.searchsorted(grid_of[starts], steps, side="right") - 1
    near = steps - grid_of[starts][latest] <= _HELD_STEPS
    return np.asarray(held[:, latest] & near)


def _periods(changed: NDArray[np.bool_], share: NDArray[np.float32], step_s: float) -> NDArray[np.float32]:
    """Period of each row in seconds, 0 where there is none: the highest peak of the autocorrelation beyond its first
    dip, averaged over segments (Welch 1967; by the theorem of Wiener and Khinchin)."""
    periods = np.zeros(len(changed), np.float32)
    wanted = np.flatnonzero((share >= _SHARE_PERIODIC_MIN) & (share <= 1 - _SHARE_PERIODIC_MIN))
    length = min(_SEGMENT, changed.shape[1])
    segments = changed.shape[1] // length
    least, most = (round(seconds / step_s) for seconds in _PERIOD_S)
    most = min(most, length // 4)
    if least < 2 or most <= least or len(wanted) == 0:
        return periods
    power = np.zeros((len(wanted), length + 1))
    for first in range(0, segments * length, length):  # one at a time: of a day all of them are gigabytes
        series = changed[wanted, first : first + length].astype(np.float32)
        if series.any():
            series -= series.mean(axis=1, keepdims=True)
            power += np.abs(np.fft.rfft(series, 2 * length, axis=1)) ** 2
    rhythm = np.fft.irfft(power, axis=1)[:, : 2 * most + 1]
    rhythm /= np.maximum(rhythm[:, :1], 1e-9)
    for row, along in zip(wanted, rhythm, strict=True):
        dips = np.flatnonzero(along <= 0)
        start = max(least, int(dips[0])) if len(dips) else most
        if start >= most:
            continue
        peak = start + int(np.argmax(along[start:most]))
        twice = along[max(0, 2 * peak - 2) : 2 * peak + 3]
        if along[peak] >= _RHYTHM_MIN and len(twice) and twice.max() >= _RHYTHM_MIN / 2:
            periods[row] = peak * step_s
    return periods


def _ticks(changed: NDArray[np.bool_], seconds: NDArray[np.float64], interval_s: float) -> bool:
    """Tell whether a cell changes as a clock does: briefly, about once a second, and most changes have another one
    a second before or after them."""
    edges = np.diff(np.concatenate([[0], changed.astype(np.int8), [0]]))
    starts, ends = np.flatnonzero(edges == 1), np.flatnonzero(edges == -1)
    length_s = float(seconds[-1] - seconds[0])
    least, most = (rate * length_s for rate in _TICKS_PER_S)
    if not max(4.0, least) <= len(starts) <= most or interval_s > _INTERVAL_MAX_S:
        return False
    if np.median(ends - starts) > _TICK_FRAMES_MAX:
        return False
    at, reach = seconds[starts], _TICK_REACH_FRAMES * interval_s
    neighbours = np.zeros(len(at), bool)
    for step in (-1.0, 1.0):
        first = np.searchsorted(at, at + step - reach)
        neighbours |= first < np.searchsorted(at, at + step + reach, side="right")
    return bool(neighbours.mean() >= _TICK_SHARE_MIN)


# --- regions --------------------------------------------------------------------------------------------------------


def burnt_in_clock(evidence: Evidence) -> Region | None:
    """The burnt-in clock of a recording; None when there is none."""
    return clock_region(restlessness_over(evidence, "step", _CLOCK_LIMIT_QUARTERS, rhythm=False))


def clock_region(restless: Restlessness) -> Region | None:
    """Return the burnt-in clock: a small fixed place whose cells change once a second; None when there is none."""
    from scipy import ndimage  # takes as long to import as the window to paint

    grid = restless.grid
    ticking = restless.ticking.reshape(grid.rows, grid.columns)
    joined = ndimage.binary_dilation(ticking, np.ones((1, 2 * _CLOCK_GAP_CELLS + 1), bool))
    labels, count = ndimage.label(joined, _EIGHT)
    best: NDArray[np.bool_] | None = None
    for number in range(1, count + 1):
        cells = ticking & (labels == number)
        if best is None or cells.sum() > best.sum():
            best = cells
    if best is None or best.sum() < 2:
        return None
    rows, columns = np.nonzero(best)
    box = np.zeros_like(best)
    # A cell all round, for digits whose edges stay below the limit.
    top, left = max(0, rows.min() - 1), max(0, columns.min() - _CLOCK_GAP_CELLS)
    bottom, right = min(grid.rows, rows.max() + 2), min(grid.columns, columns.max() + 2)
    box[top:bottom, left:right] = True
    if box.sum() > max(12, _CLOCK_SHARE_MAX * grid.cells):
        return None
    width, height = grid.cell_size_frac
    outline = rectangle(
        (float(left * width), float(top * height)), (min(1.0, float(right * width)), min(1.0, float(bottom * height)))
    )
    return Region(outline, "clock", int(box.sum()), float(restless.share[best.ravel()].mean()), 1.0)


def restless_region(restless: Restlessness, cell: int) -> Region | None:
    """Return the restless place a cell belongs to, None when the cell is quiet.

    Cells that change at least a third as often as the cell itself and hang together with it; holes are filled, and the
    outline is simplified to within two thirds of a cell.
    """
    from scipy import ndimage  # takes as long to import as the window to paint

    grid = restless.grid
    own = float(restless.share[cell])
    if own < _REGION_SHARE_MIN:
        return None
    busy = (restless.share >= max(_REGION_SHARE_MIN, own / 3)).reshape(grid.rows, grid.columns)
    labels, _ = ndimage.label(busy, _EIGHT)
    here = labels == labels[divmod(cell, grid.columns)]
    padded = np.pad(here, 1)
    # Closed with a border of its own, so that cells at the picture's edge are not worn off.
    closed = ndimage.binary_fill_holes(ndimage.binary_closing(padded, _EIGHT))
    solid = (closed | padded)[1:-1, 1:-1]
    width, height = grid.cell_size_frac
    loop = max(traced(solid), key=len)
    outline = simplified(fractions_of(loop, width, height), 0.67 * min(width, height))
    rhythmic = restless.period_s[(here.ravel()) & (restless.period_s > 0)]
    periodic = len(rhythmic) * 2 >= here.sum()
    return Region(
        outline,
        "periodic" if periodic else "restless",
        int(here.sum()),
        float(restless.share[here.ravel()].mean()),
        float(np.median(rhythmic)) if periodic else 0.0,
    )
