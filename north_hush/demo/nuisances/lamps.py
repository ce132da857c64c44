"""A lamp that switches on and off."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property

import numpy as np
from numpy.typing import NDArray

from north_hush.demo.shot import Shot, Span

_FAINT = 0.004
"""Light below this share is not drawn."""


@dataclass(frozen=True)
class Lamp:
    """A lamp that switches on and off at given times; `pool` is the light it throws, (height, width)."""

    times_s: tuple[float, ...]
    strength: float
    pool: NDArray[np.float32]
    colour: tuple[float, float, float] = (1.0, 0.82, 0.52)
    kind: str = "lamp"
    name: str = "lamp switching"
    order: str = "scene"

    def spans(self) -> list[Span]:
        return [(time_s, time_s + 0.3) for time_s in self.times_s]

    def box(self) -> None:
        return None

    def apply(self, shot: Shot, time_s: float) -> None:
        if sum(time_s >= switched for switched in self.times_s) % 2:
            place, light = self._light
            patch = shot.picture[place]
            patch *= 1 + 1.6 * light
            patch += 0.05 * light

    @cached_property
    def _light(self) -> tuple[tuple[slice, slice], NDArray[np.float32]]:
        """Where the lamp reaches, and its coloured light there."""
        rows, columns = (
            np.flatnonzero((self.pool > _FAINT).any(axis=1)),
            np.flatnonzero((self.pool > _FAINT).any(axis=0)),
        )
        place = (slice(rows[0], rows[-1] + 1), slice(columns[0], columns[-1] + 1))
        return place, self.strength * self.pool[place][..., None] * np.asarray(self.colour, np.float32)
