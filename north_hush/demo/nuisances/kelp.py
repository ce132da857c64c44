"""Kelp hung to dry on a line along the loft, fluttering."""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np

from north_hush.demo.draw import Box, draw_bodies, screen_box, to_screen
from north_hush.demo.shot import Shot, Span


@dataclass(frozen=True)
class Kelp:
    """`strength` is the swing of the lower ends in metres."""

    duration_s: float
    strength: float
    phase: float
    brightness: float = 1.0
    kind: str = "sway"
    name: str = "kelp on the line"
    order: str = "scene"

    def spans(self) -> list[Span]:
        return [(0.0, self.duration_s)]

    def box(self) -> Box:
        boxes = np.array([screen_box(to_screen(self._bodies(moment))) for moment in np.linspace(0, 12, 60)])
        low, high = boxes[:, :2].min(axis=0) - 5, boxes[:, 2:].max(axis=0) + 5
        return float(low[0]), float(low[1]), float(high[0]), float(high[1])

    def apply(self, shot: Shot, time_s: float) -> None:
        draw_bodies(shot.picture, [self._bodies(time_s)], self.brightness)

    def _bodies(self, time_s: float) -> np.ndarray:
        parts = [(5.0, 2.3, 14.6, 0.02, 5.2, 2.3, 19.8, 0.02, 0.3, 0.3, 0.28)]
        for number in range(9):
            z = 14.9 + 0.55 * number
            x = 5.0 + 0.2 * (z - 14.6) / 5.2
            swing = self.strength * math.sin(time_s * (2.1 + 0.07 * number) + self.phase + 0.8 * number)
            gust = 0.5 + 0.5 * math.sin(time_s * 0.31 + self.phase)
            parts.append((x, 2.28, z, 0.05, x - swing * gust, 1.45, z + 0.4 * swing * gust, 0.085, 0.20, 0.17, 0.08))
        return np.array(parts)
