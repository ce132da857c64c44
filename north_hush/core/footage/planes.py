"""Frames made anew from the planes of decoded ones. The decoder's own are never written to: later frames are made from them."""

from __future__ import annotations

import re
from collections.abc import Callable
from typing import Any

import av
import numpy as np
from numpy.typing import NDArray

PLANAR = frozenset(
    {
        "gray",
        "yuv420p",
        "yuvj420p",
        "yuv422p",
        "yuvj422p",
        "yuv440p",
        "yuvj440p",
        "yuv444p",
        "yuvj444p",
        "yuv411p",
        "yuv410p",
    }
)
"""Formats of 8 bits whose planes can be copied as they lie."""
_DEPTH = re.compile(r"\d+le$")
_BLOCK_PX = 16


def remade(
    frame: av.VideoFrame, change: Callable[[int, NDArray[np.uint8]], None] | None = None, *, whole_blocks: bool = False
) -> av.VideoFrame:
    """A copy of a frame of a PLANAR format, in 8 bits: deeper samples are shifted down, without the dithering that would spread
    what is in one place over others.

    Parameters
    ----------
    change : takes the number of a plane and its samples, (height, width) uint8, and writes into them
    whole_blocks : widen it to whole blocks of 16 pixels with its last column
    """
    width = -(-frame.width // _BLOCK_PX) * _BLOCK_PX if whole_blocks else frame.width
    deeper = max(0, frame.format.components[0].bits - 8)
    made = av.VideoFrame(width, frame.height, _DEPTH.sub("", frame.format.name))
    made.color_range, made.colorspace = frame.color_range, frame.colorspace
    made.color_trc, made.color_primaries = frame.color_trc, frame.color_primaries
    kind = np.dtype("<u2" if deeper else np.uint8)
    for number, (plane, target) in enumerate(zip(frame.planes, made.planes, strict=True)):
        held: NDArray[Any] = np.frombuffer(memoryview(plane), kind).reshape(-1, plane.line_size // kind.itemsize)
        rows = np.zeros((target.buffer_size // target.line_size, target.line_size), np.uint8)
        samples = rows[: plane.height, : plane.width]
        samples[:] = held[: plane.height, : plane.width] >> deeper
        if change is not None:
            change(number, samples)
        rows[: plane.height, plane.width :] = samples[:, -1:]
        target.update(rows.tobytes())
    return made
