"""Four lights over the same place: what the camera makes of the surface colours by day, dusk, night and in snow."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from scipy import ndimage

from north_hush.demo.backdrop import Backdrop
from north_hush.demo.camera import HEIGHT_PX, WIDTH_PX, ground_plane, project
from north_hush.demo.draw import Picture, sample_wrapped


@dataclass(frozen=True)
class Light:
    """How a recording is lit and how noisy its sensor is.

    Attributes
    ----------
    figures : brightness of people and things, against full daylight
    shadow : strength of cast shadows, 0..1
    shadow_m : how far a cast shadow reaches from the feet, in metres
    sigma, shot : sensor noise in grey levels: a constant part and one that grows with the root of the light
    grey : True for an infrared picture without colour
    """

    name: str
    figures: float
    shadow: float
    sigma: float
    shot: float
    grey: bool = False
    shadow_m: float = 1.04


DAY = Light("day", 1.0, 0.42, 1.0, 1.6)
DUSK = Light("dusk", 0.42, 0.16, 2.2, 3.2)
NIGHT = Light("night", 0.62, 0.0, 3.5, 6.0, grey=True)
SNOW = Light("snow", 0.90, 0.14, 1.2, 1.4)
LOW_SUN = Light("low sun", 0.94, 0.40, 1.1, 1.7, shadow_m=3.4)


def lit(backdrop: Backdrop, light: Light) -> Picture:
    """The empty place under a light, (height, width, 3), 0..1."""
    return {"day": _day, "dusk": _dusk, "night": _night, "snow": _snow, "low sun": _low_sun}[light.name](backdrop)


def _day(backdrop: Backdrop) -> Picture:
    return np.clip(backdrop.albedo * np.float32([1.04, 1.02, 0.97]), 0, 1)


def _low_sun(backdrop: Backdrop) -> Picture:
    return np.clip(backdrop.albedo * np.float32([1.02, 0.93, 0.80]), 0, 1)


def _dusk(backdrop: Backdrop) -> Picture:
    dim = backdrop.albedo * np.float32([0.34, 0.37, 0.46])
    glow = (
        np.exp(-((np.arange(HEIGHT_PX, dtype=np.float32) - 140) ** 2) / 3600)[:, None, None] * backdrop.sky[..., None]
    )
    return np.clip(dim + glow * np.float32([0.26, 0.14, 0.10]), 0, 1)


def infrared_reach() -> NDArray[np.float32]:
    """How much of the camera's own infrared light comes back from each pixel; one corner gets none at all."""
    _, depth = ground_plane()
    columns = np.arange(WIDTH_PX, dtype=np.float32)[None, :]
    beam = np.exp(-(((columns - 540) / 420) ** 2))
    fall = np.clip((17 / np.clip(depth, 9, 400)) ** 1.15, 0.0, 1.1)
    rows = np.arange(HEIGHT_PX, dtype=np.float32)[:, None]
    dark = 1 / (1 + np.exp(-(columns * 0.9 + (rows - 250) * 0.35 - 190) / 26))
    return (beam * fall * np.where(rows < 250, 1, dark)).astype(np.float32)


def _night(backdrop: Backdrop) -> Picture:
    grey = backdrop.albedo @ np.array([0.45, 0.40, 0.15], np.float32)
    picture = 0.015 + grey * (1.05 * infrared_reach() + 0.05)
    wall = backdrop.loft * grey * 0.42
    return np.repeat(np.clip(picture + wall, 0, 1)[..., None], 3, axis=2).astype(np.float32)


def _snow(backdrop: Backdrop) -> Picture:
    picture = backdrop.albedo * 0.86 + 0.06
    lying = np.clip(1.4 + 0.7 * sample_wrapped(backdrop.texture, backdrop.ground_x * 6, backdrop.depth * 5), 0, 1)
    lying = ndimage.gaussian_filter(lying, 2.0)
    ground = (1 - backdrop.water) * (1 - backdrop.sky) * (1 - backdrop.standing) * (backdrop.depth < 60) * lying
    trodden = np.exp(-(((backdrop.ground_x + 0.6) / 1.6) ** 2)) * 0.25
    white = (
        np.float32([0.83, 0.85, 0.87])
        * (1 - 0.04 * sample_wrapped(backdrop.texture, backdrop.ground_x * 14, backdrop.depth * 12))[..., None]
    )
    cover = (ground * (0.9 - trodden))[..., None]
    far = np.where(backdrop.standing > 0, np.minimum(backdrop.depth, 60), backdrop.depth)
    haze = np.clip(far / 260, 0, 0.55)[..., None]
    picture = picture * (1 - cover) + white * cover
    return np.clip(picture * (1 - haze) + haze * 0.74, 0, 1).astype(np.float32)


def lamp_pool(x_m: float, z_m: float, radius_m: float) -> NDArray[np.float32]:
    """Light a lamp throws on the ground round a place, (height, width), 0..1."""
    ground_x, depth = ground_plane()
    foot = project((x_m, 0, z_m))
    distance2 = (ground_x - x_m) ** 2 + (depth - z_m) ** 2
    rows, columns = np.mgrid[0:HEIGHT_PX, 0:WIDTH_PX].astype(np.float32)
    halo = (
        np.exp(-((columns - foot[0]) ** 2 + (rows - foot[1] + 60) ** 2) / (2 * (900 * radius_m / z_m / 2) ** 2)) * 0.3
    )
    return (np.exp(-distance2 / radius_m**2) + halo).astype(np.float32)
