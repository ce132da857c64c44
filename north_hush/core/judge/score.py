"""Scores: what the alarms of some lanes are worth against the truth of a recording.

An alarm is *real* when its span, from onset to end, meets an incident to within a tolerance; *unsure* when it meets no
incident but a verdict that says so; else a *nuisance*, or *not judged* while the truth is not complete and no verdict is
there. An incident is *met* when an alarm starts in it (to within the tolerance) or is running when it begins; further real
alarms are *repeats*. A crossing and an incident of its own wire are matched one to one by time, nearest first. Sums over
recordings are sums of these numbers, and rates come from the sums.
"""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import dataclass, fields
from typing import Literal

import numpy as np
from numpy.typing import NDArray

from north_hush.core.detect.replay import Lane
from north_hush.core.footage.stamps import US_PER_S
from north_hush.core.judge.incidents import Incident, Truth, Verdict

TOLERANCE_S = 1.0
CROSSING_TOLERANCE_S = 0.8
Worth = Literal["real", "nuisance", "unsure", "not judged"]


@dataclass(frozen=True)
class Span:
    """An alarm in seconds, and whose it is."""

    onset_s: float
    start_s: float
    end_s: float
    item: str = ""
    crosses: bool = False


@dataclass(frozen=True)
class Score:
    """Counts over some footage.

    Attributes
    ----------
    delays_s : for each met incident, how long after its beginning the first alarm started, never below 0
    already_on : met incidents at whose beginning an alarm was running
    unjudged : alarms nobody has judged, counted in nothing else
    outside_s : footage outside incidents
    nuisance_s : of that, time in which any alarm ran
    """

    incidents: int = 0
    missed: tuple[str, ...] = ()
    alarms: int = 0
    nuisances: int = 0
    unsure: int = 0
    unjudged: int = 0
    repeats: int = 0
    already_on: int = 0
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
    def unwanted(self) -> int:
        """Alarms that met nothing and are not excused: nuisances, and those not judged."""
        return self.nuisances + self.unjudged

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

    def f(self, recall_bias: float = 2.0) -> float | None:
        """F = (1 + b) R P / (R + b P), with recall R the met share of incidents, precision P the share of judged alarms
        that are no nuisance, and b the recall bias: how many times a missed incident weighs a nuisance. None where
        either is not defined."""
        judged = self.alarms - self.unsure - self.unjudged
        if self.incidents == 0 or judged == 0:
            return None
        recall, precision = self.met / self.incidents, 1 - self.nuisances / judged
        below = recall + recall_bias * precision
        return (1 + recall_bias) * recall * precision / below if below else 0.0


def spans_of(lanes: Iterable[Lane], time_us: NDArray[np.int64]) -> list[Span]:
    """All alarms of some lanes, by their start."""
    seconds = time_us / US_PER_S
    found = [
        Span(
            float(seconds[alarm.onset_frame]),
            float(seconds[alarm.start_frame]),
            float(seconds[alarm.end_frame]),
            lane.zone_id,
            alarm.ended_by == "crossed",
        )
        for lane in lanes
        for alarm in lane.alarms
    ]
    return sorted(found, key=lambda span: (span.start_s, span.end_s, span.item))


def meetings(
    alarms: Sequence[Span], spans: Sequence[Incident | Verdict], tolerance_s: float = TOLERANCE_S
) -> NDArray[np.bool_]:
    """Which alarms meet which incidents or verdicts to within a tolerance, (alarms, spans) bool."""
    onset, _, end = _times(alarms)
    starts, ends = _spans(spans)
    over = (onset[:, None] <= ends + tolerance_s) & (end[:, None] >= starts - tolerance_s)
    return np.asarray(over & _same_item(alarms, spans))


def _started(alarms: Sequence[Span], incidents: Sequence[Incident], tolerance_s: float) -> NDArray[np.bool_]:
    """Which alarms start in which incidents, or run when they begin."""
    _, start, end = _times(alarms)
    starts, ends = _spans(incidents)
    inside = (start[:, None] >= starts - tolerance_s) & (start[:, None] <= ends + tolerance_s)
    running = (start[:, None] <= starts) & (end[:, None] >= starts)
    return np.asarray((inside | running) & _same_item(alarms, incidents))


def _paired(alarms: Sequence[Span], incidents: Sequence[Incident]) -> tuple[NDArray[np.bool_], NDArray[np.bool_]]:
    """Pairs of a crossing and an incident of its own wire, one to one, and all that could have been such a pair."""
    own = np.array([[span.crosses and span.item == held.item for held in incidents] for span in alarms], bool)
    own = own.reshape(len(alarms), len(incidents))
    pairs = np.zeros_like(own)
    _, start, _ = _times(alarms)
    starts, ends = _spans(incidents)
    apart = np.maximum(np.maximum(starts - start[:, None], start[:, None] - ends), 0.0)
    wanted = np.argwhere(own & (apart <= CROSSING_TOLERANCE_S))
    middles = (starts + ends) / 2
    for a, i in sorted(wanted.tolist(), key=lambda pair: (apart[*pair], abs(start[pair[0]] - middles[pair[1]]), *pair)):
        if not pairs[a].any() and not pairs[:, i].any():
            pairs[a, i] = True
    return pairs, own


def _matches(
    alarms: Sequence[Span], incidents: Sequence[Incident], tolerance_s: float
) -> tuple[NDArray[np.bool_], NDArray[np.bool_]]:
    """Which alarms are real by which incidents, and which meet them, (alarms, incidents) bool each."""
    pairs, own = _paired(alarms, incidents)
    real = (meetings(alarms, incidents, tolerance_s) & ~own) | pairs
    return real, (_started(alarms, incidents, tolerance_s) & ~own) | pairs


def _verdicts_on(alarms: Sequence[Span], verdicts: Sequence[Verdict], tolerance_s: float) -> NDArray[np.bool_]:
    """Which verdicts tell of which alarms, (alarms, verdicts) bool: those it overlaps; where there are none, those near."""
    over = meetings(alarms, verdicts, 0.0)
    told = over.any(axis=1, keepdims=True)
    return np.asarray(over | (meetings(alarms, verdicts, tolerance_s) & ~told))


def met_incidents(alarms: Sequence[Span], truth: Truth, tolerance_s: float = TOLERANCE_S) -> list[bool]:
    """Tell of each incident whether an alarm meets it."""
    meets = _matches(alarms, truth.incidents, tolerance_s)[1]
    return [bool(met) for met in np.atleast_1d(meets.any(axis=0))]


def score(alarms: Sequence[Span], truth: Truth, footage_s: float, tolerance_s: float = TOLERANCE_S) -> Score:
    """Score the alarms of one recording."""
    alarms = sorted(alarms, key=lambda span: (span.start_s, span.end_s, span.item))
    incidents = truth.incidents
    real, meets = _matches(alarms, incidents, tolerance_s)
    met: list[bool] = np.atleast_1d(meets.any(axis=0)).tolist()
    first = meets.argmax(axis=0) if alarms else np.zeros(len(incidents), np.int64)
    delays = [
        max(0.0, alarms[a].start_s - held.start_s) for a, held, ok in zip(first, incidents, met, strict=True) if ok
    ]
    other = ~real.any(axis=1)
    judged = _verdicts_on(alarms, truth.verdicts, tolerance_s)
    unsure = other & judged[:, [held.kind == "unsure" for held in truth.verdicts]].any(axis=1)
    unjudged = other & ~judged.any(axis=1) if not truth.complete else np.zeros(len(alarms), bool)
    nuisances = int((other & ~unsure & ~unjudged).sum())
    inside = _joined((held.start_s - tolerance_s, held.end_s + tolerance_s) for held in incidents)
    inside = [(max(0.0, start), min(footage_s, end)) for start, end in inside if start < footage_s]
    ringing = _joined((alarm.start_s, alarm.end_s) for alarm in alarms)
    alarm_s = _length(ringing)
    # Time in both is the sum of both less the time in either.
    both_s = alarm_s + _length(inside) - _length(_joined([*ringing, *inside]))
    return Score(
        incidents=len(incidents),
        missed=tuple(held.name for held, ok in zip(incidents, met, strict=True) if not ok),
        alarms=len(alarms),
        nuisances=nuisances,
        unsure=int(unsure.sum()),
        unjudged=int(unjudged.sum()),
        repeats=int((~other).sum()) - len(set(first[np.array(met, bool)].tolist())),
        already_on=sum(
            alarms[a].start_s <= held.start_s <= alarms[a].end_s
            for a, held, ok in zip(first, incidents, met, strict=True)
            if ok
        ),
        delays_s=tuple(delays),
        footage_s=footage_s,
        outside_s=max(0.0, footage_s - _length(inside)),
        nuisance_s=max(0.0, alarm_s - both_s),
        alarm_s=alarm_s,
    )


def item_scores(
    alarms: Sequence[Span], items: Iterable[str], truth: Truth, footage_s: float, tolerance_s: float = TOLERANCE_S
) -> dict[str, Score]:
    """The score of each item alone: its alarms, against the incidents of the whole view and its own."""
    found = {}
    for item in items:
        mine = truth.model_copy(
            update={"incidents": tuple(held for held in truth.incidents if held.item in ("", item))}
        )
        found[item] = score([span for span in alarms if span.item == item], mine, footage_s, tolerance_s)
    return found


def verdicts_of(alarms: Sequence[Span], truth: Truth, tolerance_s: float = TOLERANCE_S) -> list[Worth]:
    """What each alarm is worth: real, nuisance, unsure, or not judged."""
    real = _matches(alarms, truth.incidents, tolerance_s)[0].any(axis=1)
    judged = _verdicts_on(alarms, truth.verdicts, tolerance_s)
    unsure = judged[:, [held.kind == "unsure" for held in truth.verdicts]].any(axis=1)
    known = judged.any(axis=1) | truth.complete
    worth: list[Worth] = []
    for is_real_, is_unsure, is_known in zip(
        np.atleast_1d(real).tolist(), np.atleast_1d(unsure).tolist(), np.atleast_1d(known).tolist(), strict=True
    ):
        worth.append("real" if is_real_ else "unsure" if is_unsure else "nuisance" if is_known else "not judged")
    return worth


def summed(scores: Iterable[Score]) -> Score:
    """The score of several recordings together."""
    total = Score()
    for part in scores:
        total = Score(*(getattr(total, held.name) + getattr(part, held.name) for held in fields(Score)))
    return total


def _times(alarms: Sequence[Span]) -> NDArray[np.float64]:
    return np.array([(span.onset_s, span.start_s, span.end_s) for span in alarms], np.float64).reshape(-1, 3).T


def _spans(spans: Sequence[Incident | Verdict]) -> NDArray[np.float64]:
    return np.array([(held.start_s, held.end_s) for held in spans], np.float64).reshape(-1, 2).T


def _same_item(alarms: Sequence[Span], spans: Sequence[Incident | Verdict]) -> NDArray[np.bool_]:
    items, wanted = np.array([span.item for span in alarms], object), np.array([held.item for held in spans], object)
    same: NDArray[np.bool_] = (wanted[None, :] == "") | (items[:, None] == wanted[None, :])
    return same.astype(bool)


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
