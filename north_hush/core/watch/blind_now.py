"""What makes a live camera blind, told in the hours of each rule: who is blind when they begin is told then."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from functools import partial

import numpy as np
from numpy.typing import NDArray

from north_hush.core.errors import HushError
from north_hush.core.hours.clock import Clock, hours_spans
from north_hush.core.sight.rules import WORDS, Blindness, SightRule
from north_hush.core.sight.sight import Blind, Sight
from north_hush.core.site.model import View
from north_hush.core.watch.day_ahead import DayAhead
from north_hush.core.watch.happening import Happening
from north_hush.core.words import tr


@dataclass
class _Running:
    blind: Blind
    told: bool = False


class BlindNow:
    """Feed it the facts of frames; rules may be changed between two of them."""

    def __init__(self, view: View, clock: Clock) -> None:
        self._sight, self._clock = Sight(view.sight_rules), clock
        self._running: dict[Blindness, _Running] = {}
        self._known = DayAhead()
        self._over: list[Blindness] = []
        """What was told under rules that are others now: it begins anew where it still is so."""

    def take(self, view: View, clock: Clock) -> None:
        """Use the rules and the clock of a view from the next frame on."""
        rules = view.sight_rules
        if _always(rules) == _always(self._sight.rules):
            self._sight.rules = rules  # hours decide what is told, and not what is seen
        else:
            self._sight = Sight(rules)
            self._over += [kind for kind, held in self._running.items() if held.told]
            self._running = {}
        self._clock, self._known = clock, DayAhead()

    def push(self, row: NDArray[np.void] | np.void, first_us: int, now_us: int) -> list[Happening]:
        """What is told from a frame on, or is mended, by instants of UTC: of the recording's first frame, and of this one."""
        found = [Happening(now_us, "mended", "", {"fault": kind}) for kind in self._over]
        self._over = []
        for one in self._sight.push(row):
            if one.end_us is None:
                self._running[one.kind] = _Running(one)
            elif self._running.pop(one.kind).told:
                found.append(Happening(now_us, "mended", "", {"fault": one.kind}))
        for kind, held in self._running.items():
            if not held.told and self._hold(kind, now_us):
                held.told = True
                found.append(_fault(held.blind, first_us, now_us))
        return found

    def _hold(self, kind: Blindness, at_us: int) -> bool:
        """Whether the hours of a kind hold. What cannot be told holds back nothing."""
        rule = self._sight.rules.get(kind)
        if rule is None or not rule.hours:
            return True
        try:
            return self._known.hold(rule.hours, at_us, partial(hours_spans, rule.hours, self._clock))
        except HushError:  # by the sun, without a place
            return True


def _always(rules: Mapping[Blindness, SightRule]) -> dict[Blindness, SightRule]:
    """Rules without their hours."""
    return {kind: rule.model_copy(update={"hours": ""}) for kind, rule in rules.items()}


def _fault(one: Blind, first_us: int, now_us: int) -> Happening:
    right, down = (f"{100 * share:+.0f} %" for share in one.moved)
    said = WORDS[one.kind] + (
        tr(", by {right} to the right and {down} down", right=right, down=down) if one.kind == "moved" else ""
    )
    return Happening(now_us, "fault", "", {"fault": one.kind, "said": said, "start_us": first_us + one.start_us})
