"""Intervals of rates, so that little truth does not look like much."""

from __future__ import annotations

import math

from scipy import stats

CONFIDENCE = 0.95


def share_interval(met: int, of: int) -> tuple[float, float] | None:
    """95 % interval of a share (Wilson 1927), 0..1; None of nothing."""
    if of == 0:
        return None
    z = float(stats.norm.ppf((1 + CONFIDENCE) / 2))
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
    low = float(stats.chi2.ppf(tail, 2 * events)) / 2 if events else 0.0
    high = float(stats.chi2.ppf(1 - tail, 2 * events + 2)) / 2
    return low / hours, high / hours
