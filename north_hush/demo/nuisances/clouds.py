"""A soft shadow of a cloud that creeps over the ground."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from north_hush.demo.camera import HEIGHT_PX, WIDTH_PX
from north_hush.demo.draw import Box
from north_hush.demo.shot import Shot, Stretch


@dataclass(frozen=True)
class CloudShadow(Stretch):
    """A soft shadow that creeps over the ground from left to right between two times; `strength` 0..1."""

    strength: float
    ground_x: NDArray[np.float32]
    depth: NDArray[np.float32]
    kind: str = "shadow"
    name: str = "cloud shadow"
    order: str = "lens"

    def box(self) -> Box:
        return 0.0, 150.0, float(WIDTH_PX), float(HEIGHT_PX)

    def apply(self, shot: Shot, time_s: float) -> None:
        if not self.on(time_s):
            return
        share = self.share(time_s)
        rows = np.s_[156:]
        x, z = np.clip(self.ground_x[rows], -60, 60), np.minimum(self.depth[rows], 90)
        middle = -45 + 90 * share
        dark = np.exp(-(((x + 0.25 * z - middle) / (14 + 0.3 * z)) ** 2)) * np.clip(1.5 - z / 60, 0, 1)
        fade = min(1.0, 6 * share, 6 * (1 - share))
        shot.picture[rows] *= (1 - self.strength * fade * dark)[..., None]
