"""Reduce one frame after the other to evidence: integer cell values per channel and a row of frame facts.

One `Reducer` serves the pass over a recording and a live camera alike, so both give the same bits. Scales: planes in
1/16 grey level (uint16); the background in 1/2**20 grey level (int64); cell values in quarters of a grey level (uint8,
saturating at 63.75).
"""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from north_hush.core.compiled import compiled
from north_hush.core.footage.luma import PLANE_SCALE, analysis_plane
from north_hush.core.footage.options import CHANNELS, EvidenceOptions
from north_hush.core.footage.stamps import US_PER_S
from north_hush.core.grid import Grid

CELL_SCALE = 4
"""Cell values are quarters of a grey level."""

SHARE_LIMITS_GREY = (4, 8, 16)
"""The raw changed share of the view is kept at these differences, before the light shift is taken out."""

_BACKGROUND_SHIFT = 16
_ALPHA_SHIFT = 16
_DIFFERENCE_MAX = 255 * PLANE_SCALE

FRAME_DTYPE = np.dtype(
    [
        ("pts", np.int64),
        ("time_us", np.int64),
        ("valid", np.bool_),
        ("gap", np.bool_),
        ("key", np.bool_),
        ("shift_step", np.int16),
        ("shift_drift", np.int16),
        *((f"share_{limit}", np.uint16) for limit in SHARE_LIMITS_GREY),
        ("mean", np.uint16),
        ("contrast", np.uint16),
        ("sharpness", np.uint16),
    ]
)
"""One row a frame. `pts` in the stream's own unit; shifts, mean, contrast and sharpness in 1/16 grey level; shares in
1/100 % of the view; `gap` marks the first frame after a gap."""


@compiled
def median_shift(difference: NDArray[np.int32]) -> int:
    """Lower median of a signed difference plane in 1/16 grey level: the light shift of the view."""
    histogram = np.zeros(2 * _DIFFERENCE_MAX + 1, np.int32)
    flat = difference.ravel()
    for i in range(flat.size):
        histogram[flat[i] + _DIFFERENCE_MAX] += 1
    wanted = (flat.size + 1) // 2
    seen = 0
    for value in range(histogram.size):
        seen += histogram[value]
        if seen >= wanted:
            return value - _DIFFERENCE_MAX
    return 0


def median_shift_numpy(difference: NDArray[np.int32]) -> int:
    """The NumPy twin of `median_shift`."""
    middle = (difference.size - 1) // 2
    return int(np.partition(difference.ravel(), middle)[middle])


@compiled
def cell_means(difference: NDArray[np.int32], shift: int, cell_px: int, cells: NDArray[np.uint8]) -> None:
    """Write the mean of |difference - shift| over each cell into `cells` (row-major), in quarters, rounded down."""
    height, width = difference.shape
    rows, columns = (height + cell_px - 1) // cell_px, (width + cell_px - 1) // cell_px
    band = np.empty(width, np.int32)
    sums = np.empty(columns, np.int32)
    for row in range(rows):
        top, bottom = row * cell_px, min(row * cell_px + cell_px, height)
        band[:] = 0
        for y in range(top, bottom):
            line = difference[y]
            for x in range(width):
                band[x] += abs(line[x] - shift)
        sums[:] = 0
        for k in range(cell_px):
            part = band[k::cell_px]
            for j in range(part.size):
                sums[j] += part[j]
        for column in range(columns):
            across = min(cell_px, width - column * cell_px)
            value = sums[column] * CELL_SCALE // (PLANE_SCALE * (bottom - top) * across)
            cells[row * columns + column] = min(value, 255)


def cell_means_numpy(difference: NDArray[np.int32], shift: int, cell_px: int, cells: NDArray[np.uint8]) -> None:
    """The NumPy twin of `cell_means`."""
    height, width = difference.shape
    tops, lefts = np.arange(0, height, cell_px), np.arange(0, width, cell_px)
    sums = np.add.reduceat(np.add.reduceat(np.abs(difference - shift), tops, axis=0), lefts, axis=1)
    counts = np.outer(np.diff(np.append(tops, height)), np.diff(np.append(lefts, width)))
    cells[:] = np.minimum(sums * CELL_SCALE // (PLANE_SCALE * counts), 255).ravel()


@compiled
def follow_background(
    background: NDArray[np.int64], plane: NDArray[np.uint16], alpha: int, difference: NDArray[np.int32]
) -> None:
    """Write plane - background (1/16 grey level) into `difference`, then move the background towards the plane.

    B <- B + (P - B) alpha / 2**16, in 1/2**20 grey level, rounded half up.
    """
    half_plane = 1 << (_BACKGROUND_SHIFT - 1)
    half_alpha = 1 << (_ALPHA_SHIFT - 1)
    height, width = plane.shape
    for y in range(height):
        for x in range(width):
            value = np.int64(plane[y, x])
            held = background[y, x]
            difference[y, x] = value - ((held + half_plane) >> _BACKGROUND_SHIFT)
            background[y, x] = held + ((((value << _BACKGROUND_SHIFT) - held) * alpha + half_alpha) >> _ALPHA_SHIFT)


def follow_background_numpy(
    background: NDArray[np.int64], plane: NDArray[np.uint16], alpha: int, difference: NDArray[np.int32]
) -> None:
    """The NumPy twin of `follow_background`."""
    value = plane.astype(np.int64)
    difference[:] = value - ((background + (1 << (_BACKGROUND_SHIFT - 1))) >> _BACKGROUND_SHIFT)
    towards = (value << _BACKGROUND_SHIFT) - background
    background += (towards * alpha + (1 << (_ALPHA_SHIFT - 1))) >> _ALPHA_SHIFT


@compiled
def subtract_planes(
    plane: NDArray[np.uint16], before: NDArray[np.uint16], difference: NDArray[np.int32], changed: NDArray[np.int64]
) -> None:
    """Write plane - before into `difference` and count pixels that changed by at least 4, 8 and 16 grey levels."""
    few, more, many = 0, 0, 0
    height, width = plane.shape
    for y in range(height):
        for x in range(width):
            value = np.int32(plane[y, x]) - np.int32(before[y, x])
            difference[y, x] = value
            size = abs(value)
            few += int(size >= 4 * PLANE_SCALE)
            more += int(size >= 8 * PLANE_SCALE)
            many += int(size >= 16 * PLANE_SCALE)
    changed[0], changed[1], changed[2] = few, more, many


def subtract_planes_numpy(
    plane: NDArray[np.uint16], before: NDArray[np.uint16], difference: NDArray[np.int32], changed: NDArray[np.int64]
) -> None:
    """The NumPy twin of `subtract_planes`."""
    difference[:] = plane.astype(np.int32) - before
    for place, limit in enumerate(SHARE_LIMITS_GREY):
        changed[place] = np.count_nonzero(np.abs(difference) >= limit * PLANE_SCALE)


@compiled
def plane_sums(plane: NDArray[np.uint16]) -> tuple[np.int64, np.int64, np.int64]:
    """Sum, sum of squares, and sum of |neighbour differences| (right and below) of a plane."""
    total, squares, edges = np.int64(0), np.int64(0), np.int64(0)
    height, width = plane.shape
    for y in range(height):
        for x in range(width):
            value = np.int64(plane[y, x])
            total += value
            squares += value * value
            if x + 1 < width:
                edges += abs(np.int64(plane[y, x + 1]) - value)
            if y + 1 < height:
                edges += abs(np.int64(plane[y + 1, x]) - value)
    return total, squares, edges


def plane_sums_numpy(plane: NDArray[np.uint16]) -> tuple[int, int, int]:
    """The NumPy twin of `plane_sums`."""
    wide = plane.astype(np.int64)
    edges = np.abs(np.diff(wide, axis=0)).sum() + np.abs(np.diff(wide, axis=1)).sum()
    return int(wide.sum()), int((wide * wide).sum()), int(edges)


def background_alpha(interval_us: int, elapsed_us: int, tau_s: float) -> int:
    """Share of the way the background moves in one interval, in 1/2**16.

    1 - exp(-dt / tau), with tau no longer than the time seen so far, so that the first frame does not linger.
    """
    tau_us = min(tau_s * US_PER_S, max(elapsed_us, interval_us))
    return round((1 - math.exp(-interval_us / tau_us)) * (1 << _ALPHA_SHIFT))


@dataclass(frozen=True)
class Reduced:
    """One frame's evidence: a row of FRAME_DTYPE (0-d), and per channel its cell values, shape (cells,) uint8 quarters."""

    row: NDArray[np.void]
    cells: dict[str, NDArray[np.uint8]]


class Reducer:
    """Frames in, evidence out, with bounded memory.

    Parameters
    ----------
    grid : the geometry of the recording.
    options : time constants and warm-up.
    gap_us : a pause longer than this starts the warm-up again.
    """

    def __init__(self, grid: Grid, options: EvidenceOptions, gap_us: int) -> None:
        self._grid, self._options, self._gap_us = grid, options, gap_us
        self._before: NDArray[np.uint16] | None = None
        self._background = np.zeros((grid.plane_height, grid.plane_width), np.int64)
        self._difference = np.zeros((grid.plane_height, grid.plane_width), np.int32)
        self._changed = np.zeros(len(SHARE_LIMITS_GREY), np.int64)
        self._last_us = self._segment_us = self._elapsed_us = 0

    def reduce(self, luma: NDArray[np.uint8], pts: int, time_us: int, key: bool) -> Reduced:
        """Take the next frame: luma as decoded (not yet oriented), its stamp, its time and whether it is a key frame."""
        plane = analysis_plane(self._grid.orient(luma), self._grid.factor)
        row = np.zeros((), FRAME_DTYPE)
        row["pts"], row["time_us"], row["key"] = pts, time_us, key
        cells = {channel: np.zeros(self._grid.cells, np.uint8) for channel in CHANNELS}
        first = self._before is None
        interval_us = time_us - self._last_us
        row["gap"] = not first and interval_us > self._gap_us
        if first or row["gap"]:
            self._segment_us = time_us
        if self._before is None:
            self._background[:] = plane.astype(np.int64) << _BACKGROUND_SHIFT
        else:
            self._compare(plane, self._before, interval_us, row, cells)
        warm = time_us - self._segment_us >= self._options.warm_up_s * US_PER_S
        row["valid"] = warm and time_us > self._segment_us
        self._describe(plane, row)
        self._before, self._last_us = plane, time_us
        return Reduced(row, cells)

    def _compare(
        self,
        plane: NDArray[np.uint16],
        before: NDArray[np.uint16],
        interval_us: int,
        row: NDArray[np.void],
        cells: dict[str, NDArray[np.uint8]],
    ) -> None:
        subtract_planes(plane, before, self._difference, self._changed)
        for limit, count in zip(SHARE_LIMITS_GREY, self._changed, strict=True):
            row[f"share_{limit}"] = count * 10_000 // plane.size
        self._take_channel("step", row, cells)
        alpha = background_alpha(interval_us, self._elapsed_us, self._options.drift_tau_s)
        follow_background(self._background, plane, alpha, self._difference)
        self._take_channel("drift", row, cells)
        self._elapsed_us += interval_us

    def _take_channel(self, channel: str, row: NDArray[np.void], cells: dict[str, NDArray[np.uint8]]) -> None:
        shift = median_shift(self._difference)
        row[f"shift_{channel}"] = shift
        cell_means(self._difference, shift, self._grid.cell_px, cells[channel])

    @property
    def last_us(self) -> int:
        """Time of the frame last taken."""
        return self._last_us

    @staticmethod
    def _describe(plane: NDArray[np.uint16], row: NDArray[np.void]) -> None:
        total, squares, edges = (int(value) for value in plane_sums(plane))
        row["mean"] = total // plane.size
        row["contrast"] = math.isqrt(max(0, squares * plane.size - total * total)) // plane.size
        row["sharpness"] = min(edges // plane.size, np.iinfo(np.uint16).max)
