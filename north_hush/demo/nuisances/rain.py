"""Rain that glows close to the lens."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from north_hush.demo.camera import HEIGHT_PX, WIDTH_PX
from north_hush.demo.shot import Shot, Stretch


@dataclass(frozen=True)
class Rain(Stretch):
    """Streaks that glow close to the lens while it rains."""

    strength: float
    seed: int
    kind: str = "rain"
    name: str = "rain"
    order: str = "lens"

    def apply(self, shot: Shot, time_s: float) -> None:
        if not self.on(time_s):
            return
        rng = np.random.default_rng([self.seed, round(time_s * 1000)])
        for x, y, length in zip(
            rng.integers(4, WIDTH_PX - 4, 34), rng.integers(-20, HEIGHT_PX, 34), rng.integers(18, 70, 34), strict=True
        ):
            top, bottom = max(0, int(y)), min(HEIGHT_PX, int(y + length))
            shot.picture[top:bottom, x - 1 : x + 1] += self.strength * rng.uniform(0.05, 0.22)
