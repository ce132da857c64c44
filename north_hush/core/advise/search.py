"""Find quiet settings: search the free dials over all recordings for settings that keep every incident.

Each item is searched alone, since what it misses and what it raises unwanted is its own (see `descent`). What is made small is the
loss (see `aim`) at the settings themselves and a quarter to either side of them together, as if contrast and size were a quarter
less or more: so it seeks the middle of where it is quiet, not its edge. Whether it may turn all dials or the simple ones alone is
decided by recordings that are left out: each set is searched without each recording in turn, and scored on it.
"""

from __future__ import annotations

import math
import threading
from collections.abc import Callable, Iterator, Mapping, Sequence
from dataclasses import dataclass, replace
from typing import Any

from north_hush.core.advise.aim import AIMS, SIMPLE_FIELDS, TRIED, Aim
from north_hush.core.advise.descent import Descent, Descents
from north_hush.core.advise.robustness import CHANGES, Check, Look, checks_of
from north_hush.core.advise.searchers import Asked, Job, searchers
from north_hush.core.advise.starts import turned
from north_hush.core.advise.weighing import Settings
from north_hush.core.detect.settings import FACTORY, ZoneSettings
from north_hush.core.judge.score import Score, summed
from north_hush.core.scene.plan import watcher_id
from north_hush.core.words import tr

_CLEARLY = 0.8
"""What the simple dials must lose at most, of what all of them do, to be preferred: on few recordings it is mostly chance."""


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
class Search(Descents):
    """One search over some recordings of a view."""

    report: Callable[[float], None] = lambda share: None

    # --- proposals --------------------------------------------------------------------------------------------------

    def proposals(self) -> list[Proposal]:
        """Distinct proposals, one for each aim; fewer when the search is cancelled.

        Raises
        ------
        HushError : a process that searches was lost, or evidence is gone.
        """
        everything, items = tuple(range(len(self.steering))), list(self.present_settings())
        folds, looks = _folds(everything), len(CHANGES) * len(everything)
        costs = Descent.cost * len(items) * (len(AIMS) + 2 * len(folds)) + Look.cost * len(AIMS) * looks
        steps = _Steps(self.report, costs)
        with searchers(self, items, steps.next) as asked:
            chosen, unseen = self._field_set(folds, asked)
            aims = [replace(aim, fields=chosen if aim.fields == tuple(TRIED) else aim.fields) for aim in AIMS]
            found = self._distinct(aims, [self._landings(aim, everything, asked) for aim in aims])
            checks = [] if self.cancelled() else [checks_of(asked, len(everything), held) for _, held in found]
            left_out = [
                Check(tr("{name} left out", name=case.name), held)
                for case, held in zip(self.steering, unseen, strict=False)
            ]
            made = []
            for number, (aim, settings) in enumerate(found):
                changed = checks[number]() if checks else []
                made.append(self._proposal(settings, aim, [*(left_out if aim is aims[0] else []), *changed]))
        self.report(1.0)
        return made

    def _distinct(self, aims: Sequence[Aim], landings: Sequence[Callable[[], Settings]]) -> list[tuple[Aim, Settings]]:
        """What each aim found, where no aim before it found the same; those until it was cancelled."""
        found = list[tuple[Aim, Settings]]()
        for aim, landing in zip(aims, landings, strict=True):
            settings = landing()
            if self.cancelled():
                break
            if all(settings != held for _, held in found):
                found.append((aim, settings))
        return found

    def unseen_scores(self) -> list[Score | None]:
        """For each recording its score under settings that were chosen on the others alone, by the first aim; None where
        the others know of no truth. Fewer when the search is cancelled.

        Raises
        ------
        HushError : a process that searches was lost, or evidence is gone.
        """
        items, found = list(self.present_settings()), list[Score | None]()
        others_of = [tuple(n for n, held in enumerate(self.steering) if held is not case) for case in self.cases]
        descents = len(items) * sum(bool(held) + 2 * len(_folds(held)) for held in others_of)
        steps = _Steps(self.report, Descent.cost * descents)
        with searchers(self, items, steps.next) as asked:
            for case, others in zip(self.cases, others_of, strict=True):
                if not others:
                    found.append(None)
                    continue
                fields, _ = self._field_set(_folds(others), asked)
                settings = self._landings(replace(AIMS[0], fields=fields), others, asked)()
                if self.cancelled():
                    break
                found.append(self.score_on(case, settings))
        return found

    def _field_set(self, folds: Sequence[_Fold], asked: Asked) -> tuple[tuple[str, ...], list[Score]]:
        """Which settings to turn, by what held on recordings left out, and the scores of these under it."""
        best: tuple[float, tuple[str, ...], list[Score]] = (math.inf, tuple(TRIED), list[Score]())
        field_sets = (tuple(TRIED), SIMPLE_FIELDS) if folds else ()
        wanted = [
            [
                [
                    asked(Descent(item, replace(AIMS[0], fields=fields), others, False, out))
                    for item in self.present_settings()
                ]
                for others, out in folds
            ]
            for fields in field_sets
        ]
        for fields, landings in zip(field_sets, wanted, strict=True):
            total, scores = 0.0, []
            for (_, out), of_items in zip(folds, landings, strict=True):
                landed = {}
                for item, landing in zip(self.present_settings(), of_items, strict=True):
                    landed[item] = landing()
                    if self.cancelled():
                        return best[1], best[2]
                total += sum(held.loss_out for held in landed.values())
                scores.append(self.score_on(self.steering[out], {item: held.settings for item, held in landed.items()}))
            if total < _CLEARLY * best[0]:
                best = total, fields, scores
        return best[1], best[2]

    def _landings(self, aim: Aim, cases: tuple[int, ...], asked: Asked) -> Callable[[], Settings]:
        """Ask for the settings of all items on some recordings; what tells them once they are there."""
        landings = {item: asked(Descent(item, aim, cases)) for item in self.present_settings()}

        def landed() -> Settings:
            found = self.present_settings()
            for item, landing in landings.items():
                found[item] = landing().settings
                if self.cancelled():
                    break
            return found

        return landed

    def present_settings(self) -> Settings:
        """The present settings of every item."""
        items = [watcher_id(held) for held in self.plan.watchers]
        return {item: self.present.get(item, FACTORY) for item in items}

    def turned(self, settings: Settings, changes: Mapping[str, Mapping[str, Any]]) -> Settings | None:
        """Settings with some changes; None when they make no sense together."""
        found = {item: turned(held, changes.get(item, {})) for item, held in settings.items()}
        known = {item: held for item, held in found.items() if held is not None}
        return known if len(known) == len(found) else None

    # --- what it rests on -------------------------------------------------------------------------------------------

    def _proposal(self, settings: Settings, aim: Aim, checks: Sequence[Check]) -> Proposal:
        scores = self.score_of(settings)
        present = self.present_settings()
        changed = tuple(
            (item, name, getattr(held, name))
            for item, held in settings.items()
            for name in ZoneSettings.model_fields
            if getattr(held, name) != getattr(present[item], name)
        )
        return Proposal(
            aim, settings, summed(scores), tuple(scores), changed, tuple(checks), tuple(self.warnings(settings))
        )

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


_Fold = tuple[tuple[int, ...], int]
"""Recordings that are searched, and the one that is left out."""


def _folds(cases: tuple[int, ...]) -> list[_Fold]:
    """Each recording left out in turn; none where there is one alone."""
    return [(tuple(held for held in cases if held != out), out) for out in cases] if len(cases) > 1 else []


@dataclass
class _Steps:
    """Tells how much of what jobs cost is done; they may end in any thread."""

    report: Callable[[float], None]
    count: int
    done: int = 0

    def __post_init__(self) -> None:
        self._lock = threading.Lock()

    def next(self, job: Job[Any]) -> None:
        with self._lock:
            self.done += job.cost
            share = min(1.0, self.done / self.count)
        self.report(share)
