"""Response curves: what each value of a dial would do, all else equal; and the least turn that silences one alarm."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from functools import cached_property

import numpy as np

from north_hush.core.courtesy import give_way
from north_hush.core.detect.alarms import Alarm
from north_hush.core.detect.dials import Dial, ladder, stepped
from north_hush.core.detect.lane import Lane
from north_hush.core.detect.settings import FACTORY, ZoneSettings
from north_hush.core.evaluate.armed import Armed, armed_lane
from north_hush.core.evaluate.evaluator import Evaluator
from north_hush.core.evaluate.switched import Switched
from north_hush.core.follow.visits import needs_tracks
from north_hush.core.footage.evidence import Evidence
from north_hush.core.footage.stamps import US_PER_S
from north_hush.core.judge.incidents import Truth
from north_hush.core.judge.ledger import ledger
from north_hush.core.judge.matching import Concerns, Span
from north_hush.core.judge.score import Score, score
from north_hush.core.judge.tally import Counter, Tally
from north_hush.core.scene.items import Watcher
from north_hush.core.scene.plan import Plan, is_crossed, watcher_id

RUNGS = 33
RUNGS_FOLLOWED = 13
"""A change limit at which patches have to be found anew is asked at fewer values."""
_AROUND_US = 20_000_000


@dataclass(frozen=True)
class Curve:
    """What values of a dial would do, from loud to quiet.

    Attributes
    ----------
    alarms : alarms of the item
    unwanted : of these, nuisances and those nobody judged
    missed : incidents of the recording that all items together would miss
    watched_s : seconds one would watch of what is unwanted, see `Score`; alarms that run together are watched as long
    """

    field: str
    values: tuple[float, ...]
    alarms: tuple[int, ...]
    unwanted: tuple[int, ...]
    missed: tuple[int, ...]
    watched_s: tuple[float, ...]


@dataclass(frozen=True)
class Turn:
    """A dial turned just so far that one alarm is gone, and what that costs.

    Attributes
    ----------
    silenced : unwanted alarms fewer, that one included; none where they only run together
    lost : names of incidents met now and missed then
    """

    field: str
    value: float
    silenced: int
    lost: tuple[str, ...]


@dataclass(frozen=True, eq=False)
class WhatIf:
    """One item of a view on one recording, with everything else as it is: what values of its dials would do."""

    evaluator: Evaluator
    evidence: Evidence
    watcher: Watcher | None
    plan: Plan
    settings: ZoneSettings
    truth: Truth
    others: tuple[Span, ...] = ()
    """Alarms of the other items."""
    armed: Armed | None = None
    """When alarms count; None: always. What is known is of that time then."""
    over: Switched | None = None
    """All dials, where they change over the recording: those of the tuning that is shown are turned in its own hours alone."""

    @cached_property
    def _counter(self) -> Counter:
        return Counter(watcher_id(self.watcher), self.truth, self.others, self._concerns)

    @cached_property
    def _concerns(self) -> Concerns:
        return self.evaluator.concerns(self.truth, self.plan, self.evidence.grid)

    def tally(self, settings: ZoneSettings) -> Tally:
        """What the item's alarms would come to under other settings: a score's two numbers, at a fraction of its price."""
        lane = self._lane(settings)
        give_way()
        if is_crossed(self.watcher):
            return self._counter.count_crossings(self._spans_of(lane))
        times = np.array([(held.onset_us, held.start_us, held.end_us) for held in lane.alarms], np.float64)
        lies = self.evaluator.lies(self.evidence, self.plan, lane, self.truth)
        return self._counter.count(times.reshape(-1, 3) / US_PER_S, lies)

    def _lane(self, settings: ZoneSettings) -> Lane:
        item = watcher_id(self.watcher)
        dials: Mapping[str, ZoneSettings] = {item: settings} if self.over is None else self.over.turned(item, settings)
        lane = self.evaluator.lane(self.evidence, self.watcher, self.plan, dials)
        return lane if self.armed is None else armed_lane(lane, self.armed, self.evidence)

    def spans(self, settings: ZoneSettings) -> list[Span]:
        """Alarms of the item under other settings."""
        return self._spans_of(self._lane(settings))

    def _spans_of(self, lane: Lane) -> list[Span]:
        return self.evaluator.spans(self.evidence, self.plan, lane, self.truth)

    def follows(self, dial: Dial) -> bool:
        """Tell whether each value of a dial makes patches be found anew."""
        return dial.field == "change_limit_grey" and needs_tracks(self.watcher, self.settings)

    def curve(self, dial: Dial, rungs: int = RUNGS) -> Curve:
        """The response curve of a dial, at about so many values."""
        now, factory = (float(getattr(held, dial.field)) for held in (self.settings, FACTORY))
        values = ladder(dial, min(rungs, RUNGS_FOLLOWED) if self.follows(dial) else rungs, now, factory)
        rows = []
        for value in values:
            give_way()
            found = self.tally(self.settings.turned(**{dial.field: dial.number(value)}))
            rows.append((found.alarms, found.unwanted, found.missed, round(found.watched_s, 3)))
        columns = zip(*rows, strict=True)
        return Curve(dial.field, tuple(values), *columns)

    def least_turn(self, dial: Dial, alarm: Alarm) -> Turn | None:
        """The least turn to the quiet side after which no alarm of the item runs within that one's span; None when no
        value does it. Steps grow until it is silent, then the last is halved. Looked for on the footage around the alarm,
        and held against the whole of it."""
        time_us = self.evidence.time_us
        first_us, last_us = int(time_us[alarm.onset_frame]), int(time_us[alarm.end_frame])
        reach = np.searchsorted(time_us, (first_us - _AROUND_US, last_us + _AROUND_US // 4))
        around = replace(self, evidence=self.evidence.between(*reach.tolist()))

        def silent(where: WhatIf, value: float) -> bool:
            found = where._lane(self.settings.turned(**{dial.field: dial.number(value)})).alarms
            return not any(held.onset_us <= last_us and held.end_us >= first_us for held in found)

        loud = float(getattr(self.settings, dial.field))
        steps, quiet = 1, stepped(dial, loud, 1)
        while quiet != loud and not silent(around, quiet):
            steps *= 2
            loud, quiet = quiet, _quieter(dial, quiet, steps)
        if quiet == loud:
            return None
        while (middle := dial.between(loud, quiet)) is not None:
            loud, quiet = (loud, middle) if silent(around, middle) else (middle, quiet)
        while not silent(self, quiet):
            loud, quiet = quiet, stepped(dial, quiet, 1)
            if quiet == loud:
                return None
        before = [*self.spans(self.settings), *self.others]
        after = [*self.spans(self.settings.turned(**{dial.field: dial.number(quiet)})), *self.others]
        now, then = self._score(before), self._score(after)
        silenced = now.unwanted - then.unwanted if then.watched_s < now.watched_s else 0
        lost = ledger(before, after, self.truth, self._concerns).lost_incidents
        return Turn(dial.field, quiet, silenced, lost)

    def _score(self, spans: Sequence[Span]) -> Score:
        return score(spans, self.truth, self.evidence.footage_s, self._concerns)


def _quieter(dial: Dial, value: float, steps: int) -> float:
    for _ in range(steps):
        value = stepped(dial, value, 1)
    return value
