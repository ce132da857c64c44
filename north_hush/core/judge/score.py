"""Scores: what the alarms of some lanes are worth against the incidents of a recording.

An alarm is *real* when its span, from onset to end, meets an incident to within a tolerance, else a *nuisance*. An incident
is *met* when an alarm starts in it (to within the tolerance) or is running when it begins; further real alarms that start in
an incident already met are *repeats*. Sums over recordings are sums of these numbers, and rates come from the sums.
"""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from north_hush.core.detect.replay import Lane
from north_hush.core.footage.stamps import US_PER_S
from north_hush.core.judge.incidents import Incident

TOLERANCE_S = 1.0


@dataclass(frozen=True)
class Span:
    """An alarm in seconds."""

    onset_s: float
    start_s: float
    end_s: float


@dataclass(frozen=True)
class Score:
    """Counts over some footage.

    Attributes
    ----------
    delays_s : for each met incident, how long after its beginning the first alarm started, never below 0
    outside_s : footage outside incidents
    nuisance_s : of that, time in which any alarm ran
    """

    incidents: int = 0
    missed: tuple[str, ...] = ()
    alarms: int = 0
    nuisances: int = 0
    repeats: int = 0
    delays_s: tuple[float, ...] = ()
    footage_s: float = 0.0
    outside_s: float = 0.0
    nuisance_s: float = 0.0
    alarm_s: float = 0.0

    @property
    def met(self) -> int:
        """Incidents that were met."""
        return self.incidents - len(self.missed)

    @property
    def nuisance_per_hour(self) -> float | None:
        """Nuisance alarms an hour of footage; None without footage."""
        return 3600 * self.nuisances / self.footage_s if self.footage_s else None

    @property
    def alarm_percent(self) -> float | None:
        """Share of the time in alarm."""
        return 100 * self.alarm_s / self.footage_s if self.footage_s else None

    @property
    def nuisance_percent(self) -> float | None:
        """Share of the time outside incidents in alarm; None when there is no such time."""
        return 100 * self.nuisance_s / self.outside_s if self.outside_s else None


def spans_of(lanes: Iterable[Lane], time_us: NDArray[np.int64]) -> list[Span]:
    """All alarms of some lanes, by their start."""
    found = [
        Span(*(int(time_us[frame]) / US_PER_S for frame in (alarm.onset_frame, alarm.start_frame, alarm.end_frame)))
        for lane in lanes
        for alarm in lane.alarms
    ]
    return sorted(found, key=lambda span: (span.start_s, span.end_s))


def is_real(alarm: Span, incidents: Iterable[Incident], tolerance_s: float = TOLERANCE_S) -> bool:
    """Tell whether an alarm meets an incident."""
    return any(
        alarm.onset_s <= incident.end_s + tolerance_s and alarm.end_s >= incident.start_s - tolerance_s
        for incident in incidents
    )


def score(
    alarms: Sequence[Span], incidents: Sequence[Incident], footage_s: float, tolerance_s: float = TOLERANCE_S
) -> Score:
    """Score the alarms of one recording."""
    missed, delays, first = [], [], set()
    for incident in incidents:
        met = [
            alarm
            for alarm in alarms
            if incident.start_s - tolerance_s <= alarm.start_s <= incident.end_s + tolerance_s
            or alarm.start_s <= incident.start_s <= alarm.end_s
        ]
        if not met:
            missed.append(incident.name)
            continue
        earliest = min(met, key=lambda alarm: (alarm.start_s, alarm.end_s))
        delays.append(max(0.0, earliest.start_s - incident.start_s))
        first.add(earliest)
    nuisances = sum(not is_real(alarm, incidents, tolerance_s) for alarm in alarms)
    inside = _joined((incident.start_s - tolerance_s, incident.end_s + tolerance_s) for incident in incidents)
    inside = [(max(0.0, start), min(footage_s, end)) for start, end in inside if start < footage_s]
    ringing = _joined((alarm.start_s, alarm.end_s) for alarm in alarms)
    alarm_s = _length(ringing)
    outside_s = max(0.0, footage_s - _length(inside))
    # Time in both is the sum of both less the time in either.
    both_s = alarm_s + _length(inside) - _length(_joined([*ringing, *inside]))
    return Score(
        incidents=len(incidents),
        missed=tuple(missed),
        alarms=len(alarms),
        nuisances=nuisances,
        repeats=len(alarms) - nuisances - len(first),
        delays_s=tuple(delays),
        footage_s=footage_s,
        outside_s=outside_s,
        nuisance_s=max(0.0, alarm_s - both_s),
        alarm_s=alarm_s,
    )


def summed(scores: Iterable[Score]) -> Score:
    """The score of several recordings together."""
    total = Score()
    for part in scores:
        total = Score(
            incidents=total.incidents + part.incidents,
            missed=total.missed + part.missed,
            alarms=total.alarms + part.alarms,
            nuisances=total.nuisances + part.nuisances,
            repeats=total.repeats + part.repeats,
            delays_s=total.delays_s + part.delays_s,
            footage_s=total.footage_s + part.footage_s,
            outside_s=total.outside_s + part.outside_s,
            nuisance_s=total.nuisance_s + part.nuisance_s,
            alarm_s=total.alarm_s + part.alarm_s,
        )
    return total


def _joined(spans: Iterable[tuple[float, float]]) -> list[tuple[float, float]]:
    """Spans that overlap or touch made one, in order."""
    joined: list[tuple[float, float]] = []
    for start, end in sorted(spans):
        if joined and start <= joined[-1][1]:
            joined[-1] = (joined[-1][0], max(joined[-1][1], end))
        else:
            joined.append((start, end))
    return joined


def _length(spans: Iterable[tuple[float, float]]) -> float:
    return sum(end - start for start, end in spans)
