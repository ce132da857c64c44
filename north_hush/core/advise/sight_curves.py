"""What each value of a rule of blindness would tell over a recording: how often, and for how long."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass
from typing import Literal, get_args

import numpy as np
from numpy.typing import NDArray

from north_hush.core.detect.dials import Dial
from north_hush.core.footage.evidence import Evidence
from north_hush.core.footage.stamps import US_PER_S
from north_hush.core.sight.rules import BORN, Blindness, SightRule
from north_hush.core.sight.sight import Blind, Sight, blind_of, looks
from north_hush.core.words import tr, trn

Field = Literal["start_percent", "clear_percent", "for_s"]
FIELDS: tuple[Field, ...] = get_args(Field)
SIGHT_DIALS = (
    Dial("start_percent", tr("Start level"), "%", 0, 100, 5, 0, True, tr("How blind it must be before it is told"), more=False),
    Dial("clear_percent", tr("Clear level"), "%", 0, 100, 5, 0, True, tr("How well it must see again before it is over"), more=False),
    Dial("for_s", tr("For"), "s", 0, 60, 0.5, 1, True, tr("How long it must be so before it is told"), more=False),
)  # fmt: skip
"""The dials of a rule."""
_VALUES: Mapping[Field, tuple[float, ...]] = {
    "start_percent": tuple(range(0, 101, 10)),
    "clear_percent": tuple(range(0, 101, 10)),
    "for_s": (0.0, 0.5, 1.0, 1.5, 2.0, 3.0, 5.0, 10.0, 20.0, 40.0, 60.0),
}


@dataclass(frozen=True)
class SightCurve:
    """What values of one field of a rule would tell.

    Attributes
    ----------
    times : how often
    lasting_s : how long in all
    """

    field: Field
    values: tuple[float, ...]
    times: tuple[int, ...]
    lasting_s: tuple[float, ...]

    def words(self, place: int) -> str:
        """One value in words."""
        often = trn("told once", "told {times} times", self.times[place], times=self.times[place])
        return tr("{often}, {lasting:.0f} s in all", often=often, lasting=self.lasting_s[place])


def level_of(
    evidence: Evidence, kind: Blindness, rules: Mapping[Blindness, SightRule]
) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
    """The level of a kind over a recording, under the rules as they are.

    Returns
    -------
    (looks,) seconds of the recording and (looks,) percent
    """
    sight, seconds, levels = Sight(rules), list[float](), list[float]()
    for number, same_us in looks(evidence):
        sight.look(evidence.frames[number], same_us)
        seconds.append(float(evidence.time_us[number]) / US_PER_S)
        levels.append(sight.levels[kind])
    return np.array(seconds), np.array(levels)


def curve_of(
    evidence: Evidence,
    kind: Blindness,
    field: Field,
    rules: Mapping[Blindness, SightRule],
    go_on: Callable[[], bool] = lambda: True,
    find: Callable[[Evidence, Mapping[Blindness, SightRule]], list[Blind]] = blind_of,
) -> SightCurve | None:
    """What values of a field would tell, all else equal, as `find` has it; None where `go_on` said no. What is usual follows while
    nothing is wrong, so each value is worked out anew rather than read off one level."""
    rule, times, lasting = rules.get(kind, BORN[kind]), list[int](), list[float]()
    for value in _VALUES[field]:
        if not go_on():
            return None
        found = [one for one in find(evidence, {**rules, kind: turned(rule, field, value)}) if one.kind == kind]
        end_us = int(evidence.time_us[-1]) if len(evidence.time_us) else 0
        times.append(len(found))
        lasting.append(sum((end_us if one.end_us is None else one.end_us) - one.start_us for one in found) / US_PER_S)
    return SightCurve(field, _VALUES[field], tuple(times), tuple(lasting))


def turned(rule: SightRule, field: Field, value: float) -> SightRule:
    """A rule with another value; the clear level is never above the start level."""
    changed = {**rule.model_dump(), field: value}
    if field == "start_percent":
        changed["clear_percent"] = min(rule.clear_percent, value)
    elif field == "clear_percent":
        changed["start_percent"] = max(rule.start_percent, value)
    return SightRule(**changed)
