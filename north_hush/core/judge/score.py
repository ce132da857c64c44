"""Scores: what the alarms of some items are worth against the truth of a recording.

An alarm *meets* an incident when it runs in the same time, to within a tolerance, and was in its place (see `place`). It is
*real* when it meets one; else *unsure* when a verdict says so, *not judged* while the truth is not complete and no verdict is
there, or a *nuisance*, also while an incident runs elsewhere. An incident is *met by an item* it concerns when such an alarm
of that item starts in it, and *met* when any item does; what was running before counts as *already on* and meets nothing by
itself. Further real alarms are *repeats*. A crossing and an incident that is stated to be of its own wire alone are matched
one to one by time, best over all. Sums over recordings are sums of these numbers, and rates come from the sums.
"""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import dataclass, fields
from typing import Literal

import numpy as np
from numpy.typing import NDArray

from north_hush.core.judge.incidents import Incident, Truth
from north_hush.core.judge.matching import Concerns, Matches, Span, matches, verdicts_on
from north_hush.core.judge.place import TOLERANCE_S

WATCH_S = 5.0
"""What somebody sees of a nuisance before and after it: alarms closer than twice this cost no more as one than as two."""
Worth = Literal["real", "nuisance", "unsure", "not judged"]


@dataclass(frozen=True)
class Score:
    """Counts over some footage.

    Attributes
    ----------
    by_time_only : incidents whose place is not known
    pairs, missed_pairs : pairs of an incident and an item it concerns; those not met, as (item, name of the incident)
    delays_s : for each met incident, how long after its beginning the first alarm that meets it started, never below 0
    already_on : missed incidents in which an alarm was running that had started before
    unjudged : alarms nobody has judged, counted in nothing else
    footage_s : time with footage; gaps are no time
    outside_s : footage outside incidents
    quiet_s : of that, time in which any alarm ran
    watched_s : what one would watch of nuisances, each with some seconds round it, and of real alarms outside incidents
    """

    incidents: int = 0
    missed: tuple[str, ...] = ()
    by_time_only: int = 0
    pairs: int = 0
    missed_pairs: tuple[tuple[str, str], ...] = ()
    alarms: int = 0
    nuisances: int = 0
    unsure: int = 0
    unjudged: int = 0
    repeats: int = 0
    already_on: int = 0
    delays_s: tuple[float, ...] = ()
    footage_s: float = 0.0
    outside_s: float = 0.0
    quiet_s: float = 0.0
    watched_s: float = 0.0
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
    def quiet_share(self) -> float | None:
        """Share of the time outside incidents in alarm, 0..1; None when there is no such time."""
        return self.quiet_s / self.outside_s if self.outside_s else None

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


@dataclass(frozen=True, eq=False)
class Held:
    """Alarms held against what is known: the incidents they meet, and the verdicts that tell of them, (alarms, verdicts) bool."""

    met: Matches
    judged: NDArray[np.bool_]


def hold(
    alarms: Sequence[Span], truth: Truth, concerns: Concerns | None = None, tolerance_s: float = TOLERANCE_S
) -> Held:
    """Hold alarms against what is known; their score and what each is worth stand on the same."""
    return Held(matches(alarms, truth, concerns, tolerance_s), verdicts_on(alarms, truth.verdicts, tolerance_s))


def score(
    alarms: Sequence[Span],
    truth: Truth,
    footage_s: float,
    concerns: Concerns | None = None,
    tolerance_s: float = TOLERANCE_S,
    held: Held | None = None,
) -> Score:
    """Score the alarms of one recording; `held` where they were held against its truth already."""
    held = held or hold(alarms, truth, concerns, tolerance_s)
    order = sorted(range(len(alarms)), key=lambda row: (alarms[row].start_s, alarms[row].end_s, alarms[row].item))
    alarms = [alarms[row] for row in order]
    incidents = truth.incidents
    concerns = concerns or [frozenset(one.items) or None for one in incidents]
    rows = np.array(order, np.int64)
    real, meets, judged = held.met.real[rows], held.met.starts[rows], held.judged[rows]
    met: list[bool] = np.atleast_1d(meets.any(axis=0)).tolist()
    first = meets.argmax(axis=0) if alarms else np.zeros(len(incidents), np.int64)
    firsts = {int(a) for a, ok in zip(first, met, strict=True) if ok}
    delays = [max(0.0, alarms[a].start_s - one.start_s) for a, one, ok in zip(first, incidents, met, strict=True) if ok]
    other = ~real.any(axis=1)
    unsure = other & judged[:, [one.kind == "unsure" for one in truth.verdicts]].any(axis=1)
    unjudged = other & ~judged.any(axis=1) if not truth.complete else np.zeros(len(alarms), bool)
    nuisances = other & ~unsure & ~unjudged
    pairs, missed_pairs = _pairs(alarms, incidents, concerns, meets)
    inside = joined((one.start_s - tolerance_s, one.end_s + tolerance_s) for one in incidents)
    inside = [(max(0.0, start), end) for start, end in inside]
    ringing = joined((alarm.start_s, alarm.end_s) for alarm in alarms)
    running: list[bool] = np.atleast_1d(real.any(axis=0)).tolist()
    bad: list[bool] = np.atleast_1d(nuisances | unjudged).tolist()
    good: list[bool] = np.atleast_1d(~other).tolist()
    unwanted = [alarm for alarm, is_bad in zip(alarms, bad, strict=True) if is_bad]
    wanted = joined((one.start_s, one.end_s) for one, is_good in zip(alarms, good, strict=True) if is_good)
    widened = [(one.start_s - WATCH_S, one.end_s + WATCH_S) for one in unwanted]
    return Score(
        incidents=len(incidents),
        missed=tuple(one.name for one, ok in zip(incidents, met, strict=True) if not ok),
        by_time_only=sum(not one.place and not one.items for one in incidents),
        pairs=pairs,
        missed_pairs=missed_pairs,
        alarms=len(alarms),
        nuisances=int(nuisances.sum()),
        unsure=int(unsure.sum()),
        unjudged=int(unjudged.sum()),
        repeats=int((~other).sum()) - len(firsts),
        already_on=sum(bool(on) and not ok for on, ok in zip(running, met, strict=True)),
        delays_s=tuple(delays),
        footage_s=footage_s,
        outside_s=max(0.0, footage_s - _length([(start, min(end, footage_s)) for start, end in inside])),
        quiet_s=_outside(ringing, inside),
        watched_s=_length(joined([*widened, *_cut(wanted, inside)])),
        alarm_s=_length(ringing),
    )


def _pairs(
    alarms: Sequence[Span], incidents: Sequence[Incident], concerns: Concerns, meets: NDArray[np.bool_]
) -> tuple[int, tuple[tuple[str, str], ...]]:
    """How many pairs of an incident and an item it concerns there are, and which are not met. Where any item may meet an
    incident it is one pair, of no item."""
    found: list[tuple[str, str]] = []
    count = 0
    for place, (held, wanted) in enumerate(zip(incidents, concerns, strict=True)):
        met_by = {alarms[a].item for a in np.flatnonzero(meets[:, place]).tolist()}
        for item in [""] if wanted is None else sorted(wanted):
            count += 1
            if not (met_by if item == "" else item in met_by):
                found.append((item, held.name))
    return count, tuple(found)


def item_scores(
    alarms: Sequence[Span], items: Iterable[str], truth: Truth, footage_s: float, concerns: Concerns | None = None
) -> dict[str, Score]:
    """The score of each item alone: its alarms, against the incidents that concern it. What is not its own counts for it as
    no nuisance either: an alarm at the place of another item's incident is real."""
    wanted = concerns or [frozenset(held.items) or None for held in truth.incidents]
    found = {}
    for item in items:
        mine = [place for place, held in enumerate(wanted) if held is None or item in held]
        own = [span for span in alarms if span.item == item]
        whole = score(own, truth, footage_s, wanted)
        alone = score(
            [_only(span, mine) for span in own],
            truth.model_copy(update={"incidents": tuple(truth.incidents[place] for place in mine)}),
            footage_s,
            [None if (held := wanted[place]) is None else held & {item} for place in mine],
        )
        kept = ("incidents", "missed", "by_time_only", "pairs", "missed_pairs", "already_on", "delays_s")
        found[item] = Score(
            **{one.name: getattr(alone if one.name in kept else whole, one.name) for one in fields(Score)}
        )
    return found


def _only(span: Span, places: Sequence[int]) -> Span:
    """The same alarm against some incidents alone."""
    if span.lies_in is None:
        return span
    lies_in = frozenset(new for new, old in enumerate(places) if old in span.lies_in)
    return Span(span.onset_s, span.start_s, span.end_s, span.item, span.crosses, lies_in, span.trail, span.beside)


def verdicts_of(held: Held, truth: Truth) -> list[Worth]:
    """What each alarm is worth: real, nuisance, unsure, or not judged."""
    real, judged = held.met.real.any(axis=1), held.judged
    unsure = judged[:, [one.kind == "unsure" for one in truth.verdicts]].any(axis=1)
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


def joined(spans: Iterable[tuple[float, float]]) -> list[tuple[float, float]]:
    """Spans that overlap or touch made one, in order."""
    found: list[tuple[float, float]] = []
    for start, end in sorted(spans):
        if found and start <= found[-1][1]:
            found[-1] = (found[-1][0], max(found[-1][1], end))
        else:
            found.append((start, end))
    return found


def _length(spans: Iterable[tuple[float, float]]) -> float:
    return sum(max(0.0, end - start) for start, end in spans)


def _cut(spans: Sequence[tuple[float, float]], out: Sequence[tuple[float, float]]) -> list[tuple[float, float]]:
    """What is left of joined spans outside other joined ones."""
    left = []
    for start, end in spans:
        at = start
        for first, last in out:
            if last <= at or first >= end:
                continue
            if first > at:
                left.append((at, first))
            at = max(at, last)
        if at < end:
            left.append((at, end))
    return left


def _outside(spans: Sequence[tuple[float, float]], out: Sequence[tuple[float, float]]) -> float:
    return _length(_cut(spans, out))
