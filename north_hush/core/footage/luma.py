"""The luma plane, straight from the decoder, and the analysis plane made of it."""

from __future__ import annotations

from typing import Any

import av
import numpy as np
from numpy.typing import NDArray

from north_hush.core.compiled import compiled

PLANE_SCALE = 16
"""Analysis plane values are sixteenths of a grey level, uint16."""

_NARROW_FACTOR, _STAGES = 16, 5
"""A factor of 16 is summed in four stages."""
_DARKEST, _SPAN = 16 * PLANE_SCALE, 219
"""Of limited range: black, and how many levels lie from there to white."""
_WHITE = 255 * PLANE_SCALE


def luma_of(frame: av.VideoFrame) -> NDArray[np.uint8]:
    """Return Y of a decoded frame, shape (coded height, coded width), 0..255.

    Planar YUV, grey and NV12 frames are read without conversion; deeper planes are shifted down to 8 bits; anything
    else (RGB, packed YUV, palettes) goes through 8-bit grey.
    """
    bits = frame.format.components[0].bits
    if reads_plane(frame):
        if bits == 8:
            return _plane_view(frame, np.dtype(np.uint8))
        return (_plane_view(frame, np.dtype("<u2")) >> (bits - 8)).astype(np.uint8)
    grey: NDArray[Any] = frame.reformat(format="gray").to_ndarray()
    return grey


def _plane_view(frame: av.VideoFrame, dtype: np.dtype[Any]) -> NDArray[Any]:
    plane = frame.planes[0]
    rows: NDArray[Any] = np.frombuffer(memoryview(plane), dtype=dtype).reshape(-1, plane.line_size // dtype.itemsize)
    return rows[: frame.height, : frame.width]


def reads_plane(frame: av.VideoFrame) -> bool:
    """Tell whether Y is read as it lies in the frame; else it goes through 8-bit grey, which is of full range."""
    layout = frame.format
    luma = layout.components[0]
    planar = layout.is_planar or layout.name in ("gray", "nv12", "nv21")
    deep = 8 < luma.bits <= 16 and not layout.is_big_endian and not layout.name.startswith("p0")
    return bool(planar and not layout.is_rgb and not layout.has_palette and (luma.bits == 8 or deep))


@compiled
def full_range(plane: NDArray[np.uint16]) -> NDArray[np.uint16]:
    """A plane of limited range (16 to 235) spread over 0 to 255, so that the same scene gives the same grey levels whatever
    range a camera uses (ITU-R BT.601); rounded half up."""
    spread = np.empty(plane.shape, np.uint16)
    height, width = plane.shape
    for y in range(height):
        for x in range(width):  # 32-bit floats hold these whole numbers, and their division is exact to the floor
            wide = np.float32((np.int32(plane[y, x]) - _DARKEST) * 255 + _SPAN // 2)
            level = int(max(wide, np.float32(0)) / np.float32(_SPAN))
            spread[y, x] = min(level, _WHITE)
    return spread


def full_range_numpy(plane: NDArray[np.uint16]) -> NDArray[np.uint16]:
    """The NumPy twin of `full_range`."""
    wide = (plane.astype(np.int32) - _DARKEST) * 255
    return np.asarray(np.clip((wide + _SPAN // 2) // _SPAN, 0, _WHITE), np.uint16)


@compiled
def analysis_plane(luma: NDArray[np.uint8], factor: int) -> NDArray[np.uint16]:
    """Area mean of Y by a whole factor, in sixteenths of a grey level, rounded half up.

    Parameters
    ----------
    luma : (height, width) uint8
    factor : source pixels per analysis pixel; blocks at the right and bottom edge may be smaller.

    Returns
    -------
    (ceil(height / factor), ceil(width / factor)) uint16
    """
    height, width = luma.shape
    plane_height = (height + factor - 1) // factor
    plane_width = (width + factor - 1) // factor
    whole = width // factor
    plane = np.empty((plane_height, plane_width), np.uint16)
    scratch = np.empty((_STAGES, width), np.uint16)
    sums = np.empty(whole, np.uint32)
    for i in range(plane_height):
        top = i * factor
        bottom = min(top + factor, height)
        _sum_down(luma, top, bottom, scratch[0])
        if factor <= _NARROW_FACTOR:
            _sum_across(scratch, factor, whole, sums)
        else:
            _sum_every(scratch[0], factor, sums)
        _divide(sums, (bottom - top) * factor, plane[i])
        if whole < plane_width:
            rest, count = np.int64(0), (bottom - top) * (width - whole * factor)
            for x in range(whole * factor, width):
                rest += scratch[0, x]
            plane[i, whole] = (rest * PLANE_SCALE + count // 2) // count
    return plane


@compiled
def _sum_down(luma: NDArray[np.uint8], top: int, bottom: int, band: NDArray[np.uint16]) -> None:
    """Sum rows; those of a band fit 16 bits, since a factor is at most 205."""
    band[:] = 0
    for y in range(top, bottom):
        row = luma[y]
        for x in range(band.size):
            band[x] += row[x]


@compiled
def _sum_across(scratch: NDArray[np.uint16], factor: int, whole: int, sums: NDArray[np.uint32]) -> None:
    """Sum every so many columns of the first row, in stages of two and three that each fill the next row: only a stride that is
    known when it is compiled runs in vector units. Up to a factor of 16 the sum of a whole block fits 16 bits."""
    left, count, stage = factor, whole * factor, 0
    while left % 2 == 0:
        left, count, stage = left // 2, count // 2, stage + 1
        _pairs(scratch[stage - 1], scratch[stage], count)
    while left % 3 == 0:
        left, count, stage = left // 3, count // 3, stage + 1
        _triples(scratch[stage - 1], scratch[stage], count)
    _sum_every(scratch[stage], left, sums)


@compiled
def _pairs(wide: NDArray[np.uint16], narrow: NDArray[np.uint16], count: int) -> None:
    for j in range(count):
        narrow[j] = wide[2 * j] + wide[2 * j + 1]


@compiled
def _triples(wide: NDArray[np.uint16], narrow: NDArray[np.uint16], count: int) -> None:
    for j in range(count):
        narrow[j] = wide[3 * j] + wide[3 * j + 1] + wide[3 * j + 2]


@compiled
def _sum_every(band: NDArray[np.uint16], factor: int, sums: NDArray[np.uint32]) -> None:
    if factor == 1:
        for j in range(sums.size):
            sums[j] = band[j]
        return
    sums[:] = 0
    for k in range(factor):
        part = band[k::factor]
        for j in range(sums.size):
            sums[j] += part[j]


@compiled
def _divide(sums: NDArray[np.uint32], count: int, line: NDArray[np.uint16]) -> None:
    """Sums by their count, in sixteenths, rounded half up. In floats, since whole numbers so small divide exactly to the floor:
    of 32 bits where numerators stay below 2**24."""
    if count <= _NARROW_FACTOR * _NARROW_FACTOR:
        for j in range(sums.size):
            line[j] = np.int32(np.float32(np.int32(sums[j]) * PLANE_SCALE + count // 2) / np.float32(count))
    else:
        for j in range(sums.size):
            line[j] = np.int64(float(np.int64(sums[j]) * PLANE_SCALE + count // 2) / float(count))


def analysis_plane_numpy(luma: NDArray[np.uint8], factor: int) -> NDArray[np.uint16]:
    """The NumPy twin of `analysis_plane`."""
    height, width = luma.shape
    tops, lefts = np.arange(0, height, factor), np.arange(0, width, factor)
    sums = np.add.reduceat(np.add.reduceat(luma, tops, axis=0, dtype=np.uint32), lefts, axis=1)
    counts = np.outer(np.diff(np.append(tops, height)), np.diff(np.append(lefts, width))).astype(np.uint32)
    return ((PLANE_SCALE * sums + counts // 2) // counts).astype(np.uint16)


def compile_planes() -> None:
    """Make planes of tiny pictures in the forms they come in: as the decoder hands them out, in one piece or with room at the end of
    each line as mirrored ones have it too, and with something covered."""
    for writable in (False, True):
        for width in (32, 40):
            luma = np.zeros((16, width), np.uint8)[:, :32]
            luma.setflags(write=writable)
            analysis_plane(luma, 2)
