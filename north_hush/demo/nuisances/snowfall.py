"""Snow that falls with the wind."""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from north_hush.demo.camera import HEIGHT_PX, WIDTH_PX
from north_hush.demo.shot import Shot, Span


@dataclass(frozen=True)
class Snowfall:
    """Flakes of three sizes that fall with the wind; `strength` is how many."""

    duration_s: float
    strength: float
    seed: int
    kind: str = "snow"
    name: str = "snowfall"
    order: str = "lens"

    def spans(self) -> list[Span]:
        return [(0.0, self.duration_s)]

    def box(self) -> None:
        return None

    def apply(self, shot: Shot, time_s: float) -> None:
        rng = np.random.default_rng(self.seed)
        for size, speed, count in ((0.9, 60.0, 420), (1.7, 120.0, 120), (3.4, 230.0, 22)):
            number = int(count * self.strength)
            x0, y0, wave = rng.random((3, number))
            x = (x0 * WIDTH_PX + time_s * speed * 0.35 + 14 * np.sin(time_s * 1.3 + wave * 6.3)) % WIDTH_PX
            y = (y0 * HEIGHT_PX + time_s * speed) % HEIGHT_PX
            self._flakes(shot, x, y, size)

    @staticmethod
    def _flakes(shot: Shot, x: NDArray[np.float64], y: NDArray[np.float64], size: float) -> None:
        reach = int(size) + 1
        for dy in range(-reach, reach + 1):
            for dx in range(-reach, reach + 1):
                soft = math.exp(-(dx * dx + dy * dy) / (size * size)) * (0.55 if size < 3 else 0.38)
                rows, columns = y.astype(int) + dy, x.astype(int) + dx
                inside = (rows >= 0) & (rows < HEIGHT_PX) & (columns >= 0) & (columns < WIDTH_PX)
                spot = shot.picture[rows[inside], columns[inside]]
                shot.picture[rows[inside], columns[inside]] = spot + (0.97 - spot) * soft
