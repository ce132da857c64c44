"""The slipway camera: where a point of the quay shows in the picture.

World axes in metres: X to the right, Y up from the ground, Z away from the camera. The camera looks level from 3.6 m
and its picture is shifted down, so that upright things stay upright.
"""

from __future__ import annotations

import numpy as np
from numpy.typing import ArrayLike, NDArray

WIDTH_PX, HEIGHT_PX = 960, 540
FOCAL_PX = 900.0
CAMERA_HEIGHT_M = 3.6
HORIZON_PX = 150.0
CENTRE_PX = WIDTH_PX / 2


def project(points: ArrayLike) -> NDArray[np.float64]:
    """Project world points (..., 3) in metres to picture points (..., 2) in pixels."""
    world = np.asarray(points, np.float64)
    depth = np.maximum(world[..., 2], 0.5)
    x = CENTRE_PX + FOCAL_PX * world[..., 0] / depth
    y = HORIZON_PX + FOCAL_PX * (CAMERA_HEIGHT_M - world[..., 1]) / depth
    return np.stack([x, y], axis=-1)


def pixels_per_metre(depth_m: ArrayLike) -> NDArray[np.float64]:
    """Scale of the picture at a depth."""
    return FOCAL_PX / np.maximum(np.asarray(depth_m, np.float64), 0.5)


def ground_plane() -> tuple[NDArray[np.float32], NDArray[np.float32]]:
    """X and Z in metres of the ground seen at each pixel, (height, width) each; far away above the horizon."""
    y = np.arange(HEIGHT_PX) + 0.5
    depth = np.where(y > HORIZON_PX + 1, FOCAL_PX * CAMERA_HEIGHT_M / np.maximum(y - HORIZON_PX, 1), 4000.0)
    across = (np.arange(WIDTH_PX) + 0.5 - CENTRE_PX) / FOCAL_PX
    z = np.repeat(depth[:, None], WIDTH_PX, axis=1)
    return (across[None, :] * z).astype(np.float32), z.astype(np.float32)
