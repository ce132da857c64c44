"""Find quiet settings: search the free dials over all recordings for settings that keep every incident.

Each item is searched alone, since what it misses and what it raises unwanted is its own. It starts from the present settings
and from a plain grid: channels, change limits some times the noise of its own cells, start levels, and waits. From the best of
different channels every free dial is tried at every value of a short ladder, one after the other, until nothing gets better
(coordinate descent), with jumps of two or three dials at once in between, drawn from a fixed seed: the same input gives the
same result.

What is made small is the loss (see `aim`) at the settings themselves and a quarter to either side of them together, as if
contrast and size were a quarter less or more: so it seeks the middle of where it is quiet, not its edge. Whether it may turn all
dials or the simple ones alone is decided by recordings that are left out: each set is searched without each recording in turn,
and scored on it.
"""

from __future__ import annotations

import math
import random
from collections.abc import Callable, Iterator, Mapping, Sequence
from dataclasses import dataclass, field, replace
from typing import Any

from north_hush.core.advise.aim import AIMS, SIMPLE_FIELDS, TRIED, Aim, Case
from north_hush.core.advise.robustness import Check, checks_of
from north_hush.core.advise.starts import of_each_channel, plain_starts, turned
from north_hush.core.advise.weighing import Settings, Weighing
from north_hush.core.detect.dials import CHOICES_TRIED, dial_of
from north_hush.core.detect.settings import FACTORY, ZoneSettings
from north_hush.core.judge.score import Score, summed
from north_hush.core.scene.items import Wire
from north_hush.core.scene.plan import is_crossed, watcher_id
from north_hush.core.words import tr

_ROUNDS, _JUMPS = 3, 100
_BETTER = 1e-6
_CLEARLY = 0.8
"""What the simple dials must lose at most, of what all of them do, to be preferred: on few recordings it is mostly chance."""
_SOFT_MISSED, _SOFT_ASIDE = 60.0, 20.0


@dataclass(frozen=True)
class Proposal:
    """Settings found, what they score on the footage they were found on, and what was checked of them.

    Attributes
    ----------
    changed : item, field and new value of each setting that differs from the present ones
    checks : how the score stands on what was left out, and where the evidence is changed a little
    """

    aim: Aim
    settings: Settings
    score: Score
    scores: tuple[Score, ...]
    changed: tuple[tuple[str, str, Any], ...]
    checks: tuple[Check, ...] = ()
    warnings: tuple[str, ...] = ()


@dataclass(eq=False)
class Search(Weighing):
    """One search over some recordings of a view. Recordings of which nothing is known steer nothing."""

    free: Mapping[str, tuple[str, ...]] = field(default_factory=dict)
    """Fields that may change, by item; an item that is not named is free in all."""
    cancelled: Callable[[], bool] = lambda: False
    report: Callable[[float], None] = lambda share: None

    # --- proposals --------------------------------------------------------------------------------------------------

    def proposals(self) -> list[Proposal]:
        """Distinct proposals, one for each aim; fewer when the search is cancelled."""
        cases, found = self.steering, list[Proposal]()
        folds = [[held for held in cases if held is not case] for case in cases] if len(cases) > 1 else []
        steps = len(AIMS) + 2 * len(folds)
        done = _Steps(self.report, steps)
        chosen, unseen = self._field_set(cases, folds, done)
        for aim in AIMS:
            fields = chosen if aim.fields == tuple(TRIED) else aim.fields
            settings = self._descended(cases, replace(aim, fields=fields), done)
            if self.cancelled():
                break
            if all(settings != held.settings for held in found):
                left_out = [
                    Check(tr("{name} left out", name=case.name), held)
                    for case, held in zip(cases, unseen, strict=False)
                ]
                found.append(self._proposal(settings, aim, left_out if aim is AIMS[0] else []))
        return found

    def unseen_scores(self) -> list[Score | None]:
        """For each recording its score under settings that were chosen on the others alone, by the first aim; None where
        the others know of no truth. Fewer when the search is cancelled."""
        done = _Steps(self.report, 3 * len(self.cases))
        found: list[Score | None] = []
        for case in self.cases:
            others = [held for held in self.steering if held is not case]
            if not others:
                found.append(None)
                continue
            folds = [[held for held in others if held is not out] for out in others] if len(others) > 1 else []
            fields, _ = self._field_set(others, folds, done)
            settings = self._descended(others, replace(AIMS[0], fields=fields), done)
            if self.cancelled():
                break
            found.append(self.score_on(case, settings))
        return found

    def _field_set(
        self, cases: Sequence[Case], folds: Sequence[Sequence[Case]], done: _Steps
    ) -> tuple[tuple[str, ...], list[Score]]:
        """Which settings to turn, by what held on recordings left out, and the scores of these under it."""
        best: tuple[float, tuple[str, ...], list[Score]] = (math.inf, tuple(TRIED), list[Score]())
        for fields in (tuple(TRIED), SIMPLE_FIELDS) if folds else ():
            aim, total, scores = replace(AIMS[0], fields=fields), 0.0, []
            blunt = replace(aim, missed=aim.missed_aside)  # one that is missed must not decide alone
            for fold in folds:
                settings = self._descended(fold, aim, done, thorough=False)
                if self.cancelled():
                    return best[1], best[2]
                out = next(case for case in cases if case not in fold)
                total += sum(self.loss([out], item, held, blunt) for item, held in settings.items())
                scores.append(self.score_on(out, settings))
            if total < _CLEARLY * best[0]:
                best = total, fields, scores
        return best[1], best[2]

    def present_settings(self) -> Settings:
        """The present settings of every item."""
        items = [watcher_id(held) for held in self.plan.watchers]
        return {item: self.present.get(item, FACTORY) for item in items}

    def fields(self, item: str, wanted: Sequence[str]) -> list[str]:
        """Those of some fields that mean something for an item and are free."""
        watcher, unit = self.watcher(item), self.present.get(item, FACTORY).things_in
        free = self.free.get(item, tuple(TRIED))
        found = []
        for name in wanted:
            choice, crossed = name in CHOICES_TRIED, is_crossed(watcher)
            things_in = None if choice else dial_of(name).things_in
            counts = not crossed if choice else dial_of(name).counts_for(crossed)
            broken = isinstance(watcher, Wire) and not watcher.crossed and things_in is not None
            if name in free and name in TRIED and counts and not broken and things_in in (None, unit):
                found.append(name)
        return found

    def turned(self, settings: Settings, changes: Mapping[str, Mapping[str, Any]]) -> Settings | None:
        """Settings with some changes; None when they make no sense together."""
        found = {item: turned(held, changes.get(item, {})) for item, held in settings.items()}
        known = {item: held for item, held in found.items() if held is not None}
        return known if len(known) == len(found) else None

    # --- descent ----------------------------------------------------------------------------------------------------

    def _descended(self, cases: Sequence[Case], aim: Aim, done: _Steps, *, thorough: bool = True) -> Settings:
        found = {}
        for place, (item, present) in enumerate(self.present_settings().items()):
            found[item] = self._descended_item(cases, item, present, aim, thorough=thorough)
            done.say((place + 1) / len(self.plan.watchers))
            if self.cancelled():
                return {**self.present_settings(), **found}
        done.next()
        return found

    def _descended_item(
        self, cases: Sequence[Case], item: str, present: ZoneSettings, aim: Aim, *, thorough: bool
    ) -> ZoneSettings:
        """The best settings of an item. Where a missed incident costs more than anything else, a descent is walled in by the
        first settings that miss none; so it goes down with a lower price first, and on from there with the whole one."""
        fields, soft = self.fields(item, aim.fields), replace(aim, missed=_SOFT_MISSED, missed_aside=_SOFT_ASIDE)
        watcher, footage = self.watcher(item), [case.evidence for case in cases]
        own = [self.evaluator.weights(watcher, self.plan, evidence.grid).cells for evidence in footage]
        starts = [present, *plain_starts(list(zip(footage, own, strict=True)), present, fields)]
        best, least = present, math.inf
        for first in (soft, aim) if thorough else (soft,):
            ranked = sorted((self.blunt_loss(cases, item, held, first), place) for place, held in enumerate(starts))
            for start in of_each_channel([starts[place] for _, place in ranked]):
                settings = self._descend(cases, item, start, fields, first)[0]
                settings, found = self._descend(cases, item, settings, fields, aim)
                if found < least - _BETTER:
                    best, least = settings, found
        return best

    def _descend(
        self, cases: Sequence[Case], item: str, start: ZoneSettings, fields: Sequence[str], aim: Aim
    ) -> tuple[ZoneSettings, float]:
        best, least = start, self.blunt_loss(cases, item, start, aim)
        draw = random.Random(1)

        def attempt(changes: Mapping[str, Any]) -> None:
            nonlocal best, least
            tried = turned(best, changes)
            if tried is not None and tried != best:
                found = self.blunt_loss(cases, item, tried, aim, least - _BETTER)
                if found < least - _BETTER:
                    best, least = tried, found

        for _ in range(_ROUNDS):
            before = least
            for name in fields:
                for value in TRIED[name]:
                    if self.cancelled():
                        return best, least
                    attempt({name: value})
            for _ in range(_JUMPS if len(fields) > 1 else 0):
                if self.cancelled():
                    return best, least
                names = draw.sample(list(fields), min(len(fields), draw.choice((2, 2, 3))))
                attempt({name: draw.choice(TRIED[name]) for name in names})
            if least > before - _BETTER:
                break
        return best, least

    # --- what it rests on -------------------------------------------------------------------------------------------

    def _proposal(self, settings: Settings, aim: Aim, left_out: Sequence[Check]) -> Proposal:
        scores = self.score_of(settings)
        present = self.present_settings()
        changed = tuple(
            (item, name, getattr(held, name))
            for item, held in settings.items()
            for name in ZoneSettings.model_fields
            if getattr(held, name) != getattr(present[item], name)
        )
        checks = (*left_out, *checks_of(self.evaluator, self.steering, self.plan, settings))
        return Proposal(aim, settings, summed(scores), tuple(scores), changed, checks, tuple(self.warnings(settings)))

    def warnings(self, settings: Settings) -> Iterator[str]:
        """What the settings rest on that is little, and what the footage cannot show."""
        incidents = sum(len(case.truth.incidents) for case in self.steering)
        if len(self.steering) == 1:
            yield tr("rests on one recording")
        if incidents == 0:
            yield tr("no incident is marked: anything that is silent looks good")
        elif incidents == 1:
            yield tr("rests on one incident")
        known = [case.name for case in self.cases if not case.truth.known]
        if known:
            yield tr("nothing is known of {join}: it steers nothing", join=", ".join(known))
        for light in ("day", "night"):
            if all(case.light and case.light != light for case in self.steering):
                yield tr("no {light} in it: untested", light=light)
        for item, held in settings.items():
            tallies = [self.tally(case, item, held) for case in self.steering]
            if sum(tally.pairs for tally in tallies) == 0:
                yield tr("no incident concerns {item}: untested", item=item)
            elif sum(tally.alarms for tally in tallies) == 0:
                yield tr("{item} raises no alarm at all", item=item)


@dataclass
class _Steps:
    """Tells how much of some equal steps is done."""

    report: Callable[[float], None]
    count: int
    done: int = 0

    def say(self, share: float) -> None:
        self.report(min(1.0, (self.done + share) / self.count))

    def next(self) -> None:
        self.done += 1
        self.say(0.0)
