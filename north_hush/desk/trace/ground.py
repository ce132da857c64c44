"""Stretches along a lane that count in nothing, worked out once: a day has 864,000 frames, and no dial but the guard's moves them."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from north_hush.core.detect.guard import LightGuard
from north_hush.core.detect.settings import ZoneSettings
from north_hush.core.footage.evidence import Evidence
from north_hush.core.runs import runs_of
from north_hush.desk.trace.marks import GroundKind

Stretch = tuple[float, float, GroundKind]


class GroundFinder:
    """Finds them in the evidence that is on."""

    def __init__(self) -> None:
        self._basis: tuple[str, int] = "", 0
        self._found: dict[tuple[float, float], list[Stretch]] = {}

    def of(self, settings: ZoneSettings, evidence: Evidence) -> list[Stretch]:
        """Where the light guard holds, from the first frame of each stretch to the one after it, and the gaps."""
        basis = evidence.key, len(evidence.frames)
        if basis != self._basis:
            self._basis, self._found = basis, {}
        guard = settings.guard_percent, settings.guard_hold_s
        if guard not in self._found:
            self._found[guard] = _guarded(LightGuard(settings).feed(evidence.frames), evidence) + _gaps(evidence)
        return self._found[guard]


def _guarded(flags: NDArray[np.bool_], evidence: Evidence) -> list[Stretch]:
    seconds = evidence.seconds
    last = len(seconds) - 1
    return [(float(seconds[first]), float(seconds[min(after, last)]), "guard") for first, after in runs_of(flags)]


def _gaps(evidence: Evidence) -> list[Stretch]:
    seconds = evidence.seconds
    after = np.flatnonzero(evidence.gap)
    pairs = zip(seconds[np.maximum(0, after - 1)].tolist(), seconds[after].tolist(), strict=True)
    return [(start, end, "gap") for start, end in pairs]
