"""The brush: paints cells while a button is held; the other button rubs them out."""

from __future__ import annotations

from collections.abc import Callable
from itertools import count

import numpy as np
from PySide6.QtCore import Qt

from north_hush.core.scene.outline import Point
from north_hush.desk.picture.canvas import Canvas, Tool
from north_hush.desk.picture.draft import Draft
from north_hush.desk.picture.tools.drawing import LEFT, RIGHT

Raster = tuple[int, int, float, float]
Paint = Callable[[set[int], bool, str], None]
"""Paint cells (or rub them out), as part of the stroke of a name."""

_strokes = count()


def brush_cells(raster: Raster, start: Point, end: Point, width_cells: int) -> set[int]:
    """Cells whose middle lies within half the brush of the way from one point to another; always the cell under `end`."""
    columns, rows, width, height = raster
    a = np.array([start[0] / width, start[1] / height])
    b = np.array([end[0] / width, end[1] / height])
    reach = max(width_cells / 2, 0.5)
    left, top = np.floor(np.minimum(a, b) - reach).astype(int)
    right, bottom = np.ceil(np.maximum(a, b) + reach).astype(int)
    xs = np.arange(max(left, 0), min(right + 1, columns))
    ys = np.arange(max(top, 0), min(bottom + 1, rows))
    middles_x, middles_y = np.meshgrid(xs + 0.5, ys + 0.5)
    along = b - a
    length2 = float(along @ along)
    offset_x, offset_y = middles_x - a[0], middles_y - a[1]
    share = np.clip((offset_x * along[0] + offset_y * along[1]) / length2, 0, 1) if length2 else 0.0
    near = np.hypot(offset_x - share * along[0], offset_y - share * along[1]) <= reach
    row_places, column_places = np.nonzero(near)
    cells = {int(ys[row] * columns + xs[column]) for row, column in zip(row_places, column_places, strict=True)}
    column, row = int(b[0]), int(b[1])
    if b[0] >= 0 and b[1] >= 0 and column < columns and row < rows:
        cells.add(row * columns + column)
    return cells


def brush(canvas: Canvas, draft: Draft, raster: Raster, width_cells: Callable[[], int], paint: Paint) -> Tool:
    """Press, drag and release paints; with the other button it rubs out. Shift and the wheel change the width."""
    try:
        while True:
            pointer = yield
            if pointer.kind == "key" and pointer.key == Qt.Key.Key_Escape:
                return
            radius = max(width_cells(), 1) / 2
            draft.at = pointer.at if pointer.kind != "key" else draft.at
            draft.brush_radius_frac = (radius * raster[2], radius * raster[3])
            if pointer.kind != "press" or pointer.button not in (LEFT, RIGHT):
                continue
            rubs_out, stroke, last = pointer.button == RIGHT, f"stroke-{next(_strokes)}", pointer.at
            draft.cuts = rubs_out
            while True:
                if pointer.kind in ("press", "move"):
                    cells = brush_cells(raster, last, pointer.at, width_cells())
                    if cells:
                        paint(cells, rubs_out, stroke)
                    last = draft.at = pointer.at
                pointer = yield
                if pointer.kind == "release":
                    draft.cuts = False
                    break
    finally:
        draft.clear()
        draft.at = draft.brush_radius_frac = None
