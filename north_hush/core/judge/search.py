"""Find quiet settings: search the free dials over all recordings for settings that keep every incident.

Each item starts from the best of the present, the factory and a few usual settings. Then every free dial is tried at every
value of a short ladder, one after the other, until nothing gets better (coordinate descent), with jumps of two or three
dials at once in between, drawn from a fixed seed: the same input gives the same result. At last each dial is moved towards
the middle of the range in which nothing gets worse.
"""

from __future__ import annotations

import math
import random
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field, replace
from itertools import combinations, product
from typing import Any

from pydantic import ValidationError

from north_hush.core.detect.dials import DIALS, MORE_DIALS, Dial, ladder, share_of, value_at
from north_hush.core.detect.replay import Replay
from north_hush.core.detect.settings import CROSSING_FIELDS, FACTORY, ZoneSettings
from north_hush.core.footage.evidence import Evidence
from north_hush.core.judge.incidents import Truth
from north_hush.core.judge.score import Score, Span, score, spans_of, summed
from north_hush.core.scene.items import Wire
from north_hush.core.scene.plan import Plan, watcher_id

LADDERS: dict[str, tuple[Any, ...]] = {
    "channel": ("step", "step_200ms", "step_500ms"),
    "change_limit_grey": (3.0, 4.0, 5.0, 6.0, 7.0, 8.0, 10.0, 12.0, 15.0),
    "start_percent": (0.15, 0.2, 0.3, 0.4, 0.5, 0.7, 1.0, 1.5, 2.0, 3.0, 5.0),
    "clear_percent": (0.1, 0.15, 0.2, 0.3, 0.5, 0.7, 1.0),
    "confirm_frames": (1, 2, 3, 4, 5, 7, 9, 12),
    "release_frames": (2, 3, 5, 8, 12),
    "travel_percent": (0.0, 1.0, 1.5, 2.0, 3.0, 4.0, 5.0),
    "size_min_percent": (0.0, 0.05, 0.1),
    "guard_percent": (2.5, 3.0, 4.0, 6.0, 10.0, 100.0),
    "guard_hold_s": (1.0, 2.0, 3.0),
    "smooth_frames": (1, 3, 5),
    "travel_heights": (0.0, 0.3, 0.6, 1.0, 1.5, 2.0, 3.0),
    "size_min_heights": (0.0, 0.2, 0.3, 0.4, 0.5),
}
"""Values that are tried; a field that is not here is never touched."""
_OF_THINGS = ("travel", "size_min")
"""Fields that an item has in percent or in person heights."""

_USUAL = (
    {"channel": "step_200ms", "change_limit_grey": 10.0, "start_percent": 0.3, "clear_percent": 0.2, "confirm_frames": 5,
     "release_frames": 5, "travel_percent": 2.0, "guard_percent": 4.0, "guard_hold_s": 2.0},
    {"channel": "step_200ms", "change_limit_grey": 10.0, "start_percent": 0.15, "clear_percent": 0.15, "confirm_frames": 5,
     "release_frames": 8, "travel_percent": 1.0, "guard_percent": 2.5, "guard_hold_s": 1.0, "smooth_frames": 5},
    {"channel": "step_500ms", "change_limit_grey": 10.0, "start_percent": 0.7, "clear_percent": 0.3, "confirm_frames": 3,
     "release_frames": 2, "travel_percent": 1.0, "guard_percent": 3.0, "guard_hold_s": 1.0},
    {"change_limit_grey": 6.0, "start_percent": 0.3, "clear_percent": 0.3, "confirm_frames": 5, "release_frames": 5,
     "travel_percent": 3.0, "guard_percent": 4.0, "guard_hold_s": 3.0},
    {"change_limit_grey": 6.0, "start_percent": 0.15, "clear_percent": 0.15, "confirm_frames": 9, "release_frames": 12,
     "guard_percent": 10.0, "guard_hold_s": 2.0},
    {"change_limit_grey": 8.0, "start_percent": 5.0, "clear_percent": 3.0, "confirm_frames": 7, "release_frames": 12,
     "guard_percent": 10.0, "guard_hold_s": 2.0},
)  # fmt: skip
"""Starts for outdoor views: people near, people slow or in bad light, people far out, and lines that are broken."""
_WIRE_FIELDS = tuple(name for name in LADDERS if not name.startswith(_OF_THINGS))
_ROUNDS = 3
_JUMPS = 500
_ALONE = 0.5
"""Share of the jumps that turn dials of one item only."""
_BETTER = 1e-6

Settings = dict[str, ZoneSettings]


@dataclass(frozen=True)
class Case:
    """A recording, what is known of it, and how much it counts."""

    name: str
    evidence: Evidence
    truth: Truth
    weight: float = 1.0


@dataclass(frozen=True)
class Aim:
    """What a search makes small: missed incidents first, then a weighed sum."""

    name: str
    says: str
    per_percent: float = 4.0
    """Unwanted alarms that one percent of nuisance time is worth."""
    per_delay_s: float = 0.15
    fields: tuple[str, ...] = tuple(LADDERS)


AIMS = (
    Aim("quietest", "fewest unwanted alarms and least time in alarm"),
    Aim("prompt", "alarms early, at the price of some noise", per_delay_s=1.5),
    Aim(
        "simple",
        "turns only change limit, levels and frames",
        fields=("change_limit_grey", "start_percent", "clear_percent", "confirm_frames", "release_frames"),
    ),
)


@dataclass(frozen=True)
class Margin:
    """How far a dial can be turned either way before something gets worse, in its own unit; None where nothing does."""

    item: str
    field: str
    value: float
    louder: float | None
    quieter: float | None


@dataclass(frozen=True)
class Proposal:
    """Settings found, what they would score, and how safe they lie."""

    aim: Aim
    settings: Settings
    score: Score
    scores: tuple[Score, ...]
    changed: tuple[tuple[str, str, Any], ...]
    """Item, field and new value of each setting that differs from the present ones."""
    margins: tuple[Margin, ...] = ()
    warnings: tuple[str, ...] = ()


@dataclass(eq=False)
class Search:
    """One search over some recordings of a view."""

    cases: Sequence[Case]
    plan: Plan
    present: Mapping[str, ZoneSettings]
    replay: Replay
    free: Mapping[str, tuple[str, ...]] = field(default_factory=dict)
    """Fields that may change, by item; an item that is not named is free in all."""
    cancelled: Callable[[], bool] = lambda: False
    report: Callable[[float], None] = lambda share: None
    _spans: dict[tuple[str, str, ZoneSettings], list[Span]] = field(default_factory=dict)
    _order: list[int] = field(init=False)
    _outside_s: list[float] = field(init=False)

    def __post_init__(self) -> None:
        self._order = list(range(len(self.cases)))
        self._outside_s = [score([], case.truth, case.evidence.duration_s).outside_s for case in self.cases]

    def score_of(self, settings: Settings) -> list[Score]:
        """Scores of all recordings under some settings."""
        return [self._score_on(case, settings) for case in self.cases]

    def _score_on(self, case: Case, settings: Settings) -> Score:
        spans = [span for item in settings for span in self._spans_of(case.evidence, item, settings[item])]
        return score(spans, case.truth, case.evidence.duration_s)

    def proposals(self) -> list[Proposal]:
        """Distinct proposals, one for each aim; fewer when the search is cancelled."""
        found: list[Proposal] = []
        for place, aim in enumerate(AIMS):
            settings = self._settle(self._descend(aim, place / len(AIMS)), aim)
            if self.cancelled():
                break
            if all(settings != held.settings for held in found):
                found.append(self._proposal(settings, aim))
            self.report((place + 1) / len(AIMS))
        return found

    def unseen_scores(self) -> list[Score | None]:
        """For each recording its score under settings that were chosen on the others alone, by the first aim; None where
        the others know of no truth. Fewer when the search is cancelled."""
        found: list[Score | None] = []
        for place, case in enumerate(self.cases):
            others = [held for held in self.cases if held is not case]
            if not any(held.truth.known for held in others):
                found.append(None)
                continue
            search = replace(self, cases=others, report=lambda _: None)
            settings = search._settle(search._descend(AIMS[0], 0.0), AIMS[0])
            if self.cancelled():
                break
            found.append(replace(self, cases=[case]).score_of(settings)[0])
            self.report((place + 1) / len(self.cases))
        return found

    def present_settings(self) -> Settings:
        """The present settings of every item."""
        items = [watcher_id(held) for held in self.plan.watchers]
        return {item: self.present.get(item, FACTORY) for item in items}

    def _spans_of(self, evidence: Evidence, item: str, settings: ZoneSettings) -> list[Span]:
        key = (evidence.key, item, settings)
        if key not in self._spans:
            watcher = next(held for held in self.plan.watchers if watcher_id(held) == item)
            lane = self.replay.lane(evidence, watcher, self.plan, {item: settings})
            self._spans[key] = spans_of([lane], evidence.time_us)
        return self._spans[key]

    def loss(self, settings: Settings, aim: Aim, most: float = math.inf) -> float:
        """What the search makes small; infinite as soon as it is sure to reach `most`, so that what is worse on one recording
        is not tried on the others. The recording that told last is tried first."""
        known: dict[int, Score] = {}
        for place in list(self._order):
            known[place] = self._score_on(self.cases[place], settings)
            if most < math.inf and self._weighed(known, aim) >= most:
                self._order.remove(place)
                self._order.insert(0, place)
                return math.inf
        delays = [delay for place in range(len(self.cases)) for delay in known[place].delays_s]
        return self._weighed(known, aim) + (aim.per_delay_s * sum(delays) / len(delays) if delays else 0.0)

    def _weighed(self, known: Mapping[int, Score], aim: Aim) -> float:
        """The loss without delays as far as recordings are scored; it grows with each."""
        total = sum(case.weight for case in self.cases) or 1.0
        missed, unwanted, noisy, outside = 0, 0.0, 0.0, 0.0
        for place, case in enumerate(self.cases):
            outside += case.weight * self._outside_s[place]
            held = known.get(place)
            if held is not None:
                missed += len(held.missed)
                unwanted += case.weight * len(self.cases) / total * held.unwanted
                noisy += case.weight * held.nuisance_s
        return 1000.0 * missed + unwanted + aim.per_percent * (100 * noisy / outside if outside else 0.0)

    def fields(self, item: str, wanted: Sequence[str]) -> list[str]:
        """Those of some fields that mean something for an item and are free."""
        watcher = next(held for held in self.plan.watchers if watcher_id(held) == item)
        if isinstance(watcher, Wire):
            usable = _WIRE_FIELDS if watcher.watches == "broken" else ("channel", *CROSSING_FIELDS)
        else:
            usable = tuple(LADDERS)
        unit = self.present.get(item, FACTORY).things_in
        free = self.free.get(item, usable)
        return [
            name
            for name in free
            if name in usable
            and name in wanted
            and name in LADDERS
            and (not name.startswith(_OF_THINGS) or name.endswith(unit))
        ]

    def _descend(self, aim: Aim, done: float) -> Settings:
        best = self._best_start(aim)
        least = self.loss(best, aim)
        draw = random.Random(1)
        for round_ in range(_ROUNDS):
            before = least
            for item in best:
                for name in self.fields(item, aim.fields):
                    for value in LADDERS[name]:
                        if self.cancelled():
                            return best
                        best, least = self._try(best, least, {item: {name: value}}, aim)
            for jump in range(_JUMPS):
                if self.cancelled():
                    return best
                best, least = self._try(best, least, self._jump(best, aim, draw), aim)
                self.report(done + (round_ + jump / _JUMPS) / _ROUNDS / len(AIMS))
            if least > before - _BETTER:
                break
        return best

    def _best_start(self, aim: Aim) -> Settings:
        """The best start of each item, the others being as they are; then of each two items together, since one may take
        over what the other was loud for."""
        best = self.present_settings()
        least = self.loss(best, aim)
        starts = {item: self._starts(item, aim) for item in best}
        for item in best:
            for wanted in starts[item]:
                best, least = self._try(best, least, {item: wanted}, aim)
        for first, second in combinations(best, 2):
            for wanted, other in product(starts[first], starts[second]):
                if self.cancelled():
                    return best
                best, least = self._try(best, least, {first: wanted, second: other}, aim)
        return best

    def _starts(self, item: str, aim: Aim) -> list[dict[str, Any]]:
        """The usual settings, as far as they are free for an item."""
        fields = set(self.fields(item, aim.fields))
        return [{name: value for name, value in usual.items() if name in fields} for usual in _USUAL]

    def _jump(self, settings: Settings, aim: Aim, draw: random.Random) -> dict[str, dict[str, Any]]:
        changes: dict[str, dict[str, Any]] = {}
        alone = draw.choice(list(settings)) if draw.random() < _ALONE else None
        for _ in range(draw.choice((2, 2, 3))):
            item = alone or draw.choice(list(settings))
            fields = self.fields(item, aim.fields)
            if fields:
                name = draw.choice(fields)
                changes.setdefault(item, {})[name] = draw.choice(LADDERS[name])
        return changes

    def turned(self, settings: Settings, changes: Mapping[str, Mapping[str, Any]]) -> Settings | None:
        """Settings with some changes; None when they make no sense together."""
        try:
            return {item: held.turned(**changes.get(item, {})) for item, held in settings.items()}
        except ValidationError:
            return None

    def _try(
        self, best: Settings, least: float, changes: Mapping[str, Mapping[str, Any]], aim: Aim
    ) -> tuple[Settings, float]:
        """The settings with some changes when they are better, else as they were."""
        tried = self.turned(best, changes)
        if tried is None or tried == best:
            return best, least
        found = self.loss(tried, aim, least - _BETTER)
        return (tried, found) if found < least - _BETTER else (best, least)

    # --- margins ----------------------------------------------------------------------------------------------------

    def _settle(self, settings: Settings, aim: Aim) -> Settings:
        """Move each dial towards the middle of the range in which no incident is lost and nothing unwanted comes."""
        for item in settings:
            for dial in self._numeric(item, aim):
                if self.cancelled():
                    return settings
                settings = self._centred(settings, item, dial, aim)
        return settings

    def _numeric(self, item: str, aim: Aim) -> list[Dial]:
        fields = self.fields(item, aim.fields)
        return [dial for dial in (*DIALS, *MORE_DIALS) if dial.field in fields and dial.field in _MARGIN_FIELDS]

    def _worth(self, settings: Settings) -> tuple[int, int]:
        scores = self.score_of(settings)
        return sum(len(held.missed) for held in scores), sum(held.unwanted for held in scores)

    def _safe(self, settings: Settings, item: str, dial: Dial) -> tuple[float, float, bool, bool]:
        """The range of a dial in which nothing gets worse, and whether its loud and its quiet end are edges."""
        worth = self._worth(settings)
        now = float(getattr(settings[item], dial.field))
        values = ladder(dial, 25, now)
        at = values.index(round(now, 4))

        def fine(value: float) -> bool:
            try:
                tried = {**settings, item: settings[item].turned(**{dial.field: dial.number(value)})}
            except ValidationError:
                return False
            return self._worth(tried) <= worth

        low = at
        while low > 0 and at - low < 6 and fine(values[low - 1]):
            low -= 1
        high = at
        while high < len(values) - 1 and high - at < 6 and fine(values[high + 1]):
            high += 1
        return values[low], values[high], at - low < 6 and low > 0, high - at < 6 and high < len(values) - 1

    def _centred(self, settings: Settings, item: str, dial: Dial, aim: Aim) -> Settings:
        loud, quiet, _, _ = self._safe(settings, item, dial)
        middle = value_at(dial, (share_of(dial, loud) + share_of(dial, quiet)) / 2)
        try:
            tried = {**settings, item: settings[item].turned(**{dial.field: dial.number(middle)})}
        except ValidationError:
            return settings
        # Safer must not be much slower: half an unwanted alarm is the most the weighed sum may grow.
        near = self.loss(tried, aim) <= self.loss(settings, aim) + 0.5
        return tried if self._worth(tried) <= self._worth(settings) and near else settings

    def _margins(self, settings: Settings, aim: Aim) -> list[Margin]:
        found = []
        for item in settings:
            for dial in self._numeric(item, aim):
                loud, quiet, loud_edge, quiet_edge = self._safe(settings, item, dial)
                now = float(getattr(settings[item], dial.field))
                louder = round(abs(now - loud), 4) if loud_edge else None
                quieter = round(abs(quiet - now), 4) if quiet_edge else None
                found.append(Margin(item, dial.field, now, louder, quieter))
        return found

    def _proposal(self, settings: Settings, aim: Aim) -> Proposal:
        scores = self.score_of(settings)
        present = self.present_settings()
        changed = tuple(
            (item, name, getattr(held, name))
            for item, held in settings.items()
            for name in ZoneSettings.model_fields
            if getattr(held, name) != getattr(present[item], name)
        )
        margins = tuple(self._margins(settings, aim))
        return Proposal(aim, settings, summed(scores), tuple(scores), changed, margins, tuple(self._warnings(margins)))

    def _warnings(self, margins: Sequence[Margin]) -> list[str]:
        """What the settings rest on that is little."""
        found = []
        incidents = sum(len(case.truth.incidents) for case in self.cases)
        if len(self.cases) == 1:
            found.append("rests on one recording")
        if incidents == 0:
            found.append("no incident is marked: anything that is silent looks good")
        elif incidents == 1:
            found.append("rests on one incident")
        dials = {dial.field: dial for dial in (*DIALS, *MORE_DIALS)}
        for held in margins:
            if held.quieter is not None and held.quieter < dials[held.field].grain:
                found.append(
                    f"{dials[held.field].label} of {held.item} lies on the edge: one step quieter loses something"
                )
        return found


_MARGIN_FIELDS = ("change_limit_grey", "start_percent", "confirm_frames", "travel_percent", "travel_heights")
