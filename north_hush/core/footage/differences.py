"""Kernels on analysis planes: differences, backgrounds, light shift and cell means, each with its NumPy twin.

Scales: planes in 1/16 grey level (uint16), differences too (int16), backgrounds in 1/2**20 grey level (int64).
"""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from north_hush.core.compiled import compiled
from north_hush.core.footage.luma import PLANE_SCALE

CELL_SCALE = 4
"""Cell values are quarters of a grey level."""

FAINTEST_QUARTERS = CELL_SCALE
"""Fainter change is noise, in nearly every cell of nearly every frame; keeping it would take a third of the disk."""

SHARE_LIMITS_GREY = (4, 8, 16)
"""The raw changed share of the view is kept at these differences, before the light shift is taken out."""

FAINT_SCALE = 256
"""Change before faint change is left out is in so many parts of a grey level."""
_NOISE_STEP_SHIFT = 5

BACKGROUND_SHIFT = 16
ALPHA_SHIFT = 24
"""So fine that a background of an hour still moves at 120 frames/s."""
_DIFFERENCE_MAX = 255 * PLANE_SCALE


@compiled
def median_shift(difference: NDArray[np.int16]) -> int:
    """Lower median of a signed difference plane in 1/16 grey level, over every second row and column: the light shift."""
    histogram = np.zeros(2 * _DIFFERENCE_MAX + 1, np.int32)
    height, width = difference.shape
    for y in range(0, height, 2):
        for x in range(0, width, 2):
            histogram[difference[y, x] + _DIFFERENCE_MAX] += 1
    wanted = (((height + 1) // 2) * ((width + 1) // 2) + 1) // 2
    seen = 0
    for value in range(histogram.size):
        seen += histogram[value]
        if seen >= wanted:
            return value - _DIFFERENCE_MAX
    return 0


def median_shift_numpy(difference: NDArray[np.int16]) -> int:
    """The NumPy twin of `median_shift`."""
    sampled = difference[::2, ::2].ravel()
    middle = (sampled.size - 1) // 2
    return int(np.partition(sampled, middle)[middle])


@compiled
def cell_means(
    difference: NDArray[np.int16], shift: int, cell_px: int, cells: NDArray[np.uint8], faint: NDArray[np.int32]
) -> None:
    """Write the mean of |difference - shift| over each cell into `cells` (row-major), in quarters, rounded down; what is
    fainter than a grey level as 0. All of it goes into `faint`, in 1/256 grey level."""
    height, width = difference.shape
    rows, columns = (height + cell_px - 1) // cell_px, (width + cell_px - 1) // cell_px
    band = np.empty(width, np.int16)  # four rows of at most 2 * 255 * 16 stay below 32,768
    taken = np.int16(shift)
    sums = np.empty(columns, np.int32)
    for row in range(rows):
        top, bottom = row * cell_px, min(row * cell_px + cell_px, height)
        band[:] = 0
        for y in range(top, bottom):
            line = difference[y]
            for x in range(width):
                band[x] += abs(np.int16(line[x] - taken))
        sums[:] = 0
        for k in range(cell_px):
            part = band[k::cell_px]
            for j in range(part.size):
                sums[j] += part[j]
        for column in range(columns):
            across = min(cell_px, width - column * cell_px)
            count = PLANE_SCALE * (bottom - top) * across
            value = sums[column] * CELL_SCALE // count
            faint[row * columns + column] = sums[column] * FAINT_SCALE // count
            cells[row * columns + column] = min(value, 255) if value >= FAINTEST_QUARTERS else 0


def cell_means_numpy(
    difference: NDArray[np.int16], shift: int, cell_px: int, cells: NDArray[np.uint8], faint: NDArray[np.int32]
) -> None:
    """The NumPy twin of `cell_means`."""
    height, width = difference.shape
    tops, lefts = np.arange(0, height, cell_px), np.arange(0, width, cell_px)
    sums = np.add.reduceat(np.add.reduceat(np.abs(difference.astype(np.int64) - shift), tops, axis=0), lefts, axis=1)
    counts = np.outer(np.diff(np.append(tops, height)), np.diff(np.append(lefts, width)))
    values = np.minimum(sums * CELL_SCALE // (PLANE_SCALE * counts), 255)
    cells[:] = np.where(values >= FAINTEST_QUARTERS, values, 0).ravel()
    faint[:] = (sums * FAINT_SCALE // (PLANE_SCALE * counts)).ravel()


@compiled
def follow_noise(noise: NDArray[np.int32], faint: NDArray[np.int32]) -> None:
    """Move each cell's noise towards its change by a small share of itself, up or down: that settles at the median over time
    (stochastic approximation after Robbins and Monro 1951). Both in 1/256 grey level."""
    for cell in range(noise.size):
        step = max(1, noise[cell] >> _NOISE_STEP_SHIFT)
        if faint[cell] > noise[cell]:
            noise[cell] += step
        elif faint[cell] < noise[cell]:
            noise[cell] = max(0, noise[cell] - step)


def follow_noise_numpy(noise: NDArray[np.int32], faint: NDArray[np.int32]) -> None:
    """The NumPy twin of `follow_noise`."""
    step = np.maximum(1, noise >> _NOISE_STEP_SHIFT)
    noise[:] = np.maximum(0, noise + step * np.sign(faint - noise))


@compiled
def follow_background(
    background: NDArray[np.int64], plane: NDArray[np.uint16], alpha: int, difference: NDArray[np.int16]
) -> None:
    """Write plane - background (1/16 grey level) into `difference`, then move the background towards the plane.

    B <- B + (P - B) alpha / 2**ALPHA_SHIFT, in 1/2**20 grey level, rounded half up.
    """
    half_plane = 1 << (BACKGROUND_SHIFT - 1)
    half_alpha = 1 << (ALPHA_SHIFT - 1)
    height, width = plane.shape
    for y in range(height):
        for x in range(width):
            value = np.int64(plane[y, x])
            held = background[y, x]
            difference[y, x] = value - ((held + half_plane) >> BACKGROUND_SHIFT)
            background[y, x] = held + ((((value << BACKGROUND_SHIFT) - held) * alpha + half_alpha) >> ALPHA_SHIFT)


def follow_background_numpy(
    background: NDArray[np.int64], plane: NDArray[np.uint16], alpha: int, difference: NDArray[np.int16]
) -> None:
    """The NumPy twin of `follow_background`."""
    value = plane.astype(np.int64)
    difference[:] = value - ((background + (1 << (BACKGROUND_SHIFT - 1))) >> BACKGROUND_SHIFT)
    towards = (value << BACKGROUND_SHIFT) - background
    background += (towards * alpha + (1 << (ALPHA_SHIFT - 1))) >> ALPHA_SHIFT


@compiled
def subtract_backgrounds(
    recent: NDArray[np.int64], background: NDArray[np.uint16], difference: NDArray[np.int16]
) -> None:
    """Write recent - background into `difference`, the recent one rounded half up to 1/16 grey level."""
    half = 1 << (BACKGROUND_SHIFT - 1)
    height, width = recent.shape
    for y in range(height):
        for x in range(width):
            now = (recent[y, x] + half) >> BACKGROUND_SHIFT
            difference[y, x] = now - np.int64(background[y, x])


def subtract_backgrounds_numpy(
    recent: NDArray[np.int64], background: NDArray[np.uint16], difference: NDArray[np.int16]
) -> None:
    """The NumPy twin of `subtract_backgrounds`."""
    half = 1 << (BACKGROUND_SHIFT - 1)
    difference[:] = ((recent + half) >> BACKGROUND_SHIFT) - background.astype(np.int64)


@compiled
def subtract_planes(
    plane: NDArray[np.uint16], before: NDArray[np.uint16], difference: NDArray[np.int16], changed: NDArray[np.int64]
) -> None:
    """Write plane - before into `difference` and count pixels that changed by at least 4, 8 and 16 grey levels."""
    few, more, many = 0, 0, 0
    height, width = plane.shape
    for y in range(height):
        for x in range(width):
            value = np.int16(plane[y, x]) - np.int16(before[y, x])
            difference[y, x] = value
            size = abs(value)
            few += int(size >= 4 * PLANE_SCALE)
            more += int(size >= 8 * PLANE_SCALE)
            many += int(size >= 16 * PLANE_SCALE)
    changed[0], changed[1], changed[2] = few, more, many


def subtract_planes_numpy(
    plane: NDArray[np.uint16], before: NDArray[np.uint16], difference: NDArray[np.int16], changed: NDArray[np.int64]
) -> None:
    """The NumPy twin of `subtract_planes`."""
    difference[:] = plane.astype(np.int16) - before.astype(np.int16)
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
