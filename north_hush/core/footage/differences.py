"""Kernels on analysis planes: light shift, cell means, backgrounds and sums, each with its NumPy twin.

Scales: planes in 1/16 grey level (uint16), the fast background in 1/2**20 grey level (int64). Loops are laid out so that they run in
vector units: 16-bit sums of bands, no integer division, and counting instead of a histogram, whose one busy bin makes every sample
wait for the one before.
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
_FAINT_SHIFT = 6
"""From there to CELL_SCALE: a division by 64."""
_NOISE_STEP_SHIFT = 5

BACKGROUND_SHIFT = 16
ALPHA_SHIFT = 24
"""So fine that a background of an hour still moves at 120 frames/s."""
_DIFFERENCE_MAX = 255 * PLANE_SCALE
_COUNTED = 256
"""So many counts of 16 bits at once, each of up to 32,767 samples: eight million."""


@compiled
def median_shift(plane: NDArray[np.uint16], other: NDArray[np.uint16]) -> int:
    """Lower median of plane - other in 1/16 grey level, over every second row and column: the light shift.

    It is mostly near the mean, so it is looked for from there with growing steps, and halved down.
    """
    rows, columns = (plane.shape[0] + 1) // 2, (plane.shape[1] + 1) // 2
    sampled = np.empty(rows * columns, np.int16)
    for row in range(rows):
        for x in range(columns):
            sampled[row * columns + x] = np.int16(plane[2 * row, 2 * x]) - np.int16(other[2 * row, 2 * x])
    total = 0
    for value in sampled:
        total += value
    wanted, counts = (sampled.size + 1) // 2, np.empty(_COUNTED, np.int16)
    below, reached, step = -_DIFFERENCE_MAX - 1, _DIFFERENCE_MAX, 1
    tried = min(total // sampled.size, _DIFFERENCE_MAX - 1)
    while below < tried < reached:  # the median is above `below` and at most `reached`
        if _at_most(sampled, tried, counts) >= wanted:
            reached = tried
            tried -= step
        else:
            below = tried
            tried += step
        step *= 2
    while reached - below > 1:
        tried = (below + reached) >> 1
        if _at_most(sampled, tried, counts) >= wanted:
            reached = tried
        else:
            below = tried
    return reached


@compiled
def _at_most(sampled: NDArray[np.int16], limit: int, counts: NDArray[np.int16]) -> int:
    """How many samples are at most a limit; `counts` is room for as many counts, each of every so many samples."""
    most, held = np.int16(limit), counts.size
    whole = sampled.size // held
    counts[:] = 0
    for first in range(whole):
        part = sampled[first * held : (first + 1) * held]
        for place in range(held):
            counts[place] += np.int16(part[place] <= most)
    count = 0
    for held_count in counts:
        count += held_count
    for place in range(whole * held, sampled.size):
        count += sampled[place] <= most
    return count


def median_shift_numpy(plane: NDArray[np.uint16], other: NDArray[np.uint16]) -> int:
    """The NumPy twin of `median_shift`."""
    sampled = (plane[::2, ::2].astype(np.int16) - other[::2, ::2].astype(np.int16)).ravel()
    middle = (sampled.size - 1) // 2
    return int(np.partition(sampled, middle)[middle])


@compiled
def cell_means(
    plane: NDArray[np.uint16],
    other: NDArray[np.uint16],
    shift: int,
    cell_px: int,
    cells: NDArray[np.uint8],
    faint: NDArray[np.int32],
) -> None:
    """Write the mean of |plane - other - shift| over each cell into `cells` (row-major), in quarters, rounded down; what is
    fainter than a grey level as 0. All of it goes into `faint`, in 1/256 grey level."""
    height, width = plane.shape
    rows, columns = (height + cell_px - 1) // cell_px, (width + cell_px - 1) // cell_px
    band = np.empty(columns * cell_px, np.int16)  # four rows of at most 2 * 255 * 16 stay below 32,768
    taken = np.int16(shift)
    sums = np.empty(columns, np.int32)
    wide = columns if width == columns * cell_px else columns - 1
    for row in range(rows):
        top, bottom = row * cell_px, min(row * cell_px + cell_px, height)
        band[:] = 0
        for y in range(top, bottom):
            here, there = plane[y], other[y]
            for x in range(width):
                band[x] += abs(np.int16(np.int16(here[x]) - np.int16(there[x]) - taken))
        _sum_across(band, cell_px, sums)
        found, held = cells[row * columns : (row + 1) * columns], faint[row * columns : (row + 1) * columns]
        count = float(
            PLANE_SCALE * (bottom - top) * cell_px
        )  # division of whole numbers so small is exact to the floor
        for j in range(wide):
            held[j] = np.int32(float(sums[j] * FAINT_SCALE) / count)
        if wide < columns:
            held[wide] = sums[wide] * FAINT_SCALE // (PLANE_SCALE * (bottom - top) * (width - wide * cell_px))
        for j in range(columns):
            value = held[j] >> _FAINT_SHIFT
            found[j] = min(value, 255) if value >= FAINTEST_QUARTERS else 0


def cell_means_numpy(
    plane: NDArray[np.uint16],
    other: NDArray[np.uint16],
    shift: int,
    cell_px: int,
    cells: NDArray[np.uint8],
    faint: NDArray[np.int32],
) -> None:
    """The NumPy twin of `cell_means`."""
    sums, counts = _cell_sums(np.abs(plane.astype(np.int64) - other - shift), cell_px)
    values = np.minimum(sums * CELL_SCALE // (PLANE_SCALE * counts), 255)
    cells[:] = np.where(values >= FAINTEST_QUARTERS, values, 0).ravel()
    faint[:] = (sums * FAINT_SCALE // (PLANE_SCALE * counts)).ravel()


def _cell_sums(plane: NDArray[np.int64], cell_px: int) -> tuple[NDArray[np.int64], NDArray[np.int64]]:
    """Sums of the values in each cell, (rows, columns), and how many each has."""
    height, width = plane.shape
    tops, lefts = np.arange(0, height, cell_px), np.arange(0, width, cell_px)
    sums = np.add.reduceat(np.add.reduceat(plane, tops, axis=0), lefts, axis=1)
    return sums, np.outer(np.diff(np.append(tops, height)), np.diff(np.append(lefts, width)))


@compiled
def _sum_across(band: NDArray[np.int16], cell_px: int, sums: NDArray[np.int32]) -> None:
    """Sum the columns of each cell; the usual width of a cell is written out, since only a stride that is known runs in vector
    units."""
    if cell_px == 4:
        for j in range(sums.size):
            sums[j] = (np.int32(band[4 * j]) + np.int32(band[4 * j + 1])) + (
                np.int32(band[4 * j + 2]) + np.int32(band[4 * j + 3])
            )
        return
    sums[:] = 0
    for k in range(cell_px):
        part = band[k::cell_px]
        for j in range(sums.size):
            sums[j] += part[j]


@compiled
def cell_luma(plane: NDArray[np.uint16], cell_px: int) -> NDArray[np.uint16]:
    """Mean of a plane over each cell, rounded down, (cells,) uint16 in 1/16 grey level."""
    height, width = plane.shape
    rows, columns = (height + cell_px - 1) // cell_px, (width + cell_px - 1) // cell_px
    band = np.empty(columns * cell_px, np.uint16)  # four rows of at most 255 * 16 fit
    sums = np.empty(columns, np.int32)
    found = np.empty(rows * columns, np.uint16)
    wide = columns if width == columns * cell_px else columns - 1
    for row in range(rows):
        top, bottom = row * cell_px, min(row * cell_px + cell_px, height)
        band[:] = 0
        for y in range(top, bottom):
            line = plane[y]
            for x in range(width):
                band[x] += line[x]
        _sum_across(band, cell_px, sums)
        count = float((bottom - top) * cell_px)
        for j in range(wide):
            found[row * columns + j] = np.uint16(np.int32(float(sums[j]) / count))
        if wide < columns:
            found[row * columns + wide] = sums[wide] // ((bottom - top) * (width - wide * cell_px))
    return found


def cell_luma_numpy(plane: NDArray[np.uint16], cell_px: int) -> NDArray[np.uint16]:
    """The NumPy twin of `cell_luma`."""
    sums, counts = _cell_sums(plane.astype(np.int64), cell_px)
    return np.asarray(sums // counts, np.uint16).ravel()


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
    background: NDArray[np.int64], plane: NDArray[np.uint16], alpha: int, rounded: NDArray[np.uint16]
) -> None:
    """Move a background towards a plane, and write it into `rounded`, in 1/16 grey level, rounded half up.

    B <- B + (P - B) alpha / 2**ALPHA_SHIFT, in 1/2**20 grey level, rounded half up.
    """
    half_plane = 1 << (BACKGROUND_SHIFT - 1)
    half_alpha = 1 << (ALPHA_SHIFT - 1)
    height, width = plane.shape
    for y in range(height):
        for x in range(width):
            held = background[y, x]
            held += (((np.int64(plane[y, x]) << BACKGROUND_SHIFT) - held) * alpha + half_alpha) >> ALPHA_SHIFT
            background[y, x] = held
            rounded[y, x] = (held + half_plane) >> BACKGROUND_SHIFT


def follow_background_numpy(
    background: NDArray[np.int64], plane: NDArray[np.uint16], alpha: int, rounded: NDArray[np.uint16]
) -> None:
    """The NumPy twin of `follow_background`."""
    towards = (plane.astype(np.int64) << BACKGROUND_SHIFT) - background
    background += (towards * alpha + (1 << (ALPHA_SHIFT - 1))) >> ALPHA_SHIFT
    rounded[:] = (background + (1 << (BACKGROUND_SHIFT - 1))) >> BACKGROUND_SHIFT


@compiled
def changed_counts(plane: NDArray[np.uint16], before: NDArray[np.uint16]) -> tuple[int, int, int]:
    """How many pixels changed by at least 4, 8 and 16 grey levels."""
    height, width = plane.shape
    few, more, many = np.zeros(width, np.int32), np.zeros(width, np.int32), np.zeros(width, np.int32)
    for y in range(height):
        here, there = plane[y], before[y]
        for x in range(width):
            size = abs(np.int16(np.int16(here[x]) - np.int16(there[x])))
            few[x] += np.int32(size >= 4 * PLANE_SCALE)
            more[x] += np.int32(size >= 8 * PLANE_SCALE)
            many[x] += np.int32(size >= 16 * PLANE_SCALE)
    return int(few.sum()), int(more.sum()), int(many.sum())


def changed_counts_numpy(plane: NDArray[np.uint16], before: NDArray[np.uint16]) -> tuple[int, ...]:
    """The NumPy twin of `changed_counts`."""
    sizes = np.abs(plane.astype(np.int16) - before.astype(np.int16))
    return tuple(int(np.count_nonzero(sizes >= limit * PLANE_SCALE)) for limit in SHARE_LIMITS_GREY)


@compiled
def plane_sums(plane: NDArray[np.uint16]) -> tuple[np.int64, np.int64, np.int64]:
    """Sum, sum of squares, and sum of |neighbour differences| (right and below) of a plane."""
    total, squares, edges = np.int64(0), np.int64(0), np.int64(0)
    height, width = plane.shape
    for y in range(height):
        line, below = plane[y], plane[min(y + 1, height - 1)]
        for x in range(width):
            value = np.int64(line[x])
            total += value
            squares += value * value
            edges += abs(np.int64(below[x]) - value)
        for x in range(width - 1):
            edges += abs(np.int64(line[x + 1]) - np.int64(line[x]))
    return total, squares, edges


def plane_sums_numpy(plane: NDArray[np.uint16]) -> tuple[int, int, int]:
    """The NumPy twin of `plane_sums`."""
    wide = plane.astype(np.int64)
    edges = np.abs(np.diff(wide, axis=0)).sum() + np.abs(np.diff(wide, axis=1)).sum()
    return int(wide.sum()), int((wide * wide).sum()), int(edges)
