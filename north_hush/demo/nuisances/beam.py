"""A slow light beam that comes round."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from north_hush.demo.camera import WIDTH_PX
from north_hush.demo.shot import Shot, Span


@dataclass(frozen=True)
class TurningBeam:
    """A lighthouse beam that passes over the scene every `period_s`."""

    duration_s: float
    period_s: float
    strength: float
    offset_s: float
    kind: str = "beam"
    name: str = "slow light beam"
    order: str = "scene"

    def spans(self) -> list[Span]:
        starts = np.arange(self.offset_s - self.period_s, self.duration_s, self.period_s)
        return [(max(0.0, float(start)), float(start) + 2.4) for start in starts if start + 2.4 > 0]

    def box(self) -> None:
        return None

    def apply(self, shot: Shot, time_s: float) -> None:
        since = (time_s - self.offset_s) % self.period_s
        if since < 2.4:
            x = -200 + (WIDTH_PX + 400) * since / 2.4
            left, right = max(0, int(x) - 300), min(WIDTH_PX, int(x) + 300)
            if right > left:
                beam = np.exp(-(((np.arange(left, right, dtype=np.float32) - x) / 130) ** 2))
                shot.picture[:, left:right] *= (1 + self.strength * beam)[None, :, None]
