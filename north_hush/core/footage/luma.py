"""The luma plane, straight from the decoder, and the analysis plane made of it."""

from __future__ import annotations

from typing import Any

import av
import numpy as np
from numpy.typing import NDArray

from north_hush.core.compiled import compiled

PLANE_SCALE = 16
"""Analysis plane values are sixteenths of a grey level, uint16."""

_NARROW_FACTOR = 16
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


def full_range(plane: NDArray[np.uint16]) -> NDArray[np.uint16]:
    """A plane of limited range (16 to 235) spread over 0 to 255, so that the same scene gives the same grey levels whatever
    range a camera uses (ITU-R BT.601); rounded half up."""
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
    # Sums of a band fit 16 bits (a factor is at most 205), those of a whole block up to a factor of 16. Adding the band
    # to itself, shifted, runs in vector units and takes a quarter of the time of adding every so many columns. The float
    # division does too; it is exact, since numerator and count are far below 2**53.
    height, width = luma.shape
    plane_height = (height + factor - 1) // factor
    plane_width = (width + factor - 1) // factor
    whole = width // factor
    plane = np.empty((plane_height, plane_width), np.uint16)
    band = np.empty(width, np.uint16)
    starts = max(0, width - factor + 1)
    wide = np.empty(width, np.uint16)
    sums = np.empty(plane_width, np.uint32)
    for i in range(plane_height):
        top = i * factor
        bottom = min(top + factor, height)
        band[:] = 0
        for y in range(top, bottom):
            row = luma[y]
            for x in range(width):
                band[x] += row[x]
        sums[:] = 0
        if factor <= _NARROW_FACTOR:
            for x in range(starts):
                wide[x] = band[x]
            for k in range(1, factor):
                shifted = band[k:]
                for x in range(starts):
                    wide[x] += shifted[x]
            part = wide[::factor]
            for j in range(whole):
                sums[j] = part[j]
            for x in range(whole * factor, width):
                sums[whole] += band[x]
        else:
            for k in range(factor):
                part = band[k::factor]
                for j in range(part.size):
                    sums[j] += part[j]
        count = float((bottom - top) * factor)
        for j in range(whole):
            plane[i, j] = np.uint16(np.floor((np.float64(sums[j]) * PLANE_SCALE + count // 2) / count))
        if whole < plane_width:
            count = float((bottom - top) * (width - whole * factor))
            plane[i, whole] = np.uint16(np.floor((np.float64(sums[whole]) * PLANE_SCALE + count // 2) / count))
    return plane


def analysis_plane_numpy(luma: NDArray[np.uint8], factor: int) -> NDArray[np.uint16]:
    """The NumPy twin of `analysis_plane`."""
    height, width = luma.shape
    tops, lefts = np.arange(0, height, factor), np.arange(0, width, factor)
    sums = np.add.reduceat(np.add.reduceat(luma, tops, axis=0, dtype=np.uint32), lefts, axis=1)
    counts = np.outer(np.diff(np.append(tops, height)), np.diff(np.append(lefts, width))).astype(np.uint32)
    return ((PLANE_SCALE * sums + counts // 2) // counts).astype(np.uint16)
