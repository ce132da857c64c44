"""Who else comes on regatta day: a dog, a pram and a van, as capsules like everybody."""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import dataclass
from typing import ClassVar

import numpy as np

from north_hush.demo.actors import Bodies, Colour, Person
from north_hush.demo.paths import Path

_DARK: Colour = (0.09, 0.09, 0.09)
Place = tuple[float, float, float]


def _around(path: Path, time_s: float) -> Callable[..., Place]:
    """Places in metres ahead, up and aside of where something is."""
    x, z = path.at(time_s)
    dx, dz, _ = path.heading(time_s)

    def at(forward: float, up: float, side: float = 0.0) -> Place:
        return x + dx * forward - dz * side, path.floor_m + up, z + dz * forward + dx * side

    return at


@dataclass(frozen=True)
class Dog:
    """A dog of knee height, trotting."""

    ground_m: ClassVar[tuple[float, float]] = (0.0, 0.0)
    path: Path
    coat: Colour = (0.30, 0.22, 0.14)

    def bodies(self, time_s: float) -> Bodies:
        at = _around(self.path, time_s)
        _, _, speed = self.path.heading(time_s)
        swing = 0.16 * min(1.0, speed) * math.sin(2 * math.pi * self.path.travelled(time_s) / 0.7)
        parts: list[tuple[float, ...]] = [(*at(-0.28, 0.46), 0.12, *at(0.26, 0.48), 0.13, *self.coat)]
        parts.append((*at(0.34, 0.60), 0.07, *at(0.50, 0.64), 0.06, *self.coat))
        parts.append((*at(-0.34, 0.52), 0.03, *at(-0.52, 0.62), 0.02, *self.coat))
        for ahead, side, way in ((0.22, 0.08, 1), (0.22, -0.08, -1), (-0.26, 0.08, -1), (-0.26, -0.08, 1)):
            parts.append((*at(ahead, 0.40, side), 0.05, *at(ahead + way * swing, 0.03, side), 0.035, *self.coat))
        return np.array(parts)


@dataclass(frozen=True)
class Pram:
    """Somebody pushing a pram."""

    ground_m: ClassVar[tuple[float, float]] = (1.35, 0.0)
    person: Person
    hood: Colour = (0.14, 0.17, 0.28)

    @property
    def path(self) -> Path:
        return self.person.path

    def bodies(self, time_s: float) -> Bodies:
        at = _around(self.path, time_s)
        parts: list[tuple[float, ...]] = []
        for side in (-0.16, 0.0, 0.16):
            parts.append((*at(0.62, 0.72, side), 0.15, *at(1.25, 0.72, side), 0.14, *self.hood))
        parts.append((*at(0.75, 0.98, 0.0), 0.20, *at(0.95, 0.98, 0.0), 0.18, *self.hood))
        for side in (-0.24, 0.24):
            parts.append((*at(0.38, 1.0, side), 0.02, *at(0.75, 0.62, side), 0.02, *_DARK))
            for ahead in (0.62, 1.22):
                parts.append((*at(ahead, 0.16, side), 0.13, *at(ahead, 0.17, side), 0.13, *_DARK))
                parts.append((*at(ahead, 0.16, side), 0.02, *at(0.92, 0.60, side), 0.02, *_DARK))
        return np.vstack([self.person.bodies(time_s), np.array(parts)])


@dataclass(frozen=True)
class Van:
    """A delivery van."""

    ground_m: ClassVar[tuple[float, float]] = (1.7, 1.8)
    path: Path
    paint: Colour = (0.60, 0.62, 0.60)

    def bodies(self, time_s: float) -> Bodies:
        at = _around(self.path, time_s)
        parts: list[tuple[float, ...]] = []
        for side in (-0.55, 0.0, 0.55):
            for up in (0.75, 1.25, 1.70):
                parts.append((*at(-2.0, up, side), 0.36, *at(1.0, up, side), 0.36, *self.paint))
            parts.append((*at(1.0, 0.75, side), 0.36, *at(2.0, 0.70, side), 0.32, *self.paint))
            parts.append((*at(1.05, 1.45, side), 0.26, *at(1.55, 1.05, side), 0.16, 0.10, 0.12, 0.14))
        for side in (-0.82, 0.82):
            for ahead in (-1.45, 1.35):
                parts.append((*at(ahead, 0.34, side), 0.34, *at(ahead + 0.02, 0.34, side), 0.34, *_DARK))
        return np.array(parts)
