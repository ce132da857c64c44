"""Lanes: what one zone or wire did over a recording."""

from __future__ import annotations

from dataclasses import dataclass, field, replace
from typing import Literal

import numpy as np
from numpy.typing import NDArray

from north_hush.core.detect.alarms import Alarm
from north_hush.core.detect.settings import ZoneSettings
from north_hush.core.scene.raster import SIXTEENTHS
from north_hush.core.words import tr

WHOLE_PICTURE_NAME = tr("Whole picture")


DialPart = tuple[int, int, ZoneSettings]
"""From when to when, in microseconds after the first frame, which dials are on."""


@dataclass(frozen=True, eq=False)
class Lane:
    """What one zone or wire did over a recording.

    Attributes
    ----------
    areas : (frames,) changed area in sixteenths of a cell
    total : watched area in sixteenths; 0 means not watched
    """

    zone_id: str
    name: str
    areas: NDArray[np.int64] = field(repr=False)
    total: int
    alarms: list[Alarm]
    settings: ZoneSettings
    kind: Literal["zone", "wire", "sound", "contact"] = "zone"
    """`sound` and `contact` are of sensors beside the picture."""
    parts: tuple[DialPart, ...] = ()
    """From when to when which dials are on, in microseconds, where they change; `settings` are those that are shown."""

    def at(self, now_us: int) -> Lane:
        """The lane with the dials that are on at an instant as its settings."""
        on = next((dials for start_us, end_us, dials in self.parts if start_us <= now_us < end_us), self.settings)
        return self if on == self.settings else replace(self, settings=on)

    @property
    def level_percent(self) -> NDArray[np.float32]:
        """(frames,) level in percent of the watched zone."""
        scale = np.float32(100 / self.total if self.total else 0)
        return self.areas.astype(np.float32) * scale

    @property
    def small(self) -> bool:
        """True when less than one cell is watched: it works by its share, and a single cell decides."""
        return 0 < self.total < SIXTEENTHS

    def percent(self, area: int) -> float:
        """An area as percent of the watched zone."""
        return 100 * area / self.total if self.total else 0.0
