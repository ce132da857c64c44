"""What settings of the items of a view come to on its recordings, and what that costs: the loss a search makes small."""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field, replace

import numpy as np

from north_hush.core.advise.aim import Aim, Case, loss, turned_by, weights_of
from north_hush.core.detect.dials import dial_of
from north_hush.core.detect.settings import FACTORY, ZoneSettings
from north_hush.core.evaluate.evaluator import Evaluator
from north_hush.core.footage.options import Channel
from north_hush.core.footage.stamps import US_PER_S
from north_hush.core.judge.ground import Grounds, frames_of
from north_hush.core.judge.score import Score
from north_hush.core.judge.tally import Counter, Tally
from north_hush.core.scene.items import Watcher
from north_hush.core.scene.plan import Plan, is_crossed, watcher_id

_ASIDE = 1.25
"""How far to either side the loss is looked at too."""
_ASIDE_FIELDS = ("change_limit_grey", "start_percent", "clear_percent")

Settings = dict[str, ZoneSettings]


@dataclass(eq=False)
class Weighing:
    """Some recordings of a view, and what settings come to on them; what was worked out is kept."""

    cases: Sequence[Case]
    plan: Plan
    present: Mapping[str, ZoneSettings]
    evaluator: Evaluator = field(default_factory=Evaluator)
    _tallies: dict[tuple[str, str, ZoneSettings], Tally] = field(default_factory=dict, init=False)
    _counters: dict[tuple[str, str], Counter] = field(default_factory=dict, init=False)
    _grounds: dict[tuple[str, str, Channel, int], Grounds] = field(default_factory=dict, init=False)

    def __post_init__(self) -> None:
        self.steering = [case for case in self.cases if case.truth.known]

    def score_of(self, settings: Settings) -> list[Score]:
        """Scores of all recordings under some settings."""
        return [self.score_on(case, settings) for case in self.cases]

    def score_on(self, case: Case, settings: Settings) -> Score:
        """Score of one recording under some settings."""
        return self.evaluator.evaluate(case.evidence, self.plan, settings, case.truth).score

    def tally(self, case: Case, item: str, settings: ZoneSettings) -> Tally:
        """What settings of one item come to on a recording, by itself."""
        key = (case.name + case.evidence.key, item, settings)
        held = self._tallies.get(key)
        if held is None:
            held = self._tallies[key] = self._counted(case, item, settings)
        return held

    def _counted(self, case: Case, item: str, settings: ZoneSettings) -> Tally:
        watcher, evidence = self.watcher(item), case.evidence
        place = (case.name + evidence.key, item)
        counter = self._counters.get(place)
        if counter is None:
            concerns = self.evaluator.concerns(case.truth, self.plan, evidence.grid)
            counter = self._counters[place] = Counter(item, case.truth, (), concerns)
        lane = self.evaluator.lane(evidence, watcher, self.plan, {item: settings})
        if is_crossed(watcher):
            return counter.count_crossings(self.evaluator.spans(evidence, self.plan, lane, case.truth))
        times_s = np.array([(held.onset_us, held.start_us, held.end_us) for held in lane.alarms], np.float64)
        lies = self._grounds_of(case, watcher, settings).meet(frames_of(lane))
        return counter.count(times_s.reshape(-1, 3) / US_PER_S, lies)

    def _grounds_of(self, case: Case, watcher: Watcher | None, settings: ZoneSettings) -> Grounds:
        """Kept here, since thousands of settings have the same channel and change limit."""
        key = (
            case.name + case.evidence.key,
            watcher_id(watcher),
            settings.stored_channel,
            settings.change_limit_quarters,
        )
        found = self._grounds.get(key)
        if found is None:
            every = self.evaluator.grounds(case.evidence, watcher, self.plan, settings, case.truth.incidents)
            found = self._grounds[key] = Grounds.of(every)
        return found

    def watcher(self, item: str) -> Watcher | None:
        """A zone or wire by its id."""
        return next(held for held in self.plan.watchers if watcher_id(held) == item)

    def loss(self, cases: Sequence[Case], item: str, settings: ZoneSettings, aim: Aim, most: float = math.inf) -> float:
        """The loss of an item's settings alone; infinite as soon as it is sure to reach `most`."""
        turned = turned_by(settings, self.present.get(item, FACTORY))
        known: list[tuple[Tally, float]] = []
        for case, weight in zip(cases, weights_of(cases), strict=True):
            known.append((self.tally(case, item, settings), weight))
            if most < math.inf and loss(known, replace(aim, per_delay_s=0.0), turned) >= most:
                return math.inf
        return loss(known, aim, turned)

    def blunt_loss(
        self, cases: Sequence[Case], item: str, settings: ZoneSettings, aim: Aim, most: float = math.inf
    ) -> float:
        """The loss of settings and of those a quarter to either side together; infinite as soon as it is sure to reach `most`."""
        total = self.loss(cases, item, settings, aim, most)
        for held in beside(settings):
            if total >= most:
                return math.inf
            total += self.loss(cases, item, held, replace(aim, missed=aim.missed_aside), most - total)
        return total


def beside(settings: ZoneSettings) -> tuple[ZoneSettings, ZoneSettings]:
    """Settings a quarter louder and a quarter quieter in change limit and levels."""
    found = []
    for factor in (1 / _ASIDE, _ASIDE):
        changes = {}
        for name in _ASIDE_FIELDS:
            dial, value = dial_of(name), getattr(settings, name) * factor
            changes[name] = round(min(dial.high, max(dial.low, round(value / dial.grain) * dial.grain)), 4)
        changes["clear_percent"] = min(changes["clear_percent"], changes["start_percent"])
        found.append(settings.turned(**changes))
    return found[0], found[1]
