"""Tunings with hours: each stretch of a recording is judged under the one that is on.

A tuning with hours is on while they hold, the first of several; else the first one without hours, or the one in use. A switch begins
confirmation anew, and never ends an alarm.
"""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from dataclasses import dataclass, replace

import numpy as np

from north_hush.core.detect.lane import DialPart
from north_hush.core.detect.settings import FACTORY, ZoneSettings
from north_hush.core.evaluate.armed import Armed, armed_over, us_of
from north_hush.core.footage.index import FrameIndex
from north_hush.core.footage.stamps import US_PER_S
from north_hush.core.hours.clock import Clock, hours_spans
from north_hush.core.hours.spans import common, outside, spans_of, union
from north_hush.core.scene.plan import watcher_id
from north_hush.core.site.model import Site, Tuning, View
from north_hush.core.site.recording import Recording

_AHEAD_US = 24 * 3600 * US_PER_S


@dataclass(frozen=True)
class Stretch:
    """A tuning that is on between two instants, in microseconds: of UTC, or after the first frame of a recording."""

    start_us: int
    end_us: int
    tuning: Tuning


class Switched(Mapping[str, ZoneSettings]):
    """Settings that change over a recording. Asked as plain settings it gives those of the tuning that is shown, where it is on at all,
    else those that are on longest."""

    def __init__(self, stretches: tuple[Stretch, ...], shown: str = "") -> None:
        self.stretches = stretches
        lasting: dict[str, int] = {}
        for held in stretches:
            lasting[held.tuning.name] = lasting.get(held.tuning.name, 0) + held.end_us - held.start_us
        usual = shown if shown in lasting else max(lasting, key=lambda name: lasting[name])
        self._name = usual
        self._usual = next(held.tuning for held in stretches if held.tuning.name == usual).settings

    def parts(self, item: str) -> tuple[DialPart, ...]:
        """From when to when which dials of an item are on; those that stay the same are one."""
        found: list[DialPart] = []
        for held in self.stretches:
            dials = held.tuning.settings.get(item, FACTORY)
            if found and found[-1][2] == dials:
                found[-1] = (found[-1][0], held.end_us, dials)
            else:
                found.append((held.start_us, held.end_us, dials))
        return tuple(found)

    def turned(self, item: str, dials: ZoneSettings) -> Switched:
        """The same with other dials of an item wherever the tuning that is shown is on."""
        found = []
        for held in self.stretches:
            own = held.tuning.name == self._name
            settings = {**held.tuning.settings, item: dials}
            found.append(replace(held, tuning=held.tuning.model_copy(update={"settings": settings})) if own else held)
        return Switched(tuple(found), self._name)

    def __getitem__(self, item: str) -> ZoneSettings:
        return self._usual[item]

    def __iter__(self) -> Iterator[str]:
        return iter(self._usual)

    def __len__(self) -> int:
        return len(self._usual)

    def __eq__(self, other: object) -> bool:
        if not isinstance(other, Switched):
            return False
        return self.stretches == other.stretches and self._usual == other._usual

    __hash__ = None  # type: ignore[assignment]


def tunings_on(view: View, clock: Clock, start_us: int, end_us: int) -> tuple[Stretch, ...]:
    """Which tuning of a view is on when, between two instants of UTC, in order and without a pause.

    Raises
    ------
    HushError : the hours of one cannot be turned into instants.
    """
    if not view.by_hours:
        return (Stretch(start_us, end_us, view.tuning),)
    free, found = np.array([[start_us, end_us]], np.int64), list[Stretch]()
    for tuning in view.tunings:
        if tuning.hours is None:
            continue
        own = common(hours_spans(tuning.hours, clock, start_us, end_us), free)
        found += [Stretch(first, after, tuning) for first, after in own.tolist()]
        taken = union([own, outside(free, start_us, end_us)])
        free = outside(taken, start_us, end_us)
    found += [Stretch(first, after, view.tuning_otherwise) for first, after in free.tolist()]
    return tuple(sorted(found, key=lambda held: held.start_us))


def searched_over(site: Site, view: View, recording: Recording, index: FrameIndex) -> Armed | None:
    """When alarms count for a search of the tuning in use: while their items are armed and, where tunings go by hours, that one is on;
    None where all of the recording does.

    Raises
    ------
    HushError : hours cannot be turned into instants.
    """
    armed, began = armed_over(site, view, recording, index), recording.began(index, site.zone)
    if not view.by_hours or began is None:
        return armed
    start_us = us_of(began)
    end_us = start_us + round(index.duration_s * US_PER_S) + 1
    on = tunings_on(view, site.clock, start_us, end_us)
    own = spans_of((held.start_us - start_us, held.end_us - start_us) for held in on if held.tuning == view.tuning)
    if armed is None:
        return Armed({watcher_id(held): own for held in view.plan.watchers}, own)
    return Armed({item: common(spans, own) for item, spans in armed.items.items()}, common(armed.any, own))


def tuning_now(view: View, clock: Clock, now_us: int) -> tuple[Tuning, int]:
    """The tuning that is on at an instant of UTC, and until when at least.

    Raises
    ------
    HushError : the hours of one cannot be turned into instants.
    """
    held = tunings_on(view, clock, now_us, now_us + _AHEAD_US)[0]
    return held.tuning, held.end_us


def settings_over(
    site: Site, view: View, recording: Recording, index: FrameIndex, *, all_hours: bool = False
) -> Mapping[str, ZoneSettings]:
    """The settings a view has over a recording; where nobody knows when that was taken, or all hours are asked about, those of the
    tuning in use.

    Raises
    ------
    HushError : the hours of a tuning cannot be turned into instants.
    """
    began = recording.began(index, site.zone)
    if not view.by_hours or began is None or all_hours:
        return view.tuning.settings
    start_us = us_of(began)
    end_us = start_us + round(index.duration_s * US_PER_S) + 1
    held = tunings_on(view, site.clock, start_us, end_us)
    if len(held) == 1:
        return held[0].tuning.settings
    stretches = tuple(Stretch(one.start_us - start_us, one.end_us - start_us, one.tuning) for one in held)
    return Switched(stretches, view.tuning_in_use)
