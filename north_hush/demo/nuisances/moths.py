"""A moth near the lens."""

from __future__ import annotations

import math
from dataclasses import dataclass

from north_hush.demo.camera import WIDTH_PX
from north_hush.demo.draw import shade_ellipse
from north_hush.demo.shot import Shot, Stretch


@dataclass(frozen=True)
class Moth(Stretch):
    """A moth near the lens for a few seconds: a soft bright blur on a winding way."""

    strength: float
    phase: float
    kind: str = "insect"
    name: str = "moth at the lens"
    order: str = "lens"

    def apply(self, shot: Shot, time_s: float) -> None:
        if not self.on(time_s):
            return
        for k in range(4):  # a long exposure: the blur of its wing beats
            t = (time_s - self.start_s) * 1.0 + k * 0.012
            share = t / (self.end_s - self.start_s)
            x = WIDTH_PX * (1.15 * share - 0.07) + 90 * math.sin(5.1 * t + self.phase)
            y = 250 + 150 * math.sin(2.3 * t + self.phase) + 40 * math.sin(9 * t)
            size = 9 + 5 * math.sin(3 * t + self.phase)
            shade_ellipse(shot.picture, (x, y), (size * 1.5, size), -self.strength * 1.2)
