"""Sun on the water: small waves that sparkle between slip and quay."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from north_hush.demo.backdrop import Backdrop
from north_hush.demo.draw import Box, sample_wrapped
from north_hush.demo.shot import Shot, Span


@dataclass(frozen=True)
class Glint:
    """`strength` 0..1 is how bright the sparkles are; the water outside the box lies still."""

    duration_s: float
    strength: float
    backdrop: Backdrop
    area: Box = (150.0, 197.0, 640.0, 264.0)
    kind: str = "glint"
    name: str = "water glint"
    order: str = "scene"

    def spans(self) -> list[Span]:
        return [(0.0, self.duration_s)]

    def box(self) -> Box:
        return self.area

    def apply(self, shot: Shot, time_s: float) -> None:
        left, top, right, bottom = (int(edge) for edge in self.area)
        place = np.s_[top:bottom, left:right]
        x, z, water = self.backdrop.ground_x[place], self.backdrop.depth[place], self.backdrop.water[place]
        texture = self.backdrop.texture
        waves = sample_wrapped(texture, x * 9 + time_s * 7, z * 22 + time_s * 11)
        crossing = sample_wrapped(texture, x * 11 - time_s * 9 + 200, z * 25 + time_s * 6)
        columns = np.arange(left, right, dtype=np.float32)
        street = np.exp(-(((columns - 420) / 130) ** 2))
        swell = 0.05 * waves
        sparkle = np.clip(waves + crossing - 2.1, 0, 1) * street
        edge = np.clip(np.minimum(columns - left, right - columns) / 40, 0, 1) * water
        shot.picture[place] += ((swell + sparkle * 0.75) * self.strength * edge)[..., None]
