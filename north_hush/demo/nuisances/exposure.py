"""The camera's own exposure: a sudden jump, and a slower way back."""

from __future__ import annotations

import math
from dataclasses import dataclass

from north_hush.demo.shot import Shot, Span

_RECOVERY_S = 1.4


@dataclass(frozen=True)
class ExposureJump:
    """At `at_s` the whole picture gets brighter by `strength` (0.2 is 20 %) and recovers over some four seconds."""

    at_s: float
    strength: float
    kind: str = "light"
    name: str = "exposure jump"
    order: str = "camera"

    def spans(self) -> list[Span]:
        return [(self.at_s, self.at_s + 3 * _RECOVERY_S)]

    def box(self) -> None:
        return None

    def apply(self, shot: Shot, time_s: float) -> None:
        since = time_s - self.at_s
        if since >= 0:
            shot.gain *= 1 + self.strength * math.exp(-since / _RECOVERY_S)
