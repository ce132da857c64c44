"""Starting values by kind of scene: a suggestion with its reason, to be tuned from there."""

from __future__ import annotations

import math
from dataclasses import dataclass

from north_hush.core.detect.settings import ZoneSettings
from north_hush.core.words import tr


@dataclass(frozen=True)
class Scene:
    """A kind of scene. Waits are in seconds, because frames mean another wait at each frame rate."""

    name: str
    change_limit_grey: float
    start_percent: float
    clear_percent: float
    confirm_s: float
    release_s: float
    reason: str

    def settings(self, frames_per_s: float) -> ZoneSettings:
        """The dials for footage of a frame rate, in frames/s. Waits are rounded up to whole frames."""
        return ZoneSettings(
            change_limit_grey=self.change_limit_grey,
            start_percent=self.start_percent,
            clear_percent=self.clear_percent,
            confirm_frames=_frames(self.confirm_s, frames_per_s),
            release_frames=_frames(self.release_s, frames_per_s),
        )


def _frames(seconds: float, frames_per_s: float) -> int:
    return min(600, max(1, math.ceil(seconds * frames_per_s)))


SCENES = (
    Scene(
        tr("Quiet room"), 4.0, 0.4, 0.2, 0.1, 1.0,
        tr("Light is steady and nothing moves by itself, so a faint and brief change is already worth an alarm."),
    ),
    Scene(
        tr("Busy passage"), 6.0, 2.0, 0.6, 0.2, 2.0,
        tr("People pass close by and often. A high start waits for a whole person, a low clear keeps one visit one alarm."),
    ),
    Scene(
        tr("Outdoors near"), 8.0, 1.2, 0.5, 0.4, 1.5,
        tr("Wind, shadows and rain change much but briefly. A person near the camera is large and stays for many frames."),
    ),
    Scene(
        tr("Outdoors far"), 6.0, 0.3, 0.15, 0.6, 2.0,
        tr("A far person is small and faint, so the limits are low; the long confirm leaves out what only flickers."),
    ),
)  # fmt: skip
