"""A rule of sound as its levels come, by the same measure as `hearing` has over a recording."""

from __future__ import annotations

from collections import deque
from dataclasses import dataclass

import numpy as np

from north_hush.core.footage.sound import SILENT_DB, WINDOW_US, Level
from north_hush.core.sight.hearing import DEAD_DB, DEAD_WINDOWS, USUAL_WINDOWS, SoundRule


@dataclass(frozen=True)
class Turn:
    """A rule begins to hold, from an instant that is past by as many windows as it wants in a row; or it holds no more."""

    at_us: int
    on: bool


class LiveHearing:
    """Give it levels in order of time; a time without any is silence that nobody heard: no rule holds in it.

    Parameters
    ----------
    begins_us : when listening began, where that is known; else with the first level
    """

    def __init__(self, rule: SoundRule, begins_us: int | None = None) -> None:
        self.rule = rule
        self._levels: deque[float] = deque(maxlen=USUAL_WINDOWS)
        self._least = DEAD_WINDOWS if rule.hears == "dead" else rule.windows
        self._over, self._next_us, self._begins_us = 0, 0, begins_us
        self._holds = False

    def push(self, level: Level) -> list[Turn]:
        """Take the next tenth of a second."""
        at_us, plain, weighted = level
        found = list[Turn]()
        if self._levels and at_us > self._next_us:
            found = self._end(self._next_us)
            missing = min((at_us - self._next_us) // WINDOW_US, USUAL_WINDOWS)
            self._levels.extend([SILENT_DB] * missing)  # as the usual level of a recording counts it
        value = np.float32(weighted if self.rule.weighted else plain)
        if not self._levels:
            # The first level is taken for what was before, and a time before it without any counts as silent.
            late = self._begins_us is not None and at_us > self._begins_us
            self._levels.extend([SILENT_DB if late else float(value)] * (USUAL_WINDOWS - 1))
        self._levels.append(float(value))
        self._next_us = at_us + WINDOW_US
        if not self._is_over(value, plain):
            return found + self._end(at_us)
        self._over += 1
        if self._over >= self._least and not self._holds:
            self._holds = True
            found.append(Turn(at_us - (self._over - 1) * WINDOW_US, on=True))
        return found

    def lost(self) -> list[Turn]:
        """The sound is lost."""
        found = self._end(self._next_us)
        self._levels.clear()
        return found

    def _end(self, at_us: int) -> list[Turn]:
        held, self._holds, self._over = self._holds, False, 0
        return [Turn(at_us, on=False)] if held else []

    def _is_over(self, value: np.float32, plain: float) -> bool:
        if self.rule.hears == "dead":
            return bool(np.float32(plain) < DEAD_DB)
        if self.rule.hears == "louder":
            return bool(value > self.rule.level_db)
        away = value - np.median(np.array(self._levels, np.float32))
        turned = {"jump": away, "drop": -away}.get(self.rule.hears, abs(away))
        return bool(turned > abs(self.rule.level_db))
