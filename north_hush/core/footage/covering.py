"""Privacy masks on decoded frames, before anything is scaled, converted or subtracted.

What is blanked only after a picture was scaled, or its colours were spread over their neighbours, has bled over the mask's rim by
then. So the planes of a frame are blanked as the decoder gave them, with a pixel of margin, every colour sample that a mask touches
included.
"""

from __future__ import annotations

from functools import lru_cache

import av
import numpy as np
from numpy.typing import NDArray

from north_hush.core.footage.luma import luma_of
from north_hush.core.footage.planes import PLANAR, remade
from north_hush.core.grid import Grid
from north_hush.core.scene.items import Privacy
from north_hush.core.scene.privacy import BLANK_GREY, covered_pixels

_NEUTRAL = 128
_CONVERTED_MARGIN_PX = 4
"""Of formats that are converted first: colours are spread over so many pixels by then."""


def covered_frame(frame: av.VideoFrame, grid: Grid, privacy: tuple[Privacy, ...]) -> av.VideoFrame:
    """A frame with everything under privacy masks made one flat grey, as another frame; the same one where nothing is covered."""
    if not privacy:
        return frame
    if frame.format.name in PLANAR:
        return _planes_covered(frame, _coded(grid, privacy, 1))
    whole = frame.reformat(format="bgra")
    pixels = whole.to_ndarray()
    pixels[_coded(grid, privacy, _CONVERTED_MARGIN_PX)] = BLANK_GREY
    made = av.VideoFrame.from_ndarray(pixels, format="bgra")
    made.color_range = whole.color_range
    return made


def covered_luma(frame: av.VideoFrame, grid: Grid, privacy: tuple[Privacy, ...]) -> NDArray[np.uint8]:
    """Y of a frame with everything under privacy masks made one flat grey, (coded height, coded width): that of `covered_frame`,
    without making its colours."""
    if not privacy or frame.format.name not in PLANAR:
        return luma_of(covered_frame(frame, grid, privacy))
    luma = luma_of(frame).copy()
    luma[_coded(grid, privacy, 1)] = BLANK_GREY
    return luma


def _planes_covered(frame: av.VideoFrame, covered: NDArray[np.bool_]) -> av.VideoFrame:
    def blank(number: int, samples: NDArray[np.uint8]) -> None:
        samples[_touched(covered, *samples.shape)] = _NEUTRAL if number else BLANK_GREY

    return remade(frame, blank)


def _touched(covered: NDArray[np.bool_], height: int, width: int) -> NDArray[np.bool_]:
    """Samples of a plane that stand for a covered pixel, by any part."""
    if covered.shape == (height, width):
        return covered
    tops, lefts = (
        np.arange(count) * whole // count for count, whole in zip((height, width), covered.shape, strict=True)
    )
    return np.asarray(np.logical_or.reduceat(np.logical_or.reduceat(covered, tops, axis=0), lefts, axis=1))


@lru_cache(maxsize=8)
def _coded(grid: Grid, privacy: tuple[Privacy, ...], margin_px: int) -> NDArray[np.bool_]:
    """Covered pixels as they lie in the decoder's frame, with a margin, (coded height, coded width) bool, read-only."""
    wide = covered_pixels(privacy, grid.width, grid.height).copy()
    for _ in range(margin_px):
        grown = wide.copy()
        grown[1:] |= wide[:-1]
        grown[:-1] |= wide[1:]
        wide = grown.copy()
        wide[:, 1:] |= grown[:, :-1]
        wide[:, :-1] |= grown[:, 1:]
    turned = wide[:, ::-1] if grid.flip else wide
    coded = np.ascontiguousarray(np.rot90(turned, k=grid.rotation_deg // 90))
    coded.setflags(write=False)
    return coded
