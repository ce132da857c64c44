"""The two numbers of a score that curves and maps ask for thousands of times: unwanted alarms and missed incidents.

The rules are those of `score`, and its alarms are held to give the same by a test; here they run over plain arrays.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from north_hush.core.compiled import compiled
from north_hush.core.judge.incidents import Truth
from north_hush.core.judge.score import TOLERANCE_S, Span, met_incidents, score


@dataclass(frozen=True)
class Tally:
    """What some alarms of one item come to, beside alarms of the others that stay as they are."""

    alarms: int
    unwanted: int
    missed: int


class Counter:
    """Counts alarms of one item against the truth of a recording."""

    def __init__(self, item: str, truth: Truth, others: Sequence[Span], tolerance_s: float = TOLERANCE_S) -> None:
        self._item, self._truth, self._tolerance_s = item, truth, tolerance_s
        self._met_by_others = np.array(met_incidents(others, truth, tolerance_s), bool)
        mine = [held.item in ("", item) for held in truth.incidents]
        self._incidents = _bounds([(held.start_s, held.end_s) for held in truth.incidents])
        self._mine = np.array(mine, bool)
        verdicts = [held for held in truth.verdicts if held.item in ("", item)]
        self._verdicts = _bounds([(held.start_s, held.end_s) for held in verdicts])
        self._unsure = np.array([held.kind == "unsure" for held in verdicts], bool)

    def count(self, times_s: NDArray[np.float64]) -> Tally:
        """Count alarms that are no crossings.

        Parameters
        ----------
        times_s : (alarms, 3) float64, onset, start and end
        """
        met = self._met_by_others.copy()
        unwanted = _count(
            np.ascontiguousarray(times_s),
            self._incidents,
            self._mine,
            self._verdicts,
            self._unsure,
            self._tolerance_s,
            met,
        )
        return Tally(len(times_s), int(unwanted), int(len(met) - met.sum()))

    def count_crossings(self, spans: Sequence[Span]) -> Tally:
        """Count crossings, which are matched one to one: as the score does it."""
        unwanted = score(spans, self._truth, 0.0, self._tolerance_s).unwanted
        met = self._met_by_others | np.array(met_incidents(spans, self._truth, self._tolerance_s), bool)
        return Tally(len(spans), unwanted, int(len(met) - met.sum()))


def _bounds(spans: list[tuple[float, float]]) -> NDArray[np.float64]:
    return np.array(spans, np.float64).reshape(-1, 2)


@compiled
def _count(
    times_s: NDArray[np.float64],
    incidents: NDArray[np.float64],
    mine: NDArray[np.bool_],
    verdicts: NDArray[np.float64],
    unsure: NDArray[np.bool_],
    tolerance_s: float,
    met: NDArray[np.bool_],
) -> int:
    """Unwanted alarms; `met` is set for the incidents that are met."""
    unwanted = 0
    for a in range(times_s.shape[0]):
        onset, start, end = times_s[a, 0], times_s[a, 1], times_s[a, 2]
        real = False
        for i in range(incidents.shape[0]):
            first, last = incidents[i, 0], incidents[i, 1]
            if not mine[i]:
                continue
            if onset <= last + tolerance_s and end >= first - tolerance_s:
                real = True
            inside = start >= first - tolerance_s and start <= last + tolerance_s
            if inside or (start <= first and end >= first):
                met[i] = True
        if real:
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
    return unwanted
