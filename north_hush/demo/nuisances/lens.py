"""What happens close to the lens: moths, a spider thread, rain, snow, fog, and the mast that shakes."""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from scipy import ndimage

from north_hush.demo.camera import HEIGHT_PX, WIDTH_PX
from north_hush.demo.draw import Box, sample_wrapped, shade_ellipse
from north_hush.demo.shot import Shot, Span


@dataclass(frozen=True)
class Moth:
    """A moth near the lens for a few seconds: a soft bright blur on a winding way."""

    start_s: float
    end_s: float
    strength: float
    phase: float
    kind: str = "insect"
    name: str = "moth at the lens"
    order: str = "lens"

    def spans(self) -> list[Span]:
        return [(self.start_s, self.end_s)]

    def box(self) -> None:
        return None

    def apply(self, shot: Shot, time_s: float) -> None:
        if not self.start_s <= time_s < self.end_s:
            return
        for k in range(4):  # a long exposure: the blur of its wing beats
            t = (time_s - self.start_s) * 1.0 + k * 0.012
            share = t / (self.end_s - self.start_s)
            x = WIDTH_PX * (1.15 * share - 0.07) + 90 * math.sin(5.1 * t + self.phase)
            y = 250 + 150 * math.sin(2.3 * t + self.phase) + 40 * math.sin(9 * t)
            size = 9 + 5 * math.sin(3 * t + self.phase)
            shade_ellipse(shot.picture, (x, y), (size * 1.5, size), -self.strength * 1.2)


@dataclass(frozen=True)
class SpiderThread:
    """A thread across the lens that glows in the camera's own light and sways."""

    duration_s: float
    strength: float
    phase: float
    kind: str = "thread"
    name: str = "spider thread"
    order: str = "lens"

    def spans(self) -> list[Span]:
        return [(0.0, self.duration_s)]

    def box(self) -> Box:
        return 30.0, 0.0, 420.0, 330.0

    def apply(self, shot: Shot, time_s: float) -> None:
        rows = np.arange(0, 330, dtype=np.float32)
        sway = 16 * math.sin(0.8 * time_s + self.phase) + 5 * math.sin(2.9 * time_s)
        line = 400 - rows * 0.95 + sway * np.sin(math.pi * rows / 330)
        near = np.floor(line).astype(int)[:, None] + np.arange(-10, 11)
        glow = np.exp(-(((near - line[:, None]) / 3.2) ** 2)) * ((near >= 30) & (near < 420))
        places = np.arange(330)[:, None], np.clip(near, 30, 419)
        shot.picture[places] += (self.strength * glow)[..., None].astype(np.float32)


@dataclass(frozen=True)
class Rain:
    """Streaks that glow close to the lens while it rains."""

    start_s: float
    end_s: float
    strength: float
    seed: int
    kind: str = "rain"
    name: str = "rain"
    order: str = "lens"

    def spans(self) -> list[Span]:
        return [(self.start_s, self.end_s)]

    def box(self) -> None:
        return None

    def apply(self, shot: Shot, time_s: float) -> None:
        if not self.start_s <= time_s < self.end_s:
            return
        rng = np.random.default_rng([self.seed, round(time_s * 1000)])
        for x, y, length in zip(
            rng.integers(4, WIDTH_PX - 4, 34), rng.integers(-20, HEIGHT_PX, 34), rng.integers(18, 70, 34), strict=True
        ):
            top, bottom = max(0, int(y)), min(HEIGHT_PX, int(y + length))
            shot.picture[top:bottom, x - 1 : x + 1] += self.strength * rng.uniform(0.05, 0.22)


@dataclass(frozen=True)
class Snowfall:
    """Flakes of three sizes that fall with the wind; `strength` is how many."""

    duration_s: float
    strength: float
    seed: int
    kind: str = "snow"
    name: str = "snowfall"
    order: str = "lens"

    def spans(self) -> list[Span]:
        return [(0.0, self.duration_s)]

    def box(self) -> None:
        return None

    def apply(self, shot: Shot, time_s: float) -> None:
        rng = np.random.default_rng(self.seed)
        for size, speed, count in ((0.9, 60.0, 420), (1.7, 120.0, 120), (3.4, 230.0, 22)):
            number = int(count * self.strength)
            x0, y0, wave = rng.random((3, number))
            x = (x0 * WIDTH_PX + time_s * speed * 0.35 + 14 * np.sin(time_s * 1.3 + wave * 6.3)) % WIDTH_PX
            y = (y0 * HEIGHT_PX + time_s * speed) % HEIGHT_PX
            self._flakes(shot, x, y, size)

    @staticmethod
    def _flakes(shot: Shot, x: NDArray[np.float64], y: NDArray[np.float64], size: float) -> None:
        reach = int(size) + 1
        for dy in range(-reach, reach + 1):
            for dx in range(-reach, reach + 1):
                soft = math.exp(-(dx * dx + dy * dy) / (size * size)) * (0.55 if size < 3 else 0.38)
                rows, columns = y.astype(int) + dy, x.astype(int) + dx
                inside = (rows >= 0) & (rows < HEIGHT_PX) & (columns >= 0) & (columns < WIDTH_PX)
                spot = shot.picture[rows[inside], columns[inside]]
                shot.picture[rows[inside], columns[inside]] = spot + (0.97 - spot) * soft


@dataclass(frozen=True)
class FogBank:
    """A bank of fog that drifts in from the sea and out again; far things go first."""

    start_s: float
    end_s: float
    strength: float
    depth: NDArray[np.float32]
    texture: NDArray[np.float32]
    kind: str = "fog"
    name: str = "fog bank"
    order: str = "lens"

    def spans(self) -> list[Span]:
        return [(self.start_s, self.end_s)]

    def box(self) -> None:
        return None

    def apply(self, shot: Shot, time_s: float) -> None:
        if not self.start_s <= time_s < self.end_s:
            return
        share = (time_s - self.start_s) / (self.end_s - self.start_s)
        thick = self.strength * math.sin(math.pi * share) ** 2
        rows, columns = np.mgrid[0:HEIGHT_PX:4, 0:WIDTH_PX:4].astype(np.float32)
        drift = 0.82 + 0.16 * sample_wrapped(self.texture, columns * 0.28 - time_s * 7, rows * 0.6)
        smooth = ndimage.zoom(ndimage.gaussian_filter(drift, 3), 4, order=1)
        cover = (1 - np.exp(-thick * np.minimum(self.depth, 140) / 26)) * np.clip(smooth, 0, 1)
        shot.picture += (0.74 - shot.picture) * cover[..., None]


@dataclass(frozen=True)
class ShakingMast:
    """The camera's mast shakes in a squall: the whole picture jumps by up to `strength` pixels."""

    start_s: float
    end_s: float
    strength: float
    kind: str = "shake"
    name: str = "shaking camera mast"
    order: str = "camera"

    def spans(self) -> list[Span]:
        return [(self.start_s, self.end_s)]

    def box(self) -> None:
        return None

    def apply(self, shot: Shot, time_s: float) -> None:
        if self.start_s <= time_s < self.end_s:
            t = time_s - self.start_s
            swell = math.sin(math.pi * t / (self.end_s - self.start_s))
            x = round(self.strength * swell * math.sin(11.3 * t))
            y = round(0.6 * self.strength * swell * math.sin(17.9 * t + 1))
            shot.shift_px = (shot.shift_px[0] + x, shot.shift_px[1] + y)


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
