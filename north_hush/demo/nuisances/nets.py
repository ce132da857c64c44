"""Drying nets on the rack, swaying with the wind."""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np

from north_hush.demo.camera import project
from north_hush.demo.draw import Box, sample_wrapped
from north_hush.demo.shot import Shot, Span


@dataclass(frozen=True)
class Nets:
    """`strength` is the sway of the lower edge in metres; gusts come and go."""

    duration_s: float
    strength: float
    phase: float
    texture: np.ndarray
    brightness: float = 1.0
    kind: str = "sway"
    name: str = "drying nets"
    order: str = "scene"

    def spans(self) -> list[Span]:
        return [(0.0, self.duration_s)]

    def box(self) -> Box:
        left, top = project((2.9 - self.strength, 2.62, 22.5))
        right, bottom = project((4.8 + self.strength, 0.7, 22.5))
        return float(left) - 3, float(top) - 2, float(right) + 3, float(bottom) + 4

    def apply(self, shot: Shot, time_s: float) -> None:
        left, top, right, bottom = (int(edge) for edge in self.box())
        rows, columns = np.mgrid[top:bottom, left:right].astype(np.float32)
        down = (rows - top) / (bottom - top)
        gust = 0.55 + 0.45 * math.sin(time_s * 0.23 + self.phase) * math.sin(time_s * 0.11 + 2 * self.phase)
        wave = np.sin(time_s * 2.4 + self.phase + columns * 0.05) + 0.5 * np.sin(time_s * 3.9 + columns * 0.11)
        sway = self.strength * 40 * gust * down**1.4 * wave
        x = columns - sway
        inner_left, inner_right = project((2.9, 0, 22.5))[0], project((4.8, 0, 22.5))[0]
        inside = np.clip(x - inner_left, 0, 1) * np.clip(inner_right - x, 0, 1)
        hem = bottom - 10 - 7 * np.sin((x - inner_left) * 0.13) ** 2
        inside *= np.clip(hem - rows, 0, 1)
        knots = np.maximum(np.cos((x + rows) * 1.3), np.cos((x - rows) * 1.3)) > 0.35
        folds = 0.5 + 0.5 * sample_wrapped(self.texture, x * 1.5, rows * 0.25 + 40)
        cover = inside * np.where(knots, 0.78, 0.35) * np.clip(0.75 + 0.2 * folds, 0, 1)
        patch = shot.picture[top:bottom, left:right]
        colour = np.float32([0.20, 0.27, 0.22]) * self.brightness * (0.8 + 0.35 * folds)[..., None]
        patch += (colour - patch) * cover[..., None]
