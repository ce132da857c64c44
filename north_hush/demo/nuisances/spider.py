"""A spider thread across the lens."""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np

from north_hush.demo.draw import Box
from north_hush.demo.shot import Shot, Span


@dataclass(frozen=True)
class SpiderThread:
    """A thread across the lens that glows in the camera's own light and sways."""

    duration_s: float
    strength: float
    phase: float
    kind: str = "thread"
    name: str = "spider thread"
    order: str = "lens"

    def spans(self) -> list[Span]:
        return [(0.0, self.duration_s)]

    def box(self) -> Box:
        return 30.0, 0.0, 420.0, 330.0

    def apply(self, shot: Shot, time_s: float) -> None:
        rows = np.arange(0, 330, dtype=np.float32)
        sway = 16 * math.sin(0.8 * time_s + self.phase) + 5 * math.sin(2.9 * time_s)
        line = 400 - rows * 0.95 + sway * np.sin(math.pi * rows / 330)
        near = np.floor(line).astype(int)[:, None] + np.arange(-10, 11)
        glow = np.exp(-(((near - line[:, None]) / 3.2) ** 2)) * ((near >= 30) & (near < 420))
        places = np.arange(330)[:, None], np.clip(near, 30, 419)
        shot.picture[places] += (self.strength * glow)[..., None].astype(np.float32)
