"""A mask as an image: one strength for every pixel of the picture."""

from __future__ import annotations

import base64
import binascii
import zlib
from functools import lru_cache
from typing import Annotated, Self

import numpy as np
from numpy.typing import NDArray
from pydantic import BaseModel, ConfigDict, Field, model_validator

from north_hush.core.grid import SIDE_MAX_PX, Grid
from north_hush.core.words import tr

PIXELS_MAX = 100_000_000
_Side = Annotated[int, Field(ge=1, le=SIDE_MAX_PX)]


class Painted(BaseModel):
    """Strengths of all pixels, 0 (watched) to 255 (masked), row by row, deflated and in base 64."""

    model_config = ConfigDict(frozen=True, extra="forbid")

    width: _Side
    height: _Side
    deflated: Annotated[str, Field(repr=False)]

    @model_validator(mode="after")
    def _holds_every_pixel(self) -> Self:
        if self.width * self.height > PIXELS_MAX:
            raise ValueError(
                tr(
                    "{width} x {height} pixels are more than {pixels_max:,}",
                    width=self.width,
                    height=self.height,
                    pixels_max=PIXELS_MAX,
                )
            )
        try:
            inflating = zlib.decompressobj()
            # One byte more than there may be, so that a small file cannot unfold into all memory.
            data = inflating.decompress(base64.b64decode(self.deflated, validate=True), self.width * self.height + 1)
        except (binascii.Error, zlib.error) as error:
            raise ValueError(tr("deflated is not deflated pixels ({error})", error=error)) from error
        if len(data) != self.width * self.height:
            raise ValueError(
                tr("deflated does not hold {width} x {height} pixels", width=self.width, height=self.height)
            )
        return self


def painted(strengths: NDArray[np.uint8]) -> Painted:
    """Strengths of pixels, (height, width) uint8, as a value."""
    height, width = strengths.shape
    data = zlib.compress(np.ascontiguousarray(strengths).tobytes(), 6)
    return Painted(width=width, height=height, deflated=base64.b64encode(data).decode("ascii"))


@lru_cache(maxsize=16)
def strengths_of(image: Painted) -> NDArray[np.uint8]:
    """Strengths of all pixels, (height, width) uint8, read-only."""
    data = zlib.decompress(base64.b64decode(image.deflated))
    return np.frombuffer(data, np.uint8).reshape(image.height, image.width)


def rescaled(strengths: NDArray[np.uint8], width: int, height: int) -> NDArray[np.uint8]:
    """The same mask at another size: each pixel takes the one under its middle, so no strength is made up."""
    rows = (np.arange(height) * 2 + 1) * strengths.shape[0] // (2 * height)
    columns = (np.arange(width) * 2 + 1) * strengths.shape[1] // (2 * width)
    scaled: NDArray[np.uint8] = strengths[rows][:, columns]
    return scaled


@lru_cache(maxsize=32)
def cell_strengths(image: Painted, grid: Grid) -> NDArray[np.uint8]:
    """Strength of each cell, (cells,) uint8, read-only: the median of its pixels, the upper one of two.

    A cell of which at least half is painted in full is masked in full, as with a drawn mask.
    """
    strengths = strengths_of(image)
    if strengths.shape != (grid.height, grid.width):
        strengths = rescaled(strengths, grid.width, grid.height)
    side = grid.cell_source_px
    flat = np.zeros(grid.cells, np.uint8)
    for row in range(grid.rows):
        band = strengths[row * side : (row + 1) * side]
        for column in range(grid.columns):
            pixels = band[:, column * side : (column + 1) * side].ravel()
            flat[row * grid.columns + column] = np.partition(pixels, pixels.size // 2)[pixels.size // 2]
    flat.setflags(write=False)
    return flat
