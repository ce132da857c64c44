"""Descents: the settings of one item that lose least on some recordings.

A descent starts from the present settings and from a plain grid: channels, change limits some times the noise of the item's own
cells, start levels, and waits. From the best of different channels every free dial is tried at every value of a short ladder, one
after the other, until nothing gets better (coordinate descent), with jumps of two or three dials at once in between, drawn from a
fixed seed: the same input gives the same result.
"""

from __future__ import annotations

import math
import random
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field, replace
from typing import Any, ClassVar

from north_hush.core.advise.aim import TRIED, Aim, Case
from north_hush.core.advise.starts import of_each_channel, plain_starts, turned
from north_hush.core.advise.weighing import Weighing
from north_hush.core.detect.dials import CHOICES_TRIED, dial_of
from north_hush.core.detect.settings import FACTORY, ZoneSettings
from north_hush.core.scene.items import Wire
from north_hush.core.scene.plan import is_crossed

_ROUNDS, _JUMPS = 3, 100
_BETTER = 1e-6
_SOFT_MISSED, _SOFT_ASIDE = 60.0, 20.0


@dataclass(frozen=True)
class Descent:
    """One descent that is wanted.

    Attributes
    ----------
    cases : which of the recordings that steer it is made on
    out : which one its loss is told on as well; None for none
    """

    cost: ClassVar[int] = 4
    """Beside that of one look at a recording, roughly."""

    item: str
    aim: Aim
    cases: tuple[int, ...]
    thorough: bool = True
    out: int | None = None

    def done_by(self, descents: Descents) -> Landed:
        """What comes of it."""
        return descents.land(self)


@dataclass(frozen=True)
class Landed:
    """The settings a descent ended with, and what they lose on the recording that was left out."""

    settings: ZoneSettings
    loss_out: float = 0.0


@dataclass(eq=False)
class Descents(Weighing):
    """Descents over some recordings of a view. Recordings of which nothing is known steer nothing."""

    free: Mapping[str, tuple[str, ...]] = field(default_factory=dict)
    """Fields that may change, by item; an item that is not named is free in all."""
    cancelled: Callable[[], bool] = lambda: False

    def land(self, wanted: Descent) -> Landed:
        """Go down; where that is cancelled, to where it came by then."""
        if self.cancelled():
            return Landed(self.present.get(wanted.item, FACTORY))
        cases = [self.steering[number] for number in wanted.cases]
        settings = self._descended(cases, wanted)
        if wanted.out is None:
            return Landed(settings)
        blunt = replace(wanted.aim, missed=wanted.aim.missed_aside)  # one that is missed must not decide alone
        return Landed(settings, self.loss([self.steering[wanted.out]], wanted.item, settings, blunt))

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

    def _descended(self, cases: Sequence[Case], wanted: Descent) -> ZoneSettings:
        """The best settings of an item. Where a missed incident costs more than anything else, a descent is walled in by the
        first settings that miss none; so it goes down with a lower price first, and on from there with the whole one."""
        item, aim = wanted.item, wanted.aim
        present = self.present.get(item, FACTORY)
        fields, soft = self.fields(item, aim.fields), replace(aim, missed=_SOFT_MISSED, missed_aside=_SOFT_ASIDE)
        watcher, footage = self.watcher(item), [case.evidence for case in cases]
        own = [self.evaluator.weights(watcher, self.plan, evidence.grid).cells for evidence in footage]
        starts = [present, *plain_starts(list(zip(footage, own, strict=True)), present, fields)]
        best, least = present, math.inf
        for first in (soft, aim) if wanted.thorough else (soft,):
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
