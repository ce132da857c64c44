"""How far the picture has jumped from where it usually is, on a mast that shakes, and the picture put back there.

The shift is that which explains best, by the gradient of the slow background, how the picture differs from it (Lucas and Kanade 1981),
first on cells, then on the analysis plane, with less weight on what it does not explain: who walks, waves, a cloud. It counts only
where much of the difference goes with it; a picture that stands still stays as it is, to the bit.
"""

from __future__ import annotations

import math
from collections.abc import Callable

import numpy as np
from numpy.typing import NDArray

from north_hush.core.compiled import compiled
from north_hush.core.footage.differences import cell_luma, median_shift
from north_hush.core.footage.luma import PLANE_SCALE

_LIMIT_SHARE = 0.03
"""No further than this share of the picture's width: a camera that was turned looks at another scene, and that is told."""
_STIRRED_SHARE = 0.01
"""It is looked for where so much of the picture differs by 4 grey levels from the frame before, or while it is put back."""
_LEAST_PX = 0.1
"""Analysis pixels. What is less is left as it is."""
_FIRST_PX, _COARSE_PX, _FINE_PX = 4, (8, 4), (4, 2, 1, 1)
"""It is found on squares of so many pixels, one look after the other: a look sees no further than some of its squares."""
_EXPLAINED = 0.8
"""What differs must fall to so much of what it was."""
_SWINGS_US, _STILL_PX = 1_500_000, 0.3
"""A mast that shakes or sways is somewhere else within this time, by more than so much; one that was knocked is not."""
_STEEPEST, _BODY = 100 * PLANE_SCALE, 30 * PLANE_SCALE
"""How steep an edge counts, and how much of a difference: beyond, it is a body, however dark."""
_NOISE = 2 * PLANE_SCALE
_BINS = 4096


class Jitter:
    """Feed it planes in order of time."""

    def __init__(self) -> None:
        self.right_px = self.down_px = 0.0
        """Where the newest picture was, in analysis pixels to the right of where it usually is and below; 0 where it stays."""
        self._rests: tuple[float, float] | None = None
        self._rests_us = 0
        """Where it has been since when, to within a little."""

    def settled(
        self,
        plane: NDArray[np.uint16],
        usual: NDArray[np.uint16],
        stirred: int,
        time_us: int,
        moved: Callable[[float, float], NDArray[np.uint16]],
    ) -> NDArray[np.uint16]:
        """The plane where it usually is.

        Parameters
        ----------
        plane, usual : (height, width) uint16 in 1/16 grey level, as it is, and the slow background
        stirred : how many of its pixels differ by 4 grey levels from the frame before
        moved : the same plane of the picture moved by so many analysis pixels to the left and up
        """
        if not (self.right_px or self.down_px) and stirred <= _STIRRED_SHARE * plane.size:
            return plane
        light = median_shift(plane, usual)
        found = _found(plane, usual, light, moved)
        if found is None or not self._swings(*found[:2], time_us):
            self.right_px = self.down_px = 0.0
            self._rests = None if found is None else self._rests
            return plane
        self.right_px, self.down_px = found[:2]
        rim = math.ceil(max(abs(self.right_px), abs(self.down_px))) + 1  # nobody saw what lies there
        settled = np.clip(usual.astype(np.int32) + light, 0, np.iinfo(np.uint16).max).astype(np.uint16)
        settled[rim:-rim, rim:-rim] = found[2][rim:-rim, rim:-rim]
        return settled

    def _swings(self, right_px: float, down_px: float, time_us: int) -> bool:
        """Whether it has not stayed where it is for long: what was knocked does."""
        if self._rests is None or math.hypot(right_px - self._rests[0], down_px - self._rests[1]) > _STILL_PX:
            self._rests, self._rests_us = (right_px, down_px), time_us
        return time_us - self._rests_us <= _SWINGS_US


def _found(
    plane: NDArray[np.uint16],
    usual: NDArray[np.uint16],
    light: int,
    moved: Callable[[float, float], NDArray[np.uint16]],
) -> tuple[float, float, NDArray[np.uint16]] | None:
    """How far a plane lies to the right of the usual one and below, and as it is there; None where it lies in place."""
    if max(map(abs, _step(plane, usual, light, _FIRST_PX))) < _LEAST_PX:
        return None
    before, most = left_over(plane, usual, light), _LIMIT_SHARE * plane.shape[1]
    right, down, now = 0.0, 0.0, plane
    for squares_px in (_COARSE_PX, _FINE_PX):
        for square_px in squares_px:
            step = _step(now, usual, light, square_px)
            right, down = right + step[0], down + step[1]
            if max(abs(right), abs(down)) > most:
                return None
            now = moved(right, down)
        if max(abs(right), abs(down)) < _LEAST_PX or left_over(now, usual, light) > _EXPLAINED * before:
            return None
    return right, down, now


def _step(plane: NDArray[np.uint16], usual: NDArray[np.uint16], light: int, square_px: int) -> tuple[float, float]:
    """The same step on squares of so many pixels, in pixels."""
    if square_px > 1:
        columns = -(-plane.shape[1] // square_px)
        plane = cell_luma(plane, square_px).reshape(-1, columns)
        usual = cell_luma(usual, square_px).reshape(-1, columns)
    right, down = shift_of(plane, usual, light)
    return right * square_px, down * square_px


@compiled
def left_over(plane: NDArray[np.uint16], usual: NDArray[np.uint16], light: int) -> float:
    """Mean of |plane - usual - light| where the usual has edges, each by how steep it is, with no more of any than a body makes."""
    height, width = plane.shape
    total, steep = 0.0, 1.0
    for y in range(1, height - 1):
        for x in range(1, width - 1):
            right = np.int32(usual[y, x + 1]) - np.int32(usual[y, x - 1])
            down = np.int32(usual[y + 1, x]) - np.int32(usual[y - 1, x])
            edge = min(int(abs(right) + abs(down)), _STEEPEST)
            differs = min(int(abs(np.int32(plane[y, x]) - np.int32(usual[y, x]) - light)), _BODY)
            total += edge * differs
            steep += edge
    return total / steep


@compiled
def shift_of(plane: NDArray[np.uint16], usual: NDArray[np.uint16], light: int) -> tuple[float, float]:
    """One step towards how far a plane lies to the right of the usual one, and below it, in pixels."""
    height, width = plane.shape
    counts = np.zeros(_BINS, np.int64)
    for y in range(1, height - 1):
        for x in range(1, width - 1):
            counts[min(int(abs(np.int32(plane[y, x]) - np.int32(usual[y, x]) - light)), _BINS - 1)] += 1
    middle, seen = 0, np.int64(0)
    while seen < (height - 2) * (width - 2) // 2 and middle < _BINS - 1:
        seen += counts[middle]
        middle += 1
    scale = 1.0 / (3.0 * max(middle, _NOISE)) ** 2
    xx = xy = yy = xr = yr = 0.0
    for y in range(1, height - 1):
        for x in range(1, width - 1):
            once, again = (
                np.int32(usual[y, x + 1]) - np.int32(usual[y, x - 1]),
                np.int32(plane[y, x + 1]) - np.int32(plane[y, x - 1]),
            )
            right = 0.25 * (once + again)
            once, again = (
                np.int32(usual[y + 1, x]) - np.int32(usual[y - 1, x]),
                np.int32(plane[y + 1, x]) - np.int32(plane[y - 1, x]),
            )
            down = 0.25 * (once + again)
            differs = np.float64(np.int32(plane[y, x]) - np.int32(usual[y, x]) - light)
            weight = 1.0 / (1.0 + differs * differs * scale)
            xx += weight * right * right
            xy += weight * right * down
            yy += weight * down * down
            xr += weight * right * differs
            yr += weight * down * differs
    area = xx * yy - xy * xy
    if area <= 1e-6 * (xx + yy) * (xx + yy):  # nothing but stripes, or nothing at all
        return 0.0, 0.0
    return -(yy * xr - xy * yr) / area, -(xx * yr - xy * xr) / area


@compiled
def moved_luma(luma: NDArray[np.uint8], right: float, down: float) -> NDArray[np.uint8]:
    """A picture moved by so many of its pixels to the left and up, those at the edge repeated; between pixels on straight lines."""
    height, width = luma.shape
    found = np.empty((height, width), np.uint8)
    whole_x, whole_y = int(np.floor(right)), int(np.floor(down))
    part_x, part_y = int(256 * (right - whole_x)), int(256 * (down - whole_y))
    for y in range(height):
        top = luma[min(max(y + whole_y, 0), height - 1)]
        below = luma[min(max(y + whole_y + 1, 0), height - 1)]
        for x in range(width):
            here, there = min(max(x + whole_x, 0), width - 1), min(max(x + whole_x + 1, 0), width - 1)
            above = np.int32(top[here]) * (256 - part_x) + np.int32(top[there]) * part_x
            under = np.int32(below[here]) * (256 - part_x) + np.int32(below[there]) * part_x
            found[y, x] = (above * (256 - part_y) + under * part_y + 32768) >> 16
    return found


# --- the NumPy twins of the kernels ----------------------------------------------------------------------------------


def left_over_numpy(plane: NDArray[np.uint16], usual: NDArray[np.uint16], light: int) -> float:
    """The NumPy twin of `left_over`."""
    right, down = slopes(usual)
    edges = np.minimum(np.abs(right) + np.abs(down), _STEEPEST)
    differs = np.minimum(np.abs(_differs(plane, usual, light)), _BODY)
    return float((edges * differs).sum() / (1.0 + edges.sum()))


def shift_of_numpy(plane: NDArray[np.uint16], usual: NDArray[np.uint16], light: int) -> tuple[float, float]:
    """The NumPy twin of `shift_of`."""
    if min(plane.shape) < 3:
        return 0.0, 0.0
    differs = _differs(plane, usual, light).astype(np.float64)
    sizes = np.minimum(np.abs(differs), _BINS - 1).ravel()
    most = sizes.size // 2
    middle = 0 if most == 0 else min(int(np.partition(sizes, most - 1)[most - 1]) + 1, _BINS - 1)
    weight = 1.0 / (1.0 + (differs / (3.0 * max(middle, _NOISE))) ** 2)
    right, down = (0.25 * (one + other) for one, other in zip(slopes(usual), slopes(plane), strict=True))
    xx, xy, yy = (weight * right * right).sum(), (weight * right * down).sum(), (weight * down * down).sum()
    xr, yr = (weight * right * differs).sum(), (weight * down * differs).sum()
    area = xx * yy - xy * xy
    if area <= 1e-6 * (xx + yy) ** 2:
        return 0.0, 0.0
    return float(-(yy * xr - xy * yr) / area), float(-(xx * yr - xy * xr) / area)


def slopes(plane: NDArray[np.uint16]) -> tuple[NDArray[np.int32], NDArray[np.int32]]:
    """How much it rises over two pixels to the right and down, but for the rim."""
    wide = plane.astype(np.int32)
    return wide[1:-1, 2:] - wide[1:-1, :-2], wide[2:, 1:-1] - wide[:-2, 1:-1]


def _differs(plane: NDArray[np.uint16], usual: NDArray[np.uint16], light: int) -> NDArray[np.int32]:
    return plane[1:-1, 1:-1].astype(np.int32) - usual[1:-1, 1:-1].astype(np.int32) - light


def moved_luma_numpy(luma: NDArray[np.uint8], right: float, down: float) -> NDArray[np.uint8]:
    """The NumPy twin of `moved_luma`."""
    height, width = luma.shape
    whole_x, whole_y = math.floor(right), math.floor(down)
    part_x, part_y = int(256 * (right - whole_x)), int(256 * (down - whole_y))
    wide = luma.astype(np.int32)
    rows = [np.clip(np.arange(height) + whole_y + more, 0, height - 1) for more in (0, 1)]
    columns = [np.clip(np.arange(width) + whole_x + more, 0, width - 1) for more in (0, 1)]
    above, under = (wide[line][:, columns[0]] * (256 - part_x) + wide[line][:, columns[1]] * part_x for line in rows)
    return np.asarray((above * (256 - part_y) + under * part_y + 32768) >> 16, np.uint8)
