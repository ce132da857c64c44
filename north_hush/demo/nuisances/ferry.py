"""A ferry passing far out, along the horizon."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from north_hush.demo.draw import Box
from north_hush.demo.shot import Shot, Stretch


@dataclass(frozen=True)
class Ferry(Stretch):
    """Crosses the picture between two times; `strength` is its length in pixels."""

    strength: float
    light: float = 1.0
    leftward: bool = False
    kind: str = "traffic"
    name: str = "ferry far out"
    order: str = "scene"

    def box(self) -> Box:
        return 0.0, 139.0, 640.0, 158.0

    def afloat(self, time_s: float) -> tuple[float, float]:
        """Where the middle of its waterline is, in pixels."""
        return self._left(time_s) + self.strength / 2, 155.0

    def _left(self, time_s: float) -> float:
        share = self.share(time_s)
        return -self.strength + (1 - share if self.leftward else share) * (630 + self.strength)

    def apply(self, shot: Shot, time_s: float) -> None:
        if not self.on(time_s):
            return
        x = self._left(time_s)
        for left, right, top, bottom, tone in (
            (0.0, 1.0, 149, 155, 0.17),
            (0.12, 0.86, 145, 149, 0.80),
            (0.3, 0.6, 142, 145, 0.72),
        ):
            columns = np.arange(636, dtype=np.float32)
            edge = np.clip(columns - (x + left * self.strength) + 0.5, 0, 1) * np.clip(
                x + right * self.strength - columns + 0.5, 0, 1
            )
            patch = shot.picture[top:bottom, :636]
            patch += (tone * self.light - patch) * edge[None, :, None]
