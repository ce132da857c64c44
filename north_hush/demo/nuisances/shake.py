"""The camera mast, shaking in a squall."""

from __future__ import annotations

import math
from dataclasses import dataclass

from north_hush.demo.shot import Shot, Stretch


@dataclass(frozen=True)
class ShakingMast(Stretch):
    """The camera's mast shakes in a squall: the whole picture jumps by up to `strength` pixels."""

    strength: float
    kind: str = "shake"
    name: str = "shaking camera mast"
    order: str = "camera"

    def apply(self, shot: Shot, time_s: float) -> None:
        if self.on(time_s):
            t = time_s - self.start_s
            swell = math.sin(math.pi * t / (self.end_s - self.start_s))
            x = round(self.strength * swell * math.sin(11.3 * t))
            y = round(0.6 * self.strength * swell * math.sin(17.9 * t + 1))
            shot.shift_px = (shot.shift_px[0] + x, shot.shift_px[1] + y)
