"""A bank of fog from the sea."""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from scipy import ndimage

from north_hush.demo.camera import HEIGHT_PX, WIDTH_PX
from north_hush.demo.draw import sample_wrapped
from north_hush.demo.shot import Shot, Stretch


@dataclass(frozen=True)
class FogBank(Stretch):
    """A bank of fog that drifts in from the sea and out again; far things go first."""

    strength: float
    depth: NDArray[np.float32]
    texture: NDArray[np.float32]
    kind: str = "fog"
    name: str = "fog bank"
    order: str = "lens"

    def apply(self, shot: Shot, time_s: float) -> None:
        if not self.on(time_s):
            return
        share = self.share(time_s)
        thick = self.strength * math.sin(math.pi * share) ** 2
        rows, columns = np.mgrid[0:HEIGHT_PX:4, 0:WIDTH_PX:4].astype(np.float32)
        drift = 0.82 + 0.16 * sample_wrapped(self.texture, columns * 0.28 - time_s * 7, rows * 0.6)
        smooth = ndimage.zoom(ndimage.gaussian_filter(drift, 3), 4, order=1)
        cover = (1 - np.exp(-thick * np.minimum(self.depth, 140) / 26)) * np.clip(smooth, 0, 1)
        shot.picture += (0.74 - shot.picture) * cover[..., None]
