"""Whether the camera still looks at the same scene: how alike the picture is to the one it usually has, and how far that has moved.

A few times a second the mean brightness of the cells is compared with that of the usual scene, without what is broad and smooth (light
that comes and goes), by correlation; where it is unlike, it is looked for elsewhere by phase correlation (Kuglin and Hines 1975). The
usual scene follows the slow background as long as the picture is like it. After that it is held, so that a camera that was turned, or
a hand that stays on the lens, does not become what is usual within a minute.
"""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from north_hush.core.compiled import compiled
from north_hush.core.footage.stamps import US_PER_S

LOOK_US = US_PER_S // 2
"""Looks lie so far apart."""
ALIKE = 0.5
"""From this correlation on, the picture is the usual scene, and the usual scene follows it."""
HELD_US = 600 * US_PER_S
"""An unlike picture becomes the usual scene after so long."""
_SMOOTH_CELLS = 9
_SHIFT_SHARE = 0.4
"""Further than this share of the picture nothing is looked for: too little would be left of it."""
_OVERLAP_CELLS = 64
PARTS = 1000
"""Correlations and detail are kept in so many parts of one, shifts in so many parts of the picture's width and height."""


@dataclass(frozen=True)
class Look:
    """What a look found: correlation with the usual scene in place, and at the shift (in cells, to the right and down) where it is
    highest; and how much detail there is, as the standard deviation of the cells' square roots without what is broad and smooth."""

    alike: float = 1.0
    right: int = 0
    down: int = 0
    alike_there: float = 1.0
    detail: float = 0.0


class SceneShift:
    """Feed it the cells of pictures in order of time."""

    def __init__(self, columns: int, rows: int) -> None:
        self._columns, self._rows = columns, rows
        self._scene: NDArray[np.float32] | None = None
        self._looked_us = self._unlike_us = 0
        self._known: Look | None = None
        ramp = np.hanning(rows + 2)[1:-1, None] * np.hanning(columns + 2)[None, 1:-1]
        self._window = ramp.astype(np.float32)

    def due(self, time_us: int) -> bool:
        """Whether it is time to look."""
        return self._known is None or time_us - self._looked_us >= LOOK_US

    @property
    def known(self) -> Look:
        """The newest look."""
        return self._known or Look()

    def look(self, luma: NDArray[np.uint16], usual: NDArray[np.uint16], time_us: int) -> Look:
        """Compare a picture with the usual scene.

        Parameters
        ----------
        luma, usual : (cells,) uint16 in 1/16 grey level, of the picture and of the slow background
        """
        now = self._detail(luma)
        if self._scene is None:
            self._scene = now
        found = replace(self._compare(now, self._scene), detail=float(now.std()))
        if found.alike >= ALIKE:
            self._unlike_us = time_us
            background = self._detail(usual)
            if correlation(background, self._scene) >= ALIKE:  # else it still holds what came between
                self._scene = background
        elif time_us - self._unlike_us >= HELD_US:
            self._unlike_us, self._scene = time_us, self._detail(usual)
        self._looked_us, self._known = time_us, found
        return found

    def _detail(self, luma: NDArray[np.uint16]) -> NDArray[np.float32]:
        """Cells without what is broad and smooth, (rows, columns) float32. The square root evens out noise of bright and dark."""
        held = np.sqrt(luma.reshape(self._rows, self._columns).astype(np.float32))
        return np.asarray(held - box_mean(held, _SMOOTH_CELLS), np.float32)

    def _compare(self, now: NDArray[np.float32], scene: NDArray[np.float32]) -> Look:
        alike = correlation(now, scene)
        if alike >= ALIKE:
            return Look(alike, 0, 0, alike)
        right, down = self._peak(now, scene)
        there = correlation(*overlapping(now, scene, right, down))
        return Look(alike, right, down, there) if there > alike else Look(alike, 0, 0, alike)

    def _peak(self, now: NDArray[np.float32], scene: NDArray[np.float32]) -> tuple[int, int]:
        """The shift at which the phases of both agree best."""
        one, other = np.fft.rfft2(now * self._window), np.fft.rfft2(scene * self._window)
        cross = one * np.conj(other)
        surface = np.fft.irfft2(cross / np.maximum(np.abs(cross), 1e-6), s=now.shape)
        most_down, most_right = (max(1, round(_SHIFT_SHARE * side)) for side in now.shape)
        rolled = np.roll(surface, (most_down, most_right), axis=(0, 1))[: 2 * most_down + 1, : 2 * most_right + 1]
        down, right = np.unravel_index(int(rolled.argmax()), rolled.shape)
        return int(right) - most_right, int(down) - most_down


@compiled
def box_mean(values: NDArray[np.float32], size: int) -> NDArray[np.float32]:
    """Mean over size x size values, an odd number, those at the edge repeated beyond it, to the bit as `scipy.ndimage.uniform_filter`
    has it: of all that a camera's process does without sound, this alone would need that library, which takes 15 MB and longer to
    import than everything else."""
    rows, columns = values.shape
    half = size // 2
    down, across = np.empty_like(values), np.empty_like(values)
    for column in range(columns):
        total = 0.0
        for row in range(-half, half + 1):
            total += np.float64(values[min(max(row, 0), rows - 1), column])
        down[0, column] = total / size
        for row in range(1, rows):
            gone, come = values[max(row - half - 1, 0), column], values[min(row + half, rows - 1), column]
            total += np.float64(come) - np.float64(gone)
            down[row, column] = total / size
    for row in range(rows):
        total = 0.0
        for column in range(-half, half + 1):
            total += np.float64(down[row, min(max(column, 0), columns - 1)])
        across[row, 0] = total / size
        for column in range(1, columns):
            gone, come = down[row, max(column - half - 1, 0)], down[row, min(column + half, columns - 1)]
            total += np.float64(come) - np.float64(gone)
            across[row, column] = total / size
    return across


def overlapping(
    now: NDArray[np.float32], scene: NDArray[np.float32], right: int, down: int
) -> tuple[NDArray[np.float32], NDArray[np.float32]]:
    """What both show when the scene has moved by so many cells."""
    rows, columns = now.shape
    here = now[max(0, down) : rows + min(0, down), max(0, right) : columns + min(0, right)]
    there = scene[max(0, -down) : rows + min(0, -down), max(0, -right) : columns + min(0, -right)]
    return here, there


def correlation(one: NDArray[np.float32], other: NDArray[np.float32]) -> float:
    """Pearson's correlation; 0 where either shows nothing, or too little is left to compare."""
    if one.size < _OVERLAP_CELLS:
        return 0.0
    first, second = one - one.mean(), other - other.mean()
    scale = float(np.sqrt((first * first).sum() * (second * second).sum()))
    return float((first * second).sum()) / scale if scale > 1e-6 else 0.0
