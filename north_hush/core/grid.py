"""The one geometry everything else is measured on: picture, analysis plane, cells, and the way between them."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property
from typing import TypeVar

import numpy as np
from numpy.typing import NDArray

from north_hush.core.errors import FootageError
from north_hush.core.words import tr

ScalarT = TypeVar("ScalarT", bound=np.generic)

ANALYSIS_WIDTH_MAX_PX = 320
SIDE_MAX_PX = 65_535
CELL_STANDARD_PX = 4
CELL_FINE_PX = 2
ROTATIONS_DEG = (0, 90, 180, 270)


@dataclass(frozen=True)
class Grid:
    """Picture size, orientation, analysis factor and cell size.

    Lengths are in pixels. `width` and `height` are those of the oriented picture, the one people see; the decoder's
    frame is `coded_width` x `coded_height`. Fractions run from 0 to 1 over the oriented picture, x to the right and y
    down. Rotation is clockwise and comes before the flip (left to right).
    """

    coded_width: int
    coded_height: int
    rotation_deg: int = 0
    flip: bool = False
    full_range: bool = False
    cell_px: int = CELL_STANDARD_PX

    def __post_init__(self) -> None:
        if not (1 <= self.coded_width <= SIDE_MAX_PX and 1 <= self.coded_height <= SIDE_MAX_PX):
            raise FootageError(
                tr("picture size"),
                tr(
                    "is {coded_width} x {coded_height} pixels, beyond 1 to 65,535.",
                    coded_width=self.coded_width,
                    coded_height=self.coded_height,
                ),
            )
        if self.rotation_deg not in ROTATIONS_DEG:
            raise FootageError(
                "rotation_deg", tr("is {rotation_deg}.", rotation_deg=self.rotation_deg), tr("Use 0, 90, 180 or 270.")
            )
        if self.cell_px not in (CELL_STANDARD_PX, CELL_FINE_PX):
            raise FootageError(
                "cell_px", tr("is {cell_px}.", cell_px=self.cell_px), tr("Use 4 (standard) or 2 (fine).")
            )

    @cached_property
    def turned(self) -> bool:
        """True when rotation swaps width and height."""
        return self.rotation_deg in (90, 270)

    @cached_property
    def width(self) -> int:
        return self.coded_height if self.turned else self.coded_width

    @cached_property
    def height(self) -> int:
        return self.coded_width if self.turned else self.coded_height

    @cached_property
    def factor(self) -> int:
        """Source pixels per analysis pixel: the smallest whole factor that brings the width to at most 320."""
        return -(-self.width // ANALYSIS_WIDTH_MAX_PX)

    @cached_property
    def plane_width(self) -> int:
        return -(-self.width // self.factor)

    @cached_property
    def plane_height(self) -> int:
        return -(-self.height // self.factor)

    @cached_property
    def columns(self) -> int:
        return -(-self.plane_width // self.cell_px)

    @cached_property
    def rows(self) -> int:
        return -(-self.plane_height // self.cell_px)

    @cached_property
    def cells(self) -> int:
        return self.columns * self.rows

    @cached_property
    def cell_source_px(self) -> int:
        """Side of a whole cell in source pixels."""
        return self.cell_px * self.factor

    def cell_at(self, x_frac: float, y_frac: float) -> int | None:
        """Index of the cell (row-major) at a point of the picture, None outside it."""
        if not (0 <= x_frac < 1 and 0 <= y_frac < 1):
            return None
        column = int(x_frac * self.width) // self.cell_source_px
        row = int(y_frac * self.height) // self.cell_source_px
        return row * self.columns + column

    def cell_box(self, cell: int) -> tuple[float, float, float, float]:
        """Left, top, right and bottom of a cell as fractions; edge cells end at the picture's edge."""
        row, column = divmod(cell, self.columns)
        side = self.cell_source_px
        return (
            column * side / self.width,
            row * side / self.height,
            min((column + 1) * side, self.width) / self.width,
            min((row + 1) * side, self.height) / self.height,
        )

    def point(self, x_cells: float, y_cells: float) -> tuple[float, float]:
        """A place in cells as fractions of the picture, no further than its edges."""
        across, down = self.cell_size_frac
        return min(1.0, max(0.0, x_cells * across)), min(1.0, max(0.0, y_cells * down))

    @property
    def plane_extent(self) -> tuple[float, float]:
        """Width and height of the analysis plane as fractions of the picture; it may reach a little beyond the edge."""
        return self.plane_width * self.factor / self.width, self.plane_height * self.factor / self.height

    @property
    def cells_extent(self) -> tuple[float, float]:
        """Width and height of all cells together as fractions of the picture."""
        side = self.cell_source_px
        return self.columns * side / self.width, self.rows * side / self.height

    @property
    def cell_size_frac(self) -> tuple[float, float]:
        """Width and height of a whole cell as fractions of the picture."""
        return self.cell_source_px / self.width, self.cell_source_px / self.height

    def orient(self, image: NDArray[ScalarT]) -> NDArray[ScalarT]:
        """Turn and flip an array whose first two axes are coded rows and columns, as a contiguous array."""
        turned = np.rot90(image, k=-self.rotation_deg // 90, axes=(0, 1)) if self.rotation_deg else image
        return np.ascontiguousarray(turned[:, ::-1] if self.flip else turned)
