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
        light = int(luma[cell]) * (FAINT_SCALE // PLANE_SCALE) + _BLACK_GREY * FAINT_SCALE
        limit = max(light * _CONTRAST_PARTS // 256, _NOISES * int(noise[cell]), _LEAST_GREY * FAINT_SCALE)
        held = (
            min(int(far / limit), 255) & ~MOVES
        )  # floats divide whole numbers so small exactly to the floor, and sooner
        if max(int(lately[cell]) * FOREGROUND_SCALE, moved) * _PARTS >= FOREGROUND_SCALE * limit:
            held |= MOVES
        if held * 2 >= FOREGROUND_SCALE:
            value[cell] = held
    return value


def foreground_numpy(
    drift: NDArray[np.uint8],
    step: NDArray[np.uint8],
    lately: NDArray[np.uint8],
    luma: NDArray[np.uint16],
    noise: NDArray[np.int32],
) -> NDArray[np.uint8]:
    """The NumPy twin of `foreground`."""
    light = luma.astype(np.int64) * (FAINT_SCALE // PLANE_SCALE) + _BLACK_GREY * FAINT_SCALE
    limit = np.maximum(light * _CONTRAST_PARTS // 256, np.maximum(_NOISES * noise, _LEAST_GREY * FAINT_SCALE))
    moving = np.maximum(lately * np.int64(FOREGROUND_SCALE), step * np.int64(_MOVING_PARTS)) * _PARTS // limit
    value = np.maximum(drift * np.int64(FOREGROUND_SCALE), step * np.int64(_MOVING_PARTS)) * _PARTS // limit
    value = np.minimum(value, 255) & ~MOVES | np.where(moving >= FOREGROUND_SCALE, MOVES, 0)
    return np.where(value * 2 >= FOREGROUND_SCALE, value, 0).astype(np.uint8)
