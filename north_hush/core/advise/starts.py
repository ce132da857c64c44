"""Where a search begins: a plain grid of settings, its change limits by the noise of the footage."""

from __future__ import annotations

import math
from collections.abc import Iterator, Mapping, Sequence
from itertools import product
from typing import Any

import numpy as np
from numpy.typing import NDArray
from pydantic import ValidationError

from north_hush.core.advise.aim import TRIED
from north_hush.core.detect.dials import CHANNELS_TRIED
from north_hush.core.detect.settings import ZoneSettings
from north_hush.core.footage.evidence import NOISE_SCALE, Evidence
from north_hush.core.footage.stamps import US_PER_S

_NOISE_TIMES = (4.0, 8.0, 16.0)
_START_PERCENT = (0.15, 0.5, 1.5, 5.0)
_WAITS_S = (0.1, 0.35)
_BEGUN_FROM = 3
"""So many of the best starts are descended from, of different channels: the best few of all are neighbours, and lead to one
valley."""


def plain_starts(
    footage: Sequence[tuple[Evidence, NDArray[np.int64]]], present: ZoneSettings, fields: Sequence[str]
) -> Iterator[ZoneSettings]:
    """Plain starting points for an item: channels, change limits by noise, start levels and waits, as far as `fields` may
    change.

    Parameters
    ----------
    footage : evidence of each recording and the item's own cells on its grid, (own cells,) int64
    """
    noise = float(np.median([_noise_grey(evidence, cells) for evidence, cells in footage]))
    usual_s = float(np.median([evidence.usual_us for evidence, _ in footage])) / US_PER_S
    limits = sorted({_nearest(TRIED["change_limit_grey"], times * noise) for times in _NOISE_TIMES})
    waits = [max(1, math.ceil(wait / usual_s)) for wait in _WAITS_S]
    for channel, limit, start, wait in product(CHANNELS_TRIED, limits, _START_PERCENT, waits):
        wanted = {
            "channel": channel, "change_limit_grey": limit, "start_percent": start, "clear_percent": 0.6 * start,
            "confirm_frames": wait,
        }  # fmt: skip
        held = turned(present, {name: value for name, value in wanted.items() if name in fields})
        if held is not None and held != present:
            yield held


def _noise_grey(evidence: Evidence, cells: NDArray[np.int64]) -> float:
    """The usual noise of cells in grey levels; 1 where it is not known, or lower, which evidence holds not."""
    if evidence.soil is None or len(evidence.soil.noise) == 0 or len(cells) == 0:
        return 1.0
    return max(1.0, float(np.median(evidence.soil.noise[:, cells])) / NOISE_SCALE)


def of_each_channel(ranked: Sequence[ZoneSettings]) -> list[ZoneSettings]:
    """The best starts of different channels, best first; more of one channel where there are no others."""
    first: list[ZoneSettings] = []
    for held in ranked:
        if all(held.channel != other.channel for other in first):
            first.append(held)
    return [*first, *(held for held in ranked if held not in first)][:_BEGUN_FROM]


def turned(settings: ZoneSettings, changes: Mapping[str, Any]) -> ZoneSettings | None:
    """Settings with some changes; None when they make no sense together."""
    try:
        return settings.turned(**changes)
    except ValidationError:
        return None


def _nearest(values: Sequence[Any], wanted: float) -> float:
    return float(min(values, key=lambda value: abs(math.log(value / wanted))))
