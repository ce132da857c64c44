"""Mooring ropes from the bollard to the boat, swaying with the swell."""

from __future__ import annotations

import math
from dataclasses import dataclass
from itertools import pairwise

import numpy as np

from north_hush.demo.draw import Box, draw_bodies, screen_box, to_screen
from north_hush.demo.shot import Shot, Span

_PIECES = 14


@dataclass(frozen=True)
class Ropes:
    """`strength` is the sway of the lowest point in metres."""

    duration_s: float
    strength: float
    phase: float
    brightness: float = 1.0
    kind: str = "sway"
    name: str = "mooring ropes"
    order: str = "scene"

    def spans(self) -> list[Span]:
        return [(0.0, self.duration_s)]

    def box(self) -> Box:
        boxes = np.array([screen_box(to_screen(self._bodies(moment))) for moment in np.linspace(0, 12, 40)])
        low, high = boxes[:, :2].min(axis=0) - 5, boxes[:, 2:].max(axis=0) + 5
        return float(low[0]), float(low[1]), float(high[0]), float(high[1])

    def apply(self, shot: Shot, time_s: float) -> None:
        draw_bodies(shot.picture, [self._bodies(time_s)], self.brightness)

    def _bodies(self, time_s: float) -> np.ndarray:
        parts = []
        for number, end in enumerate(((-9.4, 0.75, 27.4), (-10.6, 0.75, 27.4))):
            start = (-5.0, 0.5, 15.0)
            swell = self.strength * math.sin(time_s * (0.9 + 0.13 * number) + self.phase + number)
            sag = 0.55 + 0.35 * number + swell
            share = np.linspace(0, 1, _PIECES + 1)
            line = np.array(
                [np.array(start) + (np.array(end) - start) * s - [0, 4 * sag * s * (1 - s), 0] for s in share]
            )
            line[:, 0] += 0.4 * swell * np.sin(math.pi * share)
            for a, b in pairwise(line):
                parts.append((*a, 0.032, *b, 0.032, 0.62, 0.57, 0.44))
        return np.array(parts)
