"""A gull that crosses the picture, or lands and takes off again."""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np

from north_hush.demo.draw import Box, draw_bodies, screen_box, to_screen
from north_hush.demo.shot import Shot, Span

_EXPOSURE_S = 0.03


@dataclass(frozen=True)
class Gull:
    """Flies through key points (time s, X, Y, Z in metres); it sits still while two points hold the same place."""

    points: tuple[tuple[float, float, float, float], ...]
    brightness: float = 1.0
    size: float = 1.0
    kind: str = "bird"
    name: str = "gull"
    order: str = "lens"

    def spans(self) -> list[Span]:
        return [(self.points[0][0], self.points[-1][0])]

    def box(self) -> Box:
        moments = np.linspace(self.points[0][0], self.points[-1][0], 80)
        boxes = np.array([screen_box(to_screen(self._bodies(float(moment)))) for moment in moments])
        low, high = boxes[:, :2].min(axis=0), boxes[:, 2:].max(axis=0)
        return float(low[0]) - 4, float(low[1]) - 4, float(high[0]) + 4, float(high[1]) + 4

    def apply(self, shot: Shot, time_s: float) -> None:
        start, end = self.spans()[0]
        if start <= time_s < end:
            moments = [self._bodies(time_s + _EXPOSURE_S * k / 3) for k in range(3)]
            draw_bodies(shot.picture, moments, self.brightness)

    def _bodies(self, time_s: float) -> np.ndarray:
        times = [point[0] for point in self.points]
        x, y, z = (float(np.interp(time_s, times, [point[k] for point in self.points])) for k in (1, 2, 3))
        ahead = float(np.interp(time_s + 0.2, times, [point[1] for point in self.points]))
        way = 1.0 if ahead >= x else -1.0
        flying = abs(ahead - x) > 0.02
        beat = math.sin(time_s * 17) * 0.30 if flying else -0.12
        span = (0.62 if flying else 0.12) * self.size
        white, grey, dark = (0.86, 0.86, 0.84), (0.60, 0.62, 0.64), (0.12, 0.12, 0.12)
        thick = 0.09 * self.size
        parts = [
            (x - way * 0.24 * self.size, y, z, thick * 0.6, x + way * 0.2 * self.size, y + 0.03, z, thick, *white),
            (
                x + way * 0.3 * self.size,
                y + 0.07,
                z,
                thick * 0.6,
                x + way * 0.3 * self.size,
                y + 0.07,
                z,
                thick * 0.6,
                *white,
            ),
        ]
        for side in (-1.0, 1.0):
            elbow = (x - way * 0.05, y + beat * 0.6 + 0.06, z + side * span * 0.5)
            tip = (x - way * 0.22 * self.size + side * span * 0.35, y + beat * 1.5, z + side * span)
            parts.append((x, y + 0.05, z, thick * 0.6, *elbow, thick * 0.55, *grey))
            parts.append((*elbow, thick * 0.5, *tip, thick * 0.2, *(dark if flying else grey)))
        return np.array(parts)
