"""Intervals of rates, so that little truth does not look like much."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass
from statistics import NormalDist

import numpy as np

from north_hush.core.judge.score import Score

CONFIDENCE = 0.95
_DRAWS = 1000


@dataclass(frozen=True)
class Day:
    """What a day would bring, each recording counting for the hours of a day it stands for.

    Attributes
    ----------
    hours : of the day, that recordings stand for
    nuisances, alarms : in these hours
    clips_h : hours in alarm, which is what would be recorded without time before and after
    """

    hours: float
    nuisances: float
    alarms: float
    clips_h: float


def day_of(scores: Sequence[tuple[Score, float | None]]) -> Day | None:
    """A day made of recordings, from their scores and the hours of a day each stands for; None unless all have some."""
    if not scores or any(hours is None or not held.footage_s for held, hours in scores):
        return None
    per_s = [(held, (hours or 0.0) / held.footage_s) for held, hours in scores]
    return Day(
        hours=sum(hours or 0.0 for _, hours in scores),
        nuisances=sum(3600 * held.nuisances * share for held, share in per_s),
        alarms=sum(3600 * held.alarms * share for held, share in per_s),
        clips_h=sum(held.alarm_s * share for held, share in per_s),
    )


def day_weights(footage: Sequence[tuple[float, float | None]]) -> list[float]:
    """How much a second of each recording counts, from seconds of footage and the hours of a day each stands for: hours by
    seconds, scaled so that all footage together counts as it is. 1 each unless all have both."""
    if not footage or any(hours is None or not footage_s for footage_s, hours in footage):
        return [1.0] * len(footage)
    shares = [(hours or 0.0) / footage_s for footage_s, hours in footage]
    total = sum(share * footage_s for share, (footage_s, _) in zip(shares, footage, strict=True))
    return [share * sum(footage_s for footage_s, _ in footage) / total for share in shares]


def met_interval(scores: Sequence[Score]) -> tuple[float, float] | None:
    """95 % interval of the share of incidents met, 0..1: the wider of that of single incidents (Wilson) and that of whole
    recordings drawn again and again, since what is missed comes in clusters. None of nothing."""
    plain = share_interval(sum(held.met for held in scores), sum(held.incidents for held in scores))
    if plain is None or len(scores) < 2:
        return plain
    return _wider(plain, resampled([(held.met, held.incidents) for held in scores]))


def nuisance_interval(scores: Sequence[Score]) -> tuple[float, float] | None:
    """95 % interval of nuisance alarms an hour: the wider of Garwood's and that of whole recordings drawn again and again."""
    hours = sum(held.footage_s for held in scores) / 3600
    plain = rate_interval(sum(held.nuisances for held in scores), hours)
    if plain is None or len(scores) < 2:
        return plain
    return _wider(plain, resampled([(held.nuisances, held.footage_s / 3600) for held in scores]))


def _wider(first: tuple[float, float], second: tuple[float, float] | None) -> tuple[float, float]:
    return first if second is None else (min(first[0], second[0]), max(first[1], second[1]))


def resampled(parts: Sequence[tuple[float, float]]) -> tuple[float, float] | None:
    """95 % interval of a ratio of sums over clusters drawn with replacement (bootstrap, Efron 1979), from a fixed seed."""
    held = np.array(parts, np.float64)
    drawn = np.random.default_rng(1).integers(len(held), size=(_DRAWS, len(held)))
    sums = held[drawn].sum(axis=1)
    sums = sums[sums[:, 1] > 0]
    if len(sums) == 0:
        return None
    tail = 50 * (1 - CONFIDENCE)
    low, high = np.percentile(sums[:, 0] / sums[:, 1], (tail, 100 - tail)).tolist()
    return low, high


def share_interval(met: int, of: int) -> tuple[float, float] | None:
    """95 % interval of a share (Wilson 1927), 0..1; None of nothing."""
    if of == 0:
        return None
    z = NormalDist().inv_cdf((1 + CONFIDENCE) / 2)
    share, scaled = met / of, z * z / of
    middle = (share + scaled / 2) / (1 + scaled)
    reach = z / (1 + scaled) * math.sqrt(share * (1 - share) / of + scaled / (4 * of))
    # At the ends the formula meets 0 and 1 exactly; rounding must not pass them.
    return (0.0 if met == 0 else max(0.0, middle - reach), 1.0 if met == of else min(1.0, middle + reach))


def rate_interval(events: int, hours: float) -> tuple[float, float] | None:
    """95 % interval of events an hour (Garwood 1936, exact for Poisson counts); None of no time."""
    if hours <= 0:
        return None
    tail = (1 - CONFIDENCE) / 2
    from scipy import special  # takes long to import, and no window waits for it

    # Half a chi-squared quantile of 2 k degrees is a quantile of the gamma distribution of shape k.
    low = float(special.gammaincinv(events, tail)) if events else 0.0
    high = float(special.gammaincinv(events + 1, 1 - tail))
    return low / hours, high / hours
