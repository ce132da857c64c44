"""The empty place: slip, water, quay, net loft and hills as surface colours, and the region each thing covers."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, field

import numpy as np
from numpy.typing import NDArray

from north_hush.demo.camera import HEIGHT_PX, HORIZON_PX, WIDTH_PX, ground_plane, project
from north_hush.demo.draw import Picture, coverage, draw_bodies, fill, fractal_noise, sample_wrapped

Mask = NDArray[np.float32]
Corner = tuple[float, float, float]

SLIP_END_M = 34.0
LOFT_X_M, LOFT_FAR_M = 5.5, 31.0
PIER_NEAR_M, PIER_FAR_M, PIER_HEIGHT_M = 68.0, 78.0, 1.2
PUMP = (4.4, 14.0)
POLE = (-4.3, 21.0)
"""X and Z in metres of the fuel pump, and of the mooring pole people can pass behind."""


@dataclass
class Backdrop:
    """Surface colours and the masks the nuisances need. All pictures are (height, width, 3), masks (height, width)."""

    albedo: Picture
    ground_x: NDArray[np.float32]
    depth: NDArray[np.float32]
    sky: Mask
    water: Mask
    loft: Mask
    standing: Mask
    texture: NDArray[np.float32]
    occluders: list[tuple[float, Mask]] = field(default_factory=list)
    """Depth in metres and mask of what can stand in front of somebody."""


def quad(corners: Sequence[Corner]) -> Mask:
    """Mask of a flat polygon in the world."""
    return coverage(project(corners))


def paint(rng: np.random.Generator) -> Backdrop:
    """Paint Skerry Quay; the seed changes the textures, not the layout."""
    ground_x, depth = ground_plane()
    texture = fractal_noise(rng, (512, 512), 24)
    fine = fractal_noise(rng, (512, 512), 3, octaves=2)
    picture: Picture = np.zeros((HEIGHT_PX, WIDTH_PX, 3), np.float32)
    sky = _sky(picture, rng)
    hills = _hills(picture, rng)
    water = _water(picture, ground_x, depth, texture)
    _land(picture, ground_x, depth, texture, fine)
    water *= 1 - _shore()
    _slip(picture, ground_x, depth, texture, fine)
    bare = picture.copy()
    _pier(picture, texture)
    loft = _loft(picture, texture, fine)
    _fittings(picture)
    pole = quad(
        [
            (POLE[0] - 0.16, 0, POLE[1]),
            (POLE[0] + 0.16, 0, POLE[1]),
            (POLE[0] + 0.14, 2.9, POLE[1]),
            (POLE[0] - 0.14, 2.9, POLE[1]),
        ]
    )
    fill(picture, pole, (0.20, 0.17, 0.13))
    np.clip(picture, 0, 1, out=picture)
    standing = (np.abs(picture - np.clip(bare, 0, 1)).max(axis=2) > 0.004).astype(np.float32)
    water *= 1 - standing
    sky *= 1 - np.maximum(standing, hills)
    return Backdrop(
        picture, ground_x, depth, sky, water, loft, standing, texture, [(POLE[1], pole), (LOFT_FAR_M, loft)]
    )


def _grained(colour: tuple[float, float, float], grain: NDArray[np.float32]) -> Picture:
    return np.asarray(colour, np.float32) * (1 + grain[..., None])


def _sky(picture: Picture, rng: np.random.Generator) -> Mask:
    mask = np.zeros((HEIGHT_PX, WIDTH_PX), np.float32)
    mask[: int(HORIZON_PX)] = 1
    height = np.linspace(1, 0, HEIGHT_PX, dtype=np.float32)[:, None, None] ** 3
    clouds = np.clip(fractal_noise(rng, (HEIGHT_PX, WIDTH_PX), 220, octaves=5) * 0.5, -1, 1)[..., None]
    picture[:] = np.float32([0.74, 0.77, 0.78]) - height * np.float32([0.22, 0.15, 0.08]) + clouds * 0.05
    return mask


def _hills(picture: Picture, rng: np.random.Generator) -> Mask:
    covered = np.zeros((HEIGHT_PX, WIDTH_PX), np.float32)
    for rise, tone, cell in ((34, (0.52, 0.57, 0.60), 300), (17, (0.37, 0.43, 0.42), 170)):
        crest = HORIZON_PX - rise * (0.55 + 0.3 * fractal_noise(rng, (1, WIDTH_PX), cell, octaves=3)[0])
        rows = np.arange(HEIGHT_PX)[:, None]
        mask = np.clip(rows - crest[None, :], 0, 1) * (rows < HORIZON_PX + 2)
        fill(picture, mask.astype(np.float32), tone)
        covered = np.maximum(covered, mask.astype(np.float32))
    return covered


def _water(picture: Picture, x: NDArray[np.float32], z: NDArray[np.float32], texture: NDArray[np.float32]) -> Mask:
    mask = (np.arange(HEIGHT_PX)[:, None] >= HORIZON_PX) * np.ones((1, WIDTH_PX), np.float32)
    ripple = sample_wrapped(texture, x * 9, z * 26) * np.clip(14 / z, 0.02, 0.30)
    far = np.clip(z / 400, 0, 1)[..., None]
    colour = (1 - far) * np.float32([0.21, 0.29, 0.30]) + far * np.float32([0.50, 0.56, 0.58])
    fill(picture, mask.astype(np.float32), colour * (1 + ripple[..., None]))
    return mask.astype(np.float32)


def _shore() -> Mask:
    """Everything that is land on the near side: the slip, the apron and the rocks on the left."""
    outline = [(-40, 0, 6.2), (-40, 0, 17), (-16, 0, 19), (-9.5, 0, 22), (-8.6, 0, 27), (-4.6, 0, 29.5), (-4, 0, SLIP_END_M),
               (3, 0, SLIP_END_M), (3.4, 0, 33), (14, 0, 36), (40, 0, 36), (40, 0, 6.2)]  # fmt: skip
    return quad([(float(a), float(b), float(c)) for a, b, c in outline])


def _land(
    picture: Picture,
    x: NDArray[np.float32],
    z: NDArray[np.float32],
    texture: NDArray[np.float32],
    fine: NDArray[np.float32],
) -> None:
    gravel = sample_wrapped(fine, x * 24, z * 24) * 0.10 + sample_wrapped(texture, x * 11, z * 11) * 0.10
    near = np.clip(22 / z, 0.3, 1)
    fill(picture, _shore(), _grained((0.43, 0.41, 0.37), gravel * near))
    grass = quad([(-40, 0, 6.2), (-40, 0, 17), (-16, 0, 18.4), (-10.5, 0, 16), (-8.2, 0, 11), (-7.4, 0, 6.2)])
    patchy = np.clip(0.75 + 0.35 * sample_wrapped(texture, x * 7 + 90, z * 7), 0, 1)
    tufts = sample_wrapped(fine, x * 16, z * 7) * 0.16 * near
    fill(picture, grass * patchy, _grained((0.30, 0.34, 0.21), tufts))
    weed = quad(
        [
            (-16, 0, 19),
            (-9.5, 0, 22),
            (-8.6, 0, 27),
            (-4.6, 0, 29.5),
            (-4.6, 0, 27.5),
            (-7.6, 0, 24),
            (-9, 0, 20),
            (-16, 0, 17.4),
        ]
    )
    fill(picture, weed * 0.8, _grained((0.20, 0.19, 0.13), gravel * 1.6))


def _slip(
    picture: Picture,
    x: NDArray[np.float32],
    z: NDArray[np.float32],
    texture: NDArray[np.float32],
    fine: NDArray[np.float32],
) -> None:
    mask = quad([(-4, 0, 6.2), (3, 0, 6.2), (3, 0, SLIP_END_M), (-4, 0, SLIP_END_M)])
    stains = sample_wrapped(texture, x * 9, z * 5) * 0.07 + sample_wrapped(fine, x * 20, z * 20) * 0.05
    groove = np.exp(-(((z * 1.0) % 1.4 - 0.7) ** 2) / (0.0009 * np.maximum(z, 8))) * 0.22 * np.clip(16 / z, 0.25, 1)
    joint = np.exp(-(((x + 0.5) % 3.5 - 1.75) ** 2) / 0.0012) * 0.25
    fill(picture, mask, _grained((0.55, 0.54, 0.51), stains - groove - joint))
    wet = np.clip((z - 27) / 5, 0, 1) * mask
    fill(picture, wet.astype(np.float32) * 0.62, (0.20, 0.23, 0.21))
    kerb = quad([(-4.35, 0.0, 6.2), (-4.0, 0.0, 6.2), (-4.0, 0, SLIP_END_M - 3), (-4.35, 0, SLIP_END_M - 3)])
    fill(picture, kerb, _grained((0.66, 0.65, 0.60), stains))


def _pier(picture: Picture, texture: NDArray[np.float32]) -> None:
    near, far, top = PIER_NEAR_M, PIER_FAR_M, PIER_HEIGHT_M
    rows, columns = np.mgrid[0:HEIGHT_PX, 0:WIDTH_PX].astype(np.float32)
    stones = sample_wrapped(texture, columns * 4, rows * 9) * 0.13
    wall = quad([(-60, -0.2, near), (5, -0.2, near), (5, top, near), (-60, top, near)])
    fill(picture, wall, _grained((0.30, 0.29, 0.27), stones))
    deck = quad([(-60, top, near), (5, top, near), (5.6, top, far), (-60, top, far)])
    fill(picture, deck, _grained((0.53, 0.52, 0.48), stones * 0.4))
    for x in (-34.0, -22.0, -11.0, 0.0):
        bollard = [[x, top, near + 1, 0.22, x, top + 0.6, near + 1, 0.28, 0.16, 0.15, 0.14]]
        draw_bodies(picture, [np.array(bollard)])


def _loft(picture: Picture, texture: NDArray[np.float32], fine: NDArray[np.float32]) -> Mask:
    near, far, top = 12.0, LOFT_FAR_M, 4.6
    rows, columns = np.mgrid[0:HEIGHT_PX, 0:WIDTH_PX].astype(np.float32)
    x = LOFT_X_M
    wall = quad([(x, 0, near), (x, 0, far), (x, top, far), (x, top, near)])
    wall_depth = np.clip(900 * x / np.maximum(columns - 480, 1), 8, 40)
    height = 3.6 - (rows - HORIZON_PX) * wall_depth / 900
    boards = np.exp(-(((wall_depth * 3.2) % 1 - 0.5) ** 2) / 0.006) * 0.28 * np.clip(14 / wall_depth, 0.2, 1)
    weather = (
        sample_wrapped(texture, wall_depth * 60, height * 20) * 0.09
        + sample_wrapped(fine, wall_depth * 40, height * 9) * 0.05
    )
    fill(picture, wall, _grained((0.36, 0.20, 0.16), weather - boards + 0.03 * height))
    gable = quad([(x, 0, far), (x + 12, 0, far), (x + 12, top + 3.2, far), (x + 4, top + 3.2, far), (x, top, far)])
    fill(picture, gable * (1 - wall), _grained((0.30, 0.18, 0.15), weather * 0.5))
    roof = quad(
        [
            (x - 0.35, top - 0.05, near - 0.4),
            (x - 0.35, top - 0.05, far),
            (x + 3.6, top + 3.0, far),
            (x + 3.6, top + 3.0, near - 0.4),
        ]
    )
    slates = np.exp(-(((height * 2.1) % 1 - 0.5) ** 2) / 0.02) * 0.14
    fill(picture, roof, _grained((0.26, 0.27, 0.28), weather - slates))
    plinth = quad([(x, 0, near), (x, 0, far), (x, 0.5, far), (x, 0.5, near)])
    fill(picture, plinth, _grained((0.40, 0.39, 0.37), weather))
    for z0, z1, low, high in (
        (16.5, 19.4, 0.0, 2.7),
        (21.8, 22.9, 1.2, 2.3),
        (24.6, 25.7, 1.2, 2.3),
        (13.2, 14.2, 1.3, 2.3),
    ):
        frame = quad([(x, low, z0), (x, low, z1), (x, high + 0.12, z1), (x, high + 0.12, z0)])
        fill(picture, frame, (0.62, 0.60, 0.54))
        inner = quad([(x, low, z0 + 0.14), (x, low + 0.1, z1 - 0.14), (x, high, z1 - 0.14), (x, high, z0 + 0.14)])
        fill(picture, inner, (0.22, 0.29, 0.31) if low else (0.17, 0.25, 0.28))
    return np.maximum.reduce([wall, plinth, gable, roof])


def _fittings(picture: Picture) -> None:
    px, pz = PUMP
    _slab(picture, (px - 0.30, px + 0.30), (0, 1.5), pz - 0.2, (0.56, 0.27, 0.17))
    fill(
        picture,
        quad(
            [(px - 0.30, 0, pz - 0.2), (px - 0.30, 0, pz + 0.2), (px - 0.30, 1.5, pz + 0.2), (px - 0.30, 1.5, pz - 0.2)]
        ),
        (0.36, 0.17, 0.11),
    )
    _slab(picture, (px - 0.20, px + 0.20), (1.0, 1.32), pz - 0.21, (0.80, 0.78, 0.70))
    _slab(picture, (px - 0.14, px + 0.14), (1.05, 1.20), pz - 0.22, (0.12, 0.13, 0.13))
    hose = [[px + 0.36, 0.25, pz - 0.2, 0.03, px + 0.40, 1.0, pz - 0.2, 0.03, 0.08, 0.08, 0.08],
            [px + 0.40, 1.0, pz - 0.2, 0.03, px + 0.28, 1.25, pz - 0.2, 0.03, 0.08, 0.08, 0.08]]  # fmt: skip
    hull = [(-14.6, 0.75, 27.5), (-9.2, 0.95, 27.5), (-9.9, -0.25, 27.5), (-13.9, -0.25, 27.5)]
    fill(picture, quad(hull), (0.22, 0.31, 0.34))
    _slab(picture, (-14.5, -9.3), (0.66, 0.86), 27.45, (0.74, 0.72, 0.66))
    _slab(picture, (-13.7, -12.1), (0.8, 2.1), 27.4, (0.76, 0.75, 0.71))
    _slab(picture, (-13.5, -12.3), (1.35, 1.85), 27.35, (0.19, 0.25, 0.27))
    mast = [[-11.2, 0.8, 27.5, 0.05, -11.2, 3.4, 27.5, 0.04, 0.5, 0.45, 0.36]]
    creels = []
    for i in range(6):
        left, up, back = -6.2 + 0.75 * (i % 3), 0.28 + 0.5 * (i // 3), 12.6 + 0.15 * (i % 2)
        colour = (0.20 + 0.05 * (i % 2), 0.23, 0.24 - 0.04 * (i % 3))
        creels.append([left, up, back, 0.24, left + 0.2, up, back, 0.24, *colour])
    lamp = [
        [-6.6, 0, 26.0, 0.07, -6.6, 4.4, 26.0, 0.05, 0.20, 0.21, 0.22],
        [-6.6, 4.4, 26.0, 0.04, -6.0, 4.6, 26.0, 0.10, 0.24, 0.24, 0.24],
    ]
    rack = [[2.9 + i * 0.95, 0, 22.5, 0.05, 2.9 + i * 0.95, 2.7, 22.5, 0.045, 0.28, 0.23, 0.17] for i in range(3)]
    rack.append([2.9, 2.6, 22.5, 0.04, 4.8, 2.6, 22.5, 0.04, 0.28, 0.23, 0.17])
    bollard = [[-5.0, 0, 15.0, 0.16, -5.0, 0.55, 15.0, 0.20, 0.13, 0.13, 0.14]]
    for bodies in (mast, lamp, rack, creels, bollard, hose):
        draw_bodies(picture, [np.array(bodies, np.float64)])


def _slab(
    picture: Picture, across_m: tuple[float, float], up_m: tuple[float, float], z_m: float, colour: Corner
) -> None:
    """Fill an upright rectangle that faces the camera."""
    (x0, x1), (y0, y1) = across_m, up_m
    fill(picture, quad([(x0, y0, z_m), (x1, y0, z_m), (x1, y1, z_m), (x0, y1, z_m)]), colour)
