"""The foreground: which cells differ from what is usual there by as much as a body does.

A cell differs by the larger of *drift* and MOVING times *step over 0.2 s*: who stands is seen by the first, who moves and has the
colour of the ground behind by the second. What a body makes of a place grows with the light on it (Weber's law: the reflectance of
two surfaces differs by a share, whatever the light), and has to stand out from the noise of the cell. No dial is in it.
"""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from north_hush.core.compiled import compiled
from north_hush.core.footage.differences import CELL_SCALE, FAINT_SCALE
from north_hush.core.footage.luma import PLANE_SCALE

FOREGROUND_SCALE = 16
"""A cell at the limit has this value; half of it is the faintest that is kept."""
_CONTRAST_PARTS = 46
"""Of 256: 0.18 of the light, the contrast of clothes against the ground. Shadows and trails of noise stay below."""
_BLACK_GREY, _LEAST_GREY = 8, 4
"""Light that a black surface seems to have; and the least difference, which coding alone can make."""
_NOISES = 4
_MOVING_PARTS = 24
"""Of FOREGROUND_SCALE: 1.5. A moving body covers and uncovers ground, so that its step is larger than its contrast alone."""


ALL_QUARTERS = 0b1111
STEP_SEEN_US = 350_000
"""Between frames farther apart than this a walker has gone on by more than his width."""
_PARTS = FAINT_SCALE // CELL_SCALE
MOVES = 1
"""The lowest bit of a value: the cell differs from what it was lately, too. Where a lamp was lit it does not for long."""


def limits_grey(luma: NDArray[np.float64], noise: NDArray[np.float64] | None) -> NDArray[np.float64]:
    """The limit of foreground in grey levels, by the light on a place and its noise, both in grey levels."""
    by_light = np.maximum(_CONTRAST_PARTS / 256 * (luma + _BLACK_GREY), _LEAST_GREY)
    return by_light if noise is None else np.maximum(by_light, _NOISES * noise)


@compiled
def _limit(luma: int, noise: int) -> int:
    """The limit of a cell in 1/256 grey level, of its light in 1/16 and its noise in 1/256."""
    light = luma * (FAINT_SCALE // PLANE_SCALE) + _BLACK_GREY * FAINT_SCALE
    return max(light * _CONTRAST_PARTS // 256, _NOISES * noise, _LEAST_GREY * FAINT_SCALE)


@compiled
def foreground(
    drift: NDArray[np.uint8],
    step: NDArray[np.uint8],
    lately: NDArray[np.uint8],
    luma: NDArray[np.uint16],
    noise: NDArray[np.int32],
) -> NDArray[np.uint8]:
    """Tell how far each cell is from usual, in 1/FOREGROUND_SCALE of its limit, the lowest bit aside.

    Parameters
    ----------
    drift, step, lately : (cells,) uint8, in quarters of a grey level: against the slow background, 0.2 s ago, and the fast one
    luma : (cells,) uint16, how bright the background is, in 1/16 grey level
    noise : (cells,) int32, usual change from frame to frame, in 1/256 grey level
    """
    value = np.zeros(drift.size, np.uint8)
    for cell in range(drift.size):
        moved = int(step[cell]) * _MOVING_PARTS
        far = max(int(drift[cell]) * FOREGROUND_SCALE, moved) * _PARTS
        if far == 0:
            continue
        limit = _limit(int(luma[cell]), int(noise[cell]))
        held = (
            min(int(far / limit), 255) & ~MOVES
        )  # floats divide whole numbers so small exactly to the floor, and sooner
        if max(int(lately[cell]) * FOREGROUND_SCALE, moved) * _PARTS >= FOREGROUND_SCALE * limit:
            held |= MOVES
        if held * 2 >= FOREGROUND_SCALE:
            value[cell] = held
    return value


def _limit_numpy(luma: NDArray[np.uint16], noise: NDArray[np.int32]) -> NDArray[np.int64]:
    """The NumPy twin of `_limit`, for all cells."""
    light = luma.astype(np.int64) * (FAINT_SCALE // PLANE_SCALE) + _BLACK_GREY * FAINT_SCALE
    return np.maximum(light * _CONTRAST_PARTS // 256, np.maximum(_NOISES * noise, _LEAST_GREY * FAINT_SCALE))


def foreground_numpy(
    drift: NDArray[np.uint8],
    step: NDArray[np.uint8],
    lately: NDArray[np.uint8],
    luma: NDArray[np.uint16],
    noise: NDArray[np.int32],
) -> NDArray[np.uint8]:
    """The NumPy twin of `foreground`."""
    limit = _limit_numpy(luma, noise)
    moving = np.maximum(lately * np.int64(FOREGROUND_SCALE), step * np.int64(_MOVING_PARTS)) * _PARTS // limit
    value = np.maximum(drift * np.int64(FOREGROUND_SCALE), step * np.int64(_MOVING_PARTS)) * _PARTS // limit
    value = np.minimum(value, 255) & ~MOVES | np.where(moving >= FOREGROUND_SCALE, MOVES, 0)
    return np.where(value * 2 >= FOREGROUND_SCALE, value, 0).astype(np.uint8)


@compiled
def quarters_over(
    plane: NDArray[np.uint16],
    usual: NDArray[np.uint16],
    usual_shift: int,
    earlier: NDArray[np.uint16],
    earlier_shift: int,
    value: NDArray[np.uint8],
    luma: NDArray[np.uint16],
    noise: NDArray[np.int32],
    cell_px: int,
) -> NDArray[np.uint8]:
    """Tell which quarters of the cells over their limit are over it themselves: upper left, upper right, lower left and lower
    right, from the lowest bit on. Nothing is looked at but those cells, so that a still view costs nothing.

    Parameters
    ----------
    plane, usual, earlier : (height, width) uint16 planes: the frame, the slow background, and 0.2 s ago
    usual_shift, earlier_shift : the light shift against each, in 1/16 grey level
    value : (cells,) uint8, their foreground
    luma, noise : as for `foreground`

    Returns
    -------
    (cells,) uint8
    """
    height, width = plane.shape
    columns, half = (width + cell_px - 1) // cell_px, cell_px // 2
    found = np.zeros(value.size, np.uint8)
    for cell in range(value.size):
        if value[cell] < FOREGROUND_SCALE:
            continue
        limit = _limit(int(luma[cell]), int(noise[cell])) * PLANE_SCALE // FAINT_SCALE
        for quarter in range(4):
            top = cell // columns * cell_px + quarter // 2 * half
            left = cell % columns * cell_px + quarter % 2 * half
            drifted, moved, count = 0, 0, 0
            for y in range(top, min(top + half, height)):
                for x in range(left, min(left + half, width)):
                    drifted += abs(int(plane[y, x]) - int(usual[y, x]) - usual_shift)
                    moved += abs(int(plane[y, x]) - int(earlier[y, x]) - earlier_shift)
                    count += 1
            far = max(drifted * FOREGROUND_SCALE, moved * _MOVING_PARTS)
            if count and far >= FOREGROUND_SCALE * limit * count:
                found[cell] |= 1 << quarter
    return found


def quarters_over_numpy(
    plane: NDArray[np.uint16],
    usual: NDArray[np.uint16],
    usual_shift: int,
    earlier: NDArray[np.uint16],
    earlier_shift: int,
    value: NDArray[np.uint8],
    luma: NDArray[np.uint16],
    noise: NDArray[np.int32],
    cell_px: int,
) -> NDArray[np.uint8]:
    """The NumPy twin of `quarters_over`."""
    rows, columns = -(-plane.shape[0] // cell_px), -(-plane.shape[1] // cell_px)
    half = cell_px // 2
    limit = _limit_numpy(luma, noise)
    limit = (limit * PLANE_SCALE // FAINT_SCALE).reshape(rows, columns)
    whole = (rows * cell_px - plane.shape[0], columns * cell_px - plane.shape[1])

    def sums(values: NDArray[np.int64]) -> NDArray[np.int64]:
        padded = np.pad(values, ((0, whole[0]), (0, whole[1])))
        return np.asarray(padded.reshape(rows, 2, half, columns, 2, half).sum(axis=(2, 5)))

    drifted = sums(np.abs(plane.astype(np.int64) - usual - usual_shift))
    moved = sums(np.abs(plane.astype(np.int64) - earlier - earlier_shift))
    count = sums(np.ones(plane.shape, np.int64))
    far = np.maximum(drifted * FOREGROUND_SCALE, moved * _MOVING_PARTS)
    over = (count > 0) & (far >= FOREGROUND_SCALE * limit[:, None, :, None] * count)
    bits = (over.astype(np.uint8) << np.array([[0, 1], [2, 3]], np.uint8)[None, :, None, :]).sum(axis=(1, 3))
    return np.where(value >= FOREGROUND_SCALE, bits.ravel(), 0).astype(np.uint8)
