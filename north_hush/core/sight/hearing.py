"""What is heard: louder than, jumps, drops, either way, and an input that falls dead; as spans of time, from levels."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Annotated, Literal

import numpy as np
from numpy.typing import NDArray
from pydantic import BaseModel, ConfigDict, Field

from north_hush.core.footage.sound import SILENT_DB, WINDOW_US, Sound
from north_hush.core.runs import runs_of

Hears = Literal["louder", "jump", "drop", "either", "dead"]
USUAL_WINDOWS = 101
"""What is usual is the median over so many windows: ten seconds up to now."""
DEAD_DB, DEAD_WINDOWS = -90.0, 100
"""An input is dead when it is quieter than that for ten seconds: the noise of any microphone is louder."""


class SoundRule(BaseModel):
    """What of sound raises an alarm.

    `level_db` is what *louder* is louder than, in dB below full scale; of *jump*, *drop* and *either* how far the level goes up or down
    from what was usual in the ten seconds before. `windows` of a tenth of a second in a row have to be so.
    """

    model_config = ConfigDict(frozen=True, extra="forbid", allow_inf_nan=False)

    hears: Hears
    level_db: Annotated[float, Field(ge=SILENT_DB, le=100)] = 12.0
    windows: Annotated[int, Field(ge=1, le=600)] = 2
    weighted: bool = True
    """As ears weigh it; else plain."""


@dataclass(frozen=True)
class Heard:
    """A time in which a rule held. `peak_db` is the loudest level in it, or the quietest of *drop* and *dead*."""

    hears: Hears
    start_us: int
    end_us: int
    peak_db: float


def heard_in(sound: Sound, rule: SoundRule) -> list[Heard]:
    """When a rule holds. Where there is no sound it does not."""
    levels = sound.weighted_db if rule.weighted else sound.plain_db
    if rule.hears == "dead":
        held, least = np.nan_to_num(sound.plain_db, nan=0.0) < DEAD_DB, DEAD_WINDOWS
    else:
        held, least = _over(levels, rule), rule.windows
    quiet = rule.hears in ("drop", "dead")
    return [
        Heard(
            rule.hears,
            first * WINDOW_US,
            after * WINDOW_US,
            float((np.nanmin if quiet else np.nanmax)(levels[first:after])),
        )
        for first, after in runs_of(held)
        if after - first >= least
    ]


def heard_at(sound: Sound, rule: SoundRule, away_db: Sequence[float] = (-6, -3, 0, 3, 6)) -> list[tuple[float, int]]:
    """How often a rule would hold at its level and at others beside it: (level in dB, times), from low to high."""
    levels = [rule.level_db + away for away in away_db if rule.hears == "louder" or rule.level_db + away > 0]
    return [(level, len(heard_in(sound, rule.model_copy(update={"level_db": level})))) for level in levels]


def _over(levels: NDArray[np.float32], rule: SoundRule) -> NDArray[np.bool_]:
    over, limit = levels, rule.level_db
    if rule.hears != "louder":
        away = levels - usual_db(levels)
        over, limit = {"jump": away, "drop": -away}.get(rule.hears, np.abs(away)), abs(rule.level_db)
    return np.asarray(np.isfinite(levels) & (over > limit), np.bool_)


def usual_db(levels: NDArray[np.float32]) -> NDArray[np.float32]:
    """What was usual in the ten seconds up to each window, (windows,) float32; a time without sound counts as silent."""
    filled = np.where(np.isfinite(levels), levels, np.float32(SILENT_DB))
    if not len(filled):
        return filled
    # The filter looks back alone: its middle is shifted to its end.
    from scipy.ndimage import median_filter  # takes as long to import as the window to paint

    return np.asarray(median_filter(filled, USUAL_WINDOWS, mode="nearest", origin=USUAL_WINDOWS // 2), np.float32)
