"""What makes the camera blind: something over the lens, a knock that turns it, a lens out of focus, a recorder that stands still."""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from scipy import ndimage

from north_hush.demo.camera import FOCAL_PX, HEIGHT_PX, WIDTH_PX
from north_hush.demo.draw import sample_wrapped
from north_hush.demo.shot import Shot, Stretch

FROZEN = "frozen"


@dataclass(frozen=True)
class Cover(Stretch):
    """Something close before the lens, far out of focus: it comes from one side within half a second, trembles, and goes again."""

    colour: tuple[float, float, float]
    texture: NDArray[np.float32]
    weave: float
    """How strong its own pattern is."""
    tremble_px: float
    kind: str = "covered"
    name: str = "hand over the lens"
    order: str = "camera"

    def apply(self, shot: Shot, time_s: float) -> None:
        if not self.on(time_s):
            return
        edge = min((time_s - self.start_s) / 0.5, (self.end_s - time_s) / 0.5, 1.0)
        across = (np.arange(WIDTH_PX, dtype=np.float32) + 0.5) / WIDTH_PX
        mask = np.clip((edge * 1.3 - across) / 0.15, 0, 1)[None, :, None]
        rows, columns = np.mgrid[0:HEIGHT_PX:8, 0:WIDTH_PX:8].astype(np.float32)
        at = self.tremble_px * math.sin(2.1 * time_s), self.tremble_px * math.sin(1.3 * time_s + 1)
        folds = sample_wrapped(self.texture, columns * 0.2 + at[0], rows * 0.2 + at[1])
        smooth = ndimage.zoom(ndimage.gaussian_filter(folds, 6), 8, order=1)[:HEIGHT_PX, :WIDTH_PX]
        paint = np.float32(self.colour) * (1 + self.weave * smooth[..., None])
        shot.picture += (np.clip(paint, 0, 1) - shot.picture) * mask


@dataclass(frozen=True)
class Knock(Stretch):
    """A knock that turns the camera; somebody puts it right at the end."""

    degrees: float
    down: float
    kind: str = "moved"
    name: str = "knock that turns the camera"
    order: str = "camera"

    def shift_px(self, share: float = 1.0) -> tuple[int, int]:
        """How far the picture moves, to the right and down, at a share of the turn."""
        whole = FOCAL_PX * math.tan(math.radians(self.degrees))
        return round(whole * share), round(whole * self.down * share)

    def apply(self, shot: Shot, time_s: float) -> None:
        if not self.on(time_s):
            return
        edge = min((time_s - self.start_s) / 0.3, (self.end_s - time_s) / 0.8, 1.0)
        x, y = self.shift_px(edge)
        shot.shift_px = (shot.shift_px[0] + x, shot.shift_px[1] + y)


@dataclass(frozen=True)
class Defocus(Stretch):
    """The lens goes out of focus within a second, and comes back."""

    blur_px: float
    kind: str = "blurred"
    name: str = "lens out of focus"
    order: str = "camera"

    def apply(self, shot: Shot, time_s: float) -> None:
        if self.on(time_s):
            edge = min(time_s - self.start_s, self.end_s - time_s, 1.0)
            for channel in range(3):
                plane = shot.picture[..., channel]
                plane[:] = ndimage.gaussian_filter(plane, self.blur_px * edge)


@dataclass(frozen=True)
class StandStill(Stretch):
    """The recorder writes the same picture again and again, clock and all. The renderer does it; this tells the truth."""

    kind: str = FROZEN
    name: str = "picture that stands still"
    order: str = "recorder"

    def apply(self, shot: Shot, time_s: float) -> None:
        """Nothing: a picture that was made is shown again."""
