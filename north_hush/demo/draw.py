"""Painting on a float picture (height, width, 3), 0..1: polygons, noise, and solid bodies made of capsules."""

from __future__ import annotations

import numpy as np
from numpy.typing import ArrayLike, NDArray
from scipy import ndimage

from north_hush.core.compiled import compiled
from north_hush.core.scene.raster import SIXTEENTHS, raster_shares
from north_hush.demo.camera import HEIGHT_PX, WIDTH_PX, pixels_per_metre, project

Picture = NDArray[np.float32]
Box = tuple[float, float, float, float]
"""Left, top, right, bottom in pixels."""


def coverage(points_px: ArrayLike) -> NDArray[np.float32]:
    """How much of each pixel lies in a polygon, (height, width), 0..1."""
    points = np.asarray(points_px, np.float64)
    left, top = (int(low) for low in np.maximum(np.floor(points.min(axis=0)), 0))
    right, bottom = (int(high) for high in np.minimum(np.ceil(points.max(axis=0)), (WIDTH_PX, HEIGHT_PX)))
    mask = np.zeros((HEIGHT_PX, WIDTH_PX), np.float32)
    if right > left and bottom > top:
        width, height = right - left, bottom - top
        inside = tuple((float(x - left) / width, float(y - top) / height) for x, y in points)
        mask[top:bottom, left:right] = raster_shares(inside, width, height, 1 / width, 1 / height) / np.float32(
            SIXTEENTHS
        )
    return mask


def fill(picture: Picture, mask: NDArray[np.float32], colour: ArrayLike) -> None:
    """Paint a colour (3,) or picture (height, width, 3) through a mask."""
    picture += (np.asarray(colour, np.float32) - picture) * mask[..., None]


def fractal_noise(
    rng: np.random.Generator, shape: tuple[int, int], cell: float, octaves: int = 4, wrap: bool = True
) -> NDArray[np.float32]:
    """Smooth noise with mean 0 and standard deviation 1; `cell` is the size of the coarsest blobs in samples."""
    total = np.zeros(shape, np.float32)
    for octave in range(octaves):
        size = [max(2, round(side * 2**octave / cell)) for side in shape]
        coarse = rng.standard_normal(size).astype(np.float32)
        rows = np.linspace(0, size[0], shape[0], endpoint=False)
        columns = np.linspace(0, size[1], shape[1], endpoint=False)
        grid = np.meshgrid(rows, columns, indexing="ij")
        mode = "grid-wrap" if wrap else "nearest"
        total += ndimage.map_coordinates(coarse, grid, order=1, mode=mode) * 0.6**octave
    return (total - total.mean()) / total.std()


def sample_wrapped(tile: NDArray[np.float32], u: NDArray[np.float32], v: NDArray[np.float32]) -> NDArray[np.float32]:
    """Look a tile up at (u, v) in samples, wrapping round, nearest sample."""
    rows, columns = tile.shape
    return tile[np.floor(v).astype(np.int32) % rows, np.floor(u).astype(np.int32) % columns]


@compiled
def _draw_capsules(picture: NDArray[np.float32], capsules: NDArray[np.float32], light_x: float, light_y: float) -> None:
    height, width = picture.shape[0], picture.shape[1]
    for k in range(capsules.shape[0]):
        x0, y0, r0 = capsules[k, 0], capsules[k, 1], capsules[k, 2]
        x1, y1, r1 = capsules[k, 3], capsules[k, 4], capsules[k, 5]
        reach = max(r0, r1) + 1.0
        left, right = max(0, int(min(x0, x1) - reach)), min(width, int(max(x0, x1) + reach) + 2)
        top, bottom = max(0, int(min(y0, y1) - reach)), min(height, int(max(y0, y1) + reach) + 2)
        dx, dy = x1 - x0, y1 - y0
        length2 = max(dx * dx + dy * dy, 1e-6)
        for y in range(top, bottom):
            for x in range(left, right):
                px, py = x + 0.5 - x0, y + 0.5 - y0
                along = min(1.0, max(0.0, (px * dx + py * dy) / length2))
                ox, oy = px - along * dx, py - along * dy
                radius = r0 + (r1 - r0) * along
                distance = np.sqrt(ox * ox + oy * oy)
                cover = min(1.0, max(0.0, radius - distance + 0.5)) * min(1.0, 2 * radius)
                if cover <= 0.0:
                    continue
                facing = (ox * light_x + oy * light_y) / max(radius, 0.5)
                shade = 0.82 + 0.28 * facing
                for c in range(3):
                    colour = min(1.0, capsules[k, 6 + c] * shade)
                    picture[y, x, c] += (colour - picture[y, x, c]) * cover


def to_screen(bodies: NDArray[np.float64]) -> NDArray[np.float32]:
    """Project capsules, nearest last.

    Parameters
    ----------
    bodies : (n, 11) X, Y, Z, radius in metres of both ends, then red, green, blue

    Returns
    -------
    (n, 9) float32: x, y, radius in pixels of both ends, then the colour
    """
    ordered = bodies[np.argsort(-(bodies[:, 2] + bodies[:, 6]), kind="stable")]
    first, second = project(ordered[:, 0:3]), project(ordered[:, 4:7])
    radii = [ordered[:, 3] * pixels_per_metre(ordered[:, 2]), ordered[:, 7] * pixels_per_metre(ordered[:, 6])]
    return np.column_stack([first, radii[0], second, radii[1], ordered[:, 8:11]]).astype(np.float32)


def screen_box(screen: NDArray[np.float32]) -> Box:
    """Smallest box round projected capsules, in pixels, not clipped."""
    lows = np.minimum(screen[:, 0:2] - screen[:, 2:3], screen[:, 3:5] - screen[:, 5:6]).min(axis=0)
    highs = np.maximum(screen[:, 0:2] + screen[:, 2:3], screen[:, 3:5] + screen[:, 5:6]).max(axis=0)
    return float(lows[0]), float(lows[1]), float(highs[0]), float(highs[1])


def draw_bodies(
    picture: Picture,
    moments: list[NDArray[np.float64]],
    brightness: float = 1.0,
    light: tuple[float, float] = (-0.5, -0.8),
) -> None:
    """Draw a body as it stood at a few moments of the exposure, averaged: motion blur.

    Capsules are those of `to_screen` before projection; `light` points to where light comes from, in the picture.
    """
    screens = [to_screen(bodies) for bodies in moments]
    for screen in screens:
        screen[:, 6:9] *= brightness
    boxes = np.array([screen_box(screen) for screen in screens])
    left, top = np.maximum(np.floor(boxes[:, :2].min(axis=0)) - 2, 0).astype(int)
    right = min(WIDTH_PX, int(boxes[:, 2].max()) + 3)
    bottom = min(HEIGHT_PX, int(boxes[:, 3].max()) + 3)
    if right <= left or bottom <= top:
        return
    patch = picture[top:bottom, left:right]
    total = np.zeros_like(patch)
    for screen in screens:
        moment = patch.copy()
        screen[:, [0, 3]] -= left
        screen[:, [1, 4]] -= top
        _draw_capsules(moment, screen, light[0], light[1])
        total += moment
    patch[:] = total / len(screens)


@compiled
def _shade_ellipse(
    picture: NDArray[np.float32], cx: float, cy: float, rx: float, ry: float, slant: float, strength: float
) -> None:
    height, width = picture.shape[0], picture.shape[1]
    reach = rx + abs(slant) * ry
    for y in range(max(0, int(cy - ry)), min(height, int(cy + ry) + 2)):
        for x in range(max(0, int(cx - reach)), min(width, int(cx + reach) + 2)):
            v = (y + 0.5 - cy) / max(ry, 0.5)
            u = (x + 0.5 - cx - slant * (y + 0.5 - cy)) / max(rx, 0.5)
            d = u * u + v * v
            if d < 1.0:
                keep = 1.0 - strength * (1.0 - d) * (1.0 - d * 0.5)
                for c in range(3):
                    picture[y, x, c] *= keep


def shade_ellipse(
    picture: Picture, centre: tuple[float, float], radii: tuple[float, float], strength: float, slant: float = 0
) -> None:
    """Darken a soft ellipse (negative strength: brighten); `slant` shifts it sideways per pixel down."""
    _shade_ellipse(picture, centre[0], centre[1], radii[0], radii[1], slant, strength)


@compiled
def make_grey(picture: NDArray[np.float32]) -> None:
    """Show a picture as an infrared camera sees its paints: without colour."""
    height, width = picture.shape[0], picture.shape[1]
    for y in range(height):
        for x in range(width):
            grey = (
                np.float32(0.45) * picture[y, x, 0]
                + np.float32(0.40) * picture[y, x, 1]
                + np.float32(0.15) * picture[y, x, 2]
            )
            picture[y, x, 0] = grey
            picture[y, x, 1] = grey
            picture[y, x, 2] = grey


@compiled
def develop(
    picture: NDArray[np.float32],
    gain: float,
    grain: NDArray[np.float32],
    row: int,
    column: int,
    sigma: float,
    shot: float,
    out: NDArray[np.uint8],
) -> None:
    """Write the exposed 8-bit picture: gain, then noise of sigma plus a part that grows with the root of the light."""
    height, width = picture.shape[0], picture.shape[1]
    scale, floor, slope = np.float32(gain * 255), np.float32(sigma), np.float32(shot)
    swing = np.empty(width, np.float32)
    for y in range(height):
        line, shown, noise = picture[y], out[y], grain[row + y]
        for x in range(width):
            light = max(np.float32(0), line[x, 1]) * np.float32(gain)
            swing[x] = noise[column + x] * (floor + slope * np.sqrt(light)) + np.float32(0.5)
        for x in range(width):
            for c in range(3):
                value = min(np.float32(255), max(np.float32(0), line[x, c] * scale + swing[x]))
                shown[x, c] = np.uint8(np.int32(value))
