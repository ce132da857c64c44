"""The winch lamp, whose spot wanders along the loft."""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from north_hush.demo.camera import WIDTH_PX
from north_hush.demo.draw import Box
from north_hush.demo.shot import Shot, Stretch


@dataclass(frozen=True)
class SweptLamp(Stretch):
    """A winch lamp whose spot wanders along the shed's wall while the winch runs."""

    strength: float
    wall: NDArray[np.float32]
    kind: str = "swept light"
    name: str = "winch lamp on the shed"
    order: str = "scene"

    def box(self) -> Box:
        return 600.0, 60.0, float(WIDTH_PX), 440.0

    def apply(self, shot: Shot, time_s: float) -> None:
        if not self.on(time_s):
            return
        left, top, right, bottom = (int(edge) for edge in self.box())
        place = np.s_[top:bottom, left:right]
        rows, columns = np.mgrid[top:bottom, left:right].astype(np.float32)
        x = 770 + 95 * math.sin(0.9 * (time_s - self.start_s))
        y = 225 + 40 * math.sin(1.7 * (time_s - self.start_s))
        spot = np.exp(-(((columns - x) / 46) ** 2) - ((rows - y) / 58) ** 2) * self.wall[place]
        shot.picture[place] *= 1 + 2.2 * self.strength * spot[..., None]
        shot.picture[place] += 0.07 * self.strength * spot[..., None]
