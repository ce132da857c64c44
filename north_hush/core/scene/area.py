"""Areas as the operator drew them: polygons and brushed cells, each added to or cut out of what came before."""

from __future__ import annotations

from collections.abc import Iterable
from functools import lru_cache
from typing import Annotated, Literal, Self

import numpy as np
from numpy.typing import NDArray
from pydantic import BaseModel, ConfigDict, Field, model_validator

from north_hush.core.grid import Grid
from north_hush.core.runs import runs_of
from north_hush.core.scene.outline import (
    WHOLE_PICTURE,
    Outline,
    Point,
    bounds,
    contains,
    shift_within,
    shifted,
)
from north_hush.core.scene.raster import line_raster_shares, sample_places, samples_inside, shares_of, squares_touched
from north_hush.core.words import tr

PARTS_MAX = 500
_CELLS_MAX = 1_000_000
_SideFrac = Annotated[float, Field(gt=0, le=1)]


class _Part(BaseModel):
    model_config = ConfigDict(frozen=True, extra="forbid", allow_inf_nan=False)

    cuts: bool = False
    """True: cut out of the parts before it; False: added to them."""


class Polygon(_Part):
    """A closed outline. Where its edges cross, the even-odd rule leaves holes."""

    kind: Literal["polygon"] = "polygon"
    points: Outline


class Brushed(_Part):
    """Cells painted with the brush, on the raster they were painted on.

    `runs` are (first cell, number of cells), cells counted row by row, ascending and apart.
    """

    kind: Literal["cells"] = "cells"
    columns: Annotated[int, Field(ge=1, le=20_000)]
    rows: Annotated[int, Field(ge=1, le=20_000)]
    cell_width_frac: _SideFrac
    cell_height_frac: _SideFrac
    runs: Annotated[tuple[tuple[int, int], ...], Field(max_length=_CELLS_MAX)]

    @model_validator(mode="after")
    def _runs_ascend(self) -> Self:
        if self.columns * self.rows > _CELLS_MAX:
            raise ValueError(
                tr("columns x rows is {columns}, more than a million cells", columns=self.columns * self.rows)
            )
        end = 0
        for first, count in self.runs:
            if first < end or count < 1:
                raise ValueError(
                    tr(
                        "runs must ascend, lie apart and hold cells, but [{first}, {count}] does not",
                        first=first,
                        count=count,
                    )
                )
            end = first + count
        if end > self.columns * self.rows:
            raise ValueError(
                tr(
                    "runs reach cell {end}, beyond {columns} x {rows} cells",
                    end=end,
                    columns=self.columns,
                    rows=self.rows,
                )
            )
        return self

    @property
    def raster(self) -> tuple[int, int, float, float]:
        """Columns, rows, and width and height of a cell in fractions."""
        return self.columns, self.rows, self.cell_width_frac, self.cell_height_frac


Part = Annotated[Polygon | Brushed, Field(discriminator="kind")]
Area = Annotated[tuple[Part, ...], Field(max_length=PARTS_MAX)]
"""Parts in the order they were drawn. No parts: nothing."""

Shape = tuple[Part, ...] | tuple[Point, ...]
"""An area, or the corners of one polygon."""

WHOLE_AREA: tuple[Polygon, ...] = (Polygon(points=WHOLE_PICTURE),)


def area_of(shape: Shape) -> tuple[Part, ...]:
    """A shape as an area."""
    parts = tuple(part for part in shape if isinstance(part, Polygon | Brushed))
    points = tuple(point for point in shape if isinstance(point, tuple))
    return (Polygon(points=points),) if points else parts


def grid_raster(grid: Grid) -> tuple[int, int, float, float]:
    """Columns, rows, and width and height of a cell in fractions."""
    return grid.columns, grid.rows, *grid.cell_size_frac


@lru_cache(maxsize=256)
def filled_cells(part: Brushed) -> NDArray[np.bool_]:
    """The painted cells of a part, (rows, columns) bool, read-only."""
    filled = np.zeros(part.columns * part.rows, bool)
    for first, count in part.runs:
        filled[first : first + count] = True
    filled.setflags(write=False)
    return filled.reshape(part.rows, part.columns)


def brushed_part(raster: tuple[int, int, float, float], filled: NDArray[np.bool_], *, cuts: bool = False) -> Brushed:
    """Painted cells, (rows, columns) bool, as a part of an area."""
    runs = tuple((first, after - first) for first, after in runs_of(filled.ravel()))
    columns, rows, width, height = raster
    return Brushed(columns=columns, rows=rows, cell_width_frac=width, cell_height_frac=height, runs=runs, cuts=cuts)


# --- what is inside -----------------------------------------------------------------------------------------------


def area_contains(area: tuple[Part, ...], x_frac: float, y_frac: float) -> bool:
    """Tell whether a point lies inside."""
    inside = False
    for part in area:
        if inside == part.cuts and _part_contains(part, x_frac, y_frac):
            inside = not part.cuts
    return inside


def _part_contains(part: Part, x_frac: float, y_frac: float) -> bool:
    if isinstance(part, Polygon):
        return contains(part.points, x_frac, y_frac)
    column, row = int(x_frac // part.cell_width_frac), int(y_frac // part.cell_height_frac)
    return 0 <= column < part.columns and 0 <= row < part.rows and bool(filled_cells(part)[row, column])


def area_samples(area: tuple[Part, ...], xs: NDArray[np.float64], ys: NDArray[np.float64]) -> NDArray[np.bool_]:
    """Which points of a lattice lie inside an area; see `samples_inside`."""
    inside = np.zeros((len(ys), len(xs)), bool)
    for part in area:
        under = samples_inside(part.points, xs, ys) if isinstance(part, Polygon) else _cells_at(part, xs, ys)
        inside = inside & ~under if part.cuts else inside | under
    return inside


def _cells_at(part: Brushed, xs: NDArray[np.float64], ys: NDArray[np.float64]) -> NDArray[np.bool_]:
    columns = np.floor(xs / part.cell_width_frac).astype(np.int64)
    rows = np.floor(ys / part.cell_height_frac).astype(np.int64)
    within = ((rows < part.rows) & (ys < 1))[:, None] & ((columns < part.columns) & (xs < 1))
    held = filled_cells(part)[np.minimum(rows, part.rows - 1)][:, np.minimum(columns, part.columns - 1)]
    covered: NDArray[np.bool_] = held & within
    return covered


@lru_cache(maxsize=512)
def cell_shares(area: tuple[Part, ...], grid: Grid) -> NDArray[np.uint8]:
    """Share of each cell inside an area, at 4 x 4 sample points a cell.

    Returns
    -------
    (cells,) uint8, 0..16, row-major, read-only. Sample points beyond the picture's edge count as outside.
    """
    columns, rows, width, height = grid_raster(grid)
    flat = shares_of(area_samples(area, sample_places(columns, width), sample_places(rows, height))).ravel()
    flat.setflags(write=False)
    return flat


@lru_cache(maxsize=512)
def line_shares(line: tuple[Point, ...], grid: Grid) -> NDArray[np.uint8]:
    """How far a line runs through each cell, (cells,) uint8 in sixteenths, read-only; see `line_raster_shares`."""
    flat = line_raster_shares(line, *grid_raster(grid)).ravel()
    flat.setflags(write=False)
    return flat


@lru_cache(maxsize=512)
def cells_touched(outline: tuple[Point, ...], grid: Grid) -> NDArray[np.bool_]:
    """Cells an outline covers by any part, (cells,) bool, read-only; see `squares_touched`."""
    flat = squares_touched(outline, *grid_raster(grid)).ravel()
    flat.setflags(write=False)
    return flat


def area_bounds(area: tuple[Part, ...]) -> tuple[float, float, float, float] | None:
    """Left, top, right and bottom of the added parts, in fractions; None for nothing."""
    boxes = [_part_bounds(part) for part in area if not part.cuts]
    if not boxes:
        return None
    lefts, tops, rights, bottoms = zip(*boxes, strict=True)
    return min(lefts), min(tops), max(rights), max(bottoms)


def _part_bounds(part: Part) -> tuple[float, float, float, float]:
    if isinstance(part, Polygon):
        return bounds(part.points)
    rows, columns = np.nonzero(filled_cells(part))
    if len(rows) == 0:
        return 0.0, 0.0, 0.0, 0.0
    width, height = part.cell_width_frac, part.cell_height_frac
    right, bottom = (int(columns.max()) + 1) * width, (int(rows.max()) + 1) * height
    return int(columns.min()) * width, int(rows.min()) * height, min(1.0, right), min(1.0, bottom)


# --- changing it --------------------------------------------------------------------------------------------------


def with_part(area: tuple[Part, ...], part: Part) -> tuple[Part, ...]:
    """An area with one more part added or cut out."""
    if isinstance(part, Polygon) and part.points == WHOLE_PICTURE:
        return () if part.cuts else (part,)
    return (*area, part) if area or not part.cuts else area


def inverted(area: tuple[Part, ...]) -> tuple[Part, ...]:
    """What an area leaves out. Twice gives the area again, part for part.

    With U the whole picture and parts P1, P2 ...: U minus all of them, each added part cut and each cut part added.
    """
    turned = tuple(part.model_copy(update={"cuts": not part.cuts}) for part in area)
    if turned and turned[0].cuts and isinstance(turned[0], Polygon) and turned[0].points == WHOLE_PICTURE:
        return turned[1:]
    return (*WHOLE_AREA, *turned)


def brushed(
    area: tuple[Part, ...], raster: tuple[int, int, float, float], cells: Iterable[int], *, rub_out: bool = False
) -> tuple[Part, ...]:
    """Paint cells onto an area, or rub them out.

    Strokes on the same raster stay two parts however many they are: one that cuts, then one that adds, and no cell is
    in both.
    """
    stroke = np.zeros((raster[1], raster[0]), bool)
    stroke.ravel()[list(cells)] = True
    before, cut, added = _split_strokes(area, raster)
    cut, added = (cut | stroke, added & ~stroke) if rub_out else (cut & ~stroke, added | stroke)
    parts = list(before)
    if before and cut.any():
        parts.append(brushed_part(raster, cut, cuts=True))
    if added.any():
        parts.append(brushed_part(raster, added))
    return tuple(parts)


def _split_strokes(
    area: tuple[Part, ...], raster: tuple[int, int, float, float]
) -> tuple[tuple[Part, ...], NDArray[np.bool_], NDArray[np.bool_]]:
    nothing = np.zeros((raster[1], raster[0]), bool)
    cut, added = nothing, nothing
    if area and isinstance(area[-1], Brushed) and area[-1].raster == raster and not area[-1].cuts:
        added, area = filled_cells(area[-1]), area[:-1]
    if area and isinstance(area[-1], Brushed) and area[-1].raster == raster and area[-1].cuts:
        cut, area = filled_cells(area[-1]), area[:-1]
    return area, cut, added


def shifted_area(area: tuple[Part, ...], dx: float, dy: float) -> tuple[Part, ...]:
    """Shift an area as far as what it covers stays inside the picture; brushed cells move by whole cells."""
    box = area_bounds(area)
    if box is None:
        return area
    dx, dy = shift_within(box, dx, dy)
    return tuple(
        part.model_copy(update={"points": shifted(part.points, dx, dy)})
        if isinstance(part, Polygon)
        else _shifted_cells(part, dx, dy)
        for part in area
    )


def _shifted_cells(part: Brushed, dx: float, dy: float) -> Brushed:
    across, down = round(dx / part.cell_width_frac), round(dy / part.cell_height_frac)
    rows, columns = np.nonzero(filled_cells(part))
    rows, columns = rows + down, columns + across
    kept = (rows >= 0) & (rows < part.rows) & (columns >= 0) & (columns < part.columns)
    filled = np.zeros((part.rows, part.columns), bool)
    filled[rows[kept], columns[kept]] = True
    return brushed_part(part.raster, filled, cuts=part.cuts)
