"""The picture of a view with its drawing on it, legible in black and white: for sheets, reports and whatever is printed."""

from __future__ import annotations

import base64
import io
from itertools import pairwise
from pathlib import Path

import numpy as np
from numpy.typing import NDArray
from PIL import Image, ImageDraw, ImageFont

from north_hush.core.errors import FootageError
from north_hush.core.footage.index import index_recording
from north_hush.core.footage.server import FrameServer
from north_hush.core.outcome.cutting import pictures
from north_hush.core.scene.area import Brushed, Part, Polygon, filled_cells
from north_hush.core.scene.items import Wire, Zone
from north_hush.core.scene.outline import Point
from north_hush.core.site.file import find_recording
from north_hush.core.site.model import View

_LONGEST_PX = 960
_DASHES = ((1, 0), (10, 6), (3, 5), (14, 5), (6, 3))
"""Drawn and left out, in pixels: zones are told apart by their dash, since paper has no colour."""
_EMPTY_GREY = 120


def view_picture(view: View, site_path: Path) -> NDArray[np.uint8] | None:
    """A frame from the middle of a view's first recording that can be read, covered by its privacy masks, (height, width, 3) uint8
    red, green, blue; None where there is none."""
    for recording in view.recordings:
        try:
            index = index_recording(find_recording(recording, site_path))
        except FootageError:
            continue
        server, middle = FrameServer(index), index.frames // 2
        try:
            for _, pixels in pictures(
                server, index.grid(recording.orientation), range(middle, middle + 1), view.privacy
            ):
                return np.ascontiguousarray(pixels[:, :, 2::-1])
        finally:
            server.close()
    return None


def drawn_picture(pixels: NDArray[np.uint8] | None, zones: tuple[Zone, ...], wires: tuple[Wire, ...]) -> Image.Image:
    """The picture with zones and wires numbered by their letters; cells to click are crossed, one by one."""
    held = np.full((540, 960, 3), _EMPTY_GREY, np.uint8) if pixels is None else pixels
    image = Image.fromarray(held)
    if image.width > _LONGEST_PX:
        image = image.resize((_LONGEST_PX, max(1, image.height * _LONGEST_PX // image.width)))
    draw = ImageDraw.Draw(image)
    for place, zone in enumerate(zones):
        for part in zone.area:
            _draw_part(draw, part, image.size, _DASHES[place % len(_DASHES)])
    for wire in wires:
        _line(draw, [_at(point, image.size) for point in wire.line], (1, 0), 3)
    tags = [(_anchor(zone.area), zone.letter) for zone in zones] + [(wire.line[0], wire.letter) for wire in wires]
    for anchor, letter in tags:
        if anchor is not None:
            _tag(draw, _at(anchor, image.size), letter)
    return image


def _at(point: Point, size: tuple[int, int]) -> tuple[float, float]:
    return point[0] * size[0], point[1] * size[1]


def _anchor(area: tuple[Part, ...]) -> Point | None:
    for part in area:
        if isinstance(part, Polygon):
            return part.points[0]
        rows, columns = np.nonzero(filled_cells(part))
        if len(rows):
            return float(columns[0] * part.cell_width_frac), float(rows[0] * part.cell_height_frac)
    return None


def _draw_part(draw: ImageDraw.ImageDraw, part: Part, size: tuple[int, int], dash: tuple[int, int]) -> None:
    if isinstance(part, Polygon):
        _line(draw, [_at(point, size) for point in (*part.points, part.points[0])], dash, 2)
        return
    _draw_cells(draw, part, size)


def _draw_cells(draw: ImageDraw.ImageDraw, part: Brushed, size: tuple[int, int]) -> None:
    """The raster as thin lines, and a cross in every cell to click."""
    across, down = part.cell_width_frac * size[0], part.cell_height_frac * size[1]
    for column in range(part.columns + 1):
        draw.line([(column * across, 0), (column * across, part.rows * down)], fill=(200, 200, 200), width=1)
    for row in range(part.rows + 1):
        draw.line([(0, row * down), (part.columns * across, row * down)], fill=(200, 200, 200), width=1)
    for row, column in zip(*(found.tolist() for found in np.nonzero(filled_cells(part))), strict=True):
        left, top, right, bottom = column * across + 3, row * down + 3, (column + 1) * across - 3, (row + 1) * down - 3
        for start, end in (((left, top), (right, bottom)), ((left, bottom), (right, top))):
            draw.line([start, end], fill=(0, 0, 0), width=3)
            draw.line([start, end], fill=(255, 255, 255), width=1)


def _line(draw: ImageDraw.ImageDraw, points: list[tuple[float, float]], dash: tuple[int, int], width: int) -> None:
    """A line in two tones, dashed, that reads on snow and on night."""
    on, off = dash
    for (x0, y0), (x1, y1) in pairwise(points):
        length = max(1e-6, float(np.hypot(x1 - x0, y1 - y0)))
        step = length if off == 0 else on + off
        for begin in np.arange(0, length, step):
            end = min(length, begin + (length if off == 0 else on))
            part = [(x0 + (x1 - x0) * at / length, y0 + (y1 - y0) * at / length) for at in (float(begin), float(end))]
            draw.line(part, fill=(0, 0, 0), width=width + 4)
            draw.line(part, fill=(255, 255, 255), width=width)


def _tag(draw: ImageDraw.ImageDraw, at: tuple[float, float], text: str) -> None:
    font = ImageFont.load_default(22)
    left, top, right, bottom = draw.textbbox(at, text, font=font)
    draw.rectangle((left - 5, top - 4, right + 5, bottom + 4), fill=(0, 0, 0), outline=(255, 255, 255))
    draw.text(at, text, fill=(255, 255, 255), font=font)


def as_data(image: Image.Image) -> str:
    """A picture as an address that holds it (RFC 2397), as JPEG."""
    out = io.BytesIO()
    image.save(out, "JPEG", quality=85)
    return "data:image/jpeg;base64," + base64.b64encode(out.getvalue()).decode()
