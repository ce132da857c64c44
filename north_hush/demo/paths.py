"""Ways over the quay: where something is on the ground at each moment."""

from __future__ import annotations

import math
from dataclasses import dataclass
from itertools import pairwise

import numpy as np


@dataclass(frozen=True)
class Path:
    """Where something is on the ground over time: key points of time (s), X and Z (m), straight between them."""

    points: tuple[tuple[float, float, float], ...]
    floor_m: float = 0.0

    @property
    def start_s(self) -> float:
        return self.points[0][0]

    @property
    def end_s(self) -> float:
        return self.points[-1][0]

    def at(self, time_s: float) -> tuple[float, float]:
        """X and Z at a time."""
        times, xs, zs = zip(*self.points, strict=True)
        return float(np.interp(time_s, times, xs)), float(np.interp(time_s, times, zs))

    def heading(self, time_s: float) -> tuple[float, float, float]:
        """Unit direction of the way (dX, dZ) and speed in m/s; while standing, the direction before."""
        direction = (0.0, -1.0)
        for (t0, x0, z0), (t1, x1, z1) in pairwise(self.points):
            length = math.hypot(x1 - x0, z1 - z0)
            if length > 1e-6:
                direction = ((x1 - x0) / length, (z1 - z0) / length)
            if t0 <= time_s < t1:
                return (*direction, length / (t1 - t0))
        return (*direction, 0.0)

    def travelled(self, time_s: float) -> float:
        """Way covered since the start, in metres."""
        total = 0.0
        for (t0, x0, z0), (t1, x1, z1) in pairwise(self.points):
            share = min(1.0, max(0.0, (time_s - t0) / (t1 - t0)))
            total += share * math.hypot(x1 - x0, z1 - z0)
        return total


def route(start_s: float, speed_m_per_s: float, *stops: tuple[float, float] | float, floor_m: float = 0.0) -> Path:
    """A path at one speed through places (X, Z); a bare number waits that many seconds."""
    points: list[tuple[float, float, float]] = []
    time_s = start_s
    for stop in stops:
        if isinstance(stop, tuple):
            if points:
                time_s += max(0.05, math.hypot(stop[0] - points[-1][1], stop[1] - points[-1][2]) / speed_m_per_s)
            points.append((time_s, *stop))
        else:
            time_s += stop
            points.append((time_s, points[-1][1], points[-1][2]))
    return Path(tuple(points), floor_m)
