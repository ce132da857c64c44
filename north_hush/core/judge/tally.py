"""The few numbers of a score that curves, maps and the search ask for thousands of times, for one item.

The rules are those of `score`, and its alarms are held to give the same by a test; here they run over plain arrays.
"""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from north_hush.core.compiled import compiled
from north_hush.core.judge.incidents import Truth
from north_hush.core.judge.matching import Concerns, Span, met_incidents
from north_hush.core.judge.place import TOLERANCE_S
from north_hush.core.judge.score import WATCH_S, item_scores, joined


@dataclass(frozen=True)
class Tally:
    """What some alarms of one item come to, beside alarms of the others that stay as they are.

    Attributes
    ----------
    missed : incidents that no item meets
    pairs, missed_here : incidents that concern the item, and those of them it does not meet
    watched_s : see `Score`
    delays_s, met_here : sum of the delays of those it meets, and how many they are
    """

    alarms: int
    unwanted: int
    missed: int
    pairs: int
    missed_here: int
    watched_s: float
    delays_s: float
    met_here: int


class Counter:
    """Counts alarms of one item against the truth of a recording."""

    def __init__(self, item: str, truth: Truth, others: Sequence[Span], concerns: Concerns | None = None) -> None:
        self._item, self._truth = item, truth
        self._concerns: Concerns = concerns or [frozenset(held.items) or None for held in truth.incidents]
        self._met_by_others = np.array(met_incidents(others, truth, self._concerns), bool)
        self._incidents = _bounds((held.start_s, held.end_s) for held in truth.incidents)
        inside = joined((held.start_s - TOLERANCE_S, held.end_s + TOLERANCE_S) for held in truth.incidents)
        self._inside = _bounds((max(0.0, start), end) for start, end in inside)
        self._mine = np.array([held is None or item in held for held in self._concerns], bool)
        self._open = self._mine | np.array([not held.items for held in truth.incidents], bool)
        verdicts = [held for held in truth.verdicts if held.item in ("", item)]
        self._verdicts = _bounds((held.start_s, held.end_s) for held in verdicts)
        self._unsure = np.array([held.kind == "unsure" for held in verdicts], bool)

    def count(self, times_s: NDArray[np.float64], lies: NDArray[np.bool_]) -> Tally:
        """Count alarms that are no crossings.

        Parameters
        ----------
        times_s : (alarms, 3) float64, onset, start and end, by start
        lies : (alarms, incidents) bool, which were where which incidents were
        """
        met = np.zeros(len(self._incidents), np.bool_)
        unwanted, watched_s, delays_s = _count(
            np.ascontiguousarray(times_s),
            np.ascontiguousarray(lies),
            self._incidents,
            self._inside,
            self._mine,
            self._open,
            self._verdicts,
            self._unsure,
            TOLERANCE_S,
            WATCH_S,
            met,
        )
        return self._tally(len(times_s), int(unwanted), met, watched_s, delays_s)

    def count_crossings(self, spans: Sequence[Span]) -> Tally:
        """Count crossings, which are matched one to one: as the score does it."""
        found = item_scores(spans, [self._item], self._truth, 0.0, self._concerns)[self._item]
        met = np.array(met_incidents(spans, self._truth, self._concerns), bool)
        return self._tally(len(spans), found.unwanted, met, found.watched_s, sum(found.delays_s))

    def _tally(self, alarms: int, unwanted: int, met: NDArray[np.bool_], watched_s: float, delays_s: float) -> Tally:
        here = int((met & self._mine).sum())
        pairs = int(self._mine.sum())
        missed = int((~(met | self._met_by_others)).sum())
        return Tally(alarms, unwanted, missed, pairs, pairs - here, float(watched_s), float(delays_s), here)


def _bounds(spans: Iterable[tuple[float, float]]) -> NDArray[np.float64]:
    return np.array(list(spans), np.float64).reshape(-1, 2)


@compiled
def _count(
    times_s: NDArray[np.float64],
    lies: NDArray[np.bool_],
    incidents: NDArray[np.float64],
    inside: NDArray[np.float64],
    mine: NDArray[np.bool_],
    open_to: NDArray[np.bool_],
    verdicts: NDArray[np.float64],
    unsure: NDArray[np.bool_],
    tolerance_s: float,
    watch_s: float,
    met: NDArray[np.bool_],
) -> tuple[int, float, float]:
    """Unwanted alarms, seconds watched and sum of delays; `met` is set for the incidents that are met."""
    unwanted, delays_s = 0, 0.0
    pieces = np.empty((times_s.shape[0] * (incidents.shape[0] + 1), 2), np.float64)
    made = 0
    for a in range(times_s.shape[0]):
        onset, start, end = times_s[a, 0], times_s[a, 1], times_s[a, 2]
        real = False
        for i in range(incidents.shape[0]):
            first, last = incidents[i, 0], incidents[i, 1]
            if not (lies[a, i] and open_to[i] and onset <= last + tolerance_s and end >= first - tolerance_s):
                continue
            real = True
            if mine[i] and not met[i] and start >= first - tolerance_s and start <= last + tolerance_s:
                met[i] = True
                delays_s += max(0.0, start - first)
        if real:  # what of it lies outside incidents
            at = start
            for i in range(inside.shape[0]):
                first, last = inside[i, 0], inside[i, 1]
                if last <= at or first >= end:
                    continue
                if first > at:
                    pieces[made, 0], pieces[made, 1] = at, first
                    made += 1
                at = max(at, last)
            if at < end:
                pieces[made, 0], pieces[made, 1] = at, end
                made += 1
            continue
        # Verdicts the alarm overlaps tell of it; where there are none, those near.
        over, over_unsure, near_unsure = False, False, False
        for v in range(verdicts.shape[0]):
            first, last = verdicts[v, 0], verdicts[v, 1]
            if onset <= last and end >= first:
                over, over_unsure = True, over_unsure or unsure[v]
            if onset <= last + tolerance_s and end >= first - tolerance_s:
                near_unsure = near_unsure or unsure[v]
        if not (over_unsure if over else near_unsure):
            unwanted += 1
            pieces[made, 0], pieces[made, 1] = start - watch_s, end + watch_s
            made += 1
    watched_s = 0.0
    reached = -1e18
    for p in np.argsort(pieces[:made, 0]):
        watched_s += max(0.0, pieces[p, 1] - max(reached, pieces[p, 0]))
        reached = max(reached, pieces[p, 1])
    return unwanted, watched_s, delays_s
