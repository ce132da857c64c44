"""The pulse of the codec at its key frames."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from north_hush.demo.shot import Shot, Span


@dataclass(frozen=True)
class CodecPulse:
    """Key frames at a low bit rate: the picture is drawn anew at each. The encoder does it; this tells the truth."""

    duration_s: float
    interval_s: float
    kind: str = "codec pulse"
    name: str = "codec pulse at key frames"
    order: str = "camera"

    def spans(self) -> list[Span]:
        return [(float(start), float(start) + 0.2) for start in np.arange(0.0, self.duration_s, self.interval_s)]

    def box(self) -> None:
        return None

    def apply(self, shot: Shot, time_s: float) -> None:
        """Nothing: it comes with the encoding."""
