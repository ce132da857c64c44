"""What one camera sees: frames in, alarms out as they start and end, under the hours and the rules of its view."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np

from north_hush.core.detect.alarms import Alarm
from north_hush.core.detect.settings import FACTORY
from north_hush.core.errors import HushError
from north_hush.core.evaluate.live import LiveTracks, LiveZone
from north_hush.core.evaluate.sensed_live import LiveContacts, name_of
from north_hush.core.evaluate.switched import tuning_now
from north_hush.core.footage.luma import luma_of
from north_hush.core.footage.options import EvidenceOptions, Orientation
from north_hush.core.footage.reduce import Reduced, Reducer
from north_hush.core.footage.sound import Level
from north_hush.core.footage.stamps import GAP_S, US_PER_S
from north_hush.core.footage.writing import CellSoil
from north_hush.core.grid import Grid
from north_hush.core.hours.clock import Clock
from north_hush.core.hours.spans import Spans, running_in
from north_hush.core.outcome.raised import NEVER_BRIEF
from north_hush.core.scene.plan import Plan, watcher_id
from north_hush.core.sight.hearing_live import LiveHearing
from north_hush.core.sight.sensors import Sensor
from north_hush.core.site.model import View
from north_hush.core.watch.blind_now import BlindNow
from north_hush.core.watch.by_hand import HOURS_COUNT, ByHand
from north_hush.core.watch.day_ahead import AHEAD_US, DayAhead
from north_hush.core.watch.happening import Happening
from north_hush.core.watch.shade import SHADE, SHADE_ON, Shade
from north_hush.core.watch.sources import LiveFrame


class HoursNow:
    """Whether hours hold at an instant; a day of them is worked out at a time."""

    def __init__(self, view: View, clock: Clock, kind: str, by_hand: ByHand = HOURS_COUNT) -> None:
        self._view, self._clock, self._kind, self._by_hand = view, clock, kind, by_hand
        self._known = DayAhead()
        self._said: tuple[int, int, dict[str, Spans]] = (0, 0, {})

    def hold(self, item: str, at_us: int) -> bool:
        """Whether they hold for an item, or what an operator said instead of them does."""
        said = self._by_hand.armed_at(at_us)
        if said is not None:
            return said
        hours = self._view.hours_of(item)
        return self._known.hold(item, at_us, lambda start, end: hours.spans(self._kind, self._clock, start, end))

    def said(self, at_us: int) -> str:
        """What the view's hours of recording say at an instant of how footage is kept; '' where they say nothing."""
        if not self._said[0] <= at_us < self._said[1]:
            start, end = at_us - US_PER_S, at_us + AHEAD_US
            self._said = start, end, self._view.hours.kept_by(self._clock, start, end)
        return next((said for said, spans in self._said[2].items() if running_in(spans, at_us, at_us) is not None), "")


@dataclass
class _Running:
    """An alarm that runs: when it began, and whether it was told."""

    start_us: int
    told_us: int | None = None
    silenced: bool = False
    """By what a contact did before it: it is never told."""


@dataclass
class _Waiting:
    """Motion that is over and was not told: what it needs may still come."""

    item: str
    start_us: int
    facts: dict[str, Any]


class Eye:
    """Feed it frames in order of time. Settings may be changed between two of them: alarms that run go on."""

    def __init__(self, view: View, clock: Clock, first: LiveFrame, orientation: Orientation | None = None) -> None:
        picture, turn = first.picture, orientation or Orientation()
        wide = int(picture.color_range) == 2 or picture.format.name.startswith("yuvj")
        self.grid = Grid(picture.width, picture.height, turn.rotation_deg, turn.flip, wide, 4)
        self._reducer = Reducer(self.grid, EvidenceOptions(orientation=turn), round(GAP_S * US_PER_S))
        self._zones: list[LiveZone] = []
        self._tracks: LiveTracks | None = None
        self._plan: Plan | None = None
        self._shade: Shade | None = None
        self._tell_shade = False
        """Whether a tuning begins to run in the shade."""
        self._running: dict[str, _Running] = {}
        self._first_us = self._now_us = first.time_us
        self.frames = 0
        self._blind = BlindNow(view, clock)
        self._contacts = LiveContacts(view.sensors)
        self._waiting: list[_Waiting] = []
        self._ears: dict[Sensor, LiveHearing] = {}
        self._sensed: dict[str, int] = {}
        """Alarms of contacts that run, by sensor: since when."""
        self.reduced: Reduced | None = None
        """What was made of the frame last looked at."""
        self.take(view, clock)

    def take(self, view: View, clock: Clock, by_hand: ByHand = HOURS_COUNT) -> None:
        """Use other settings, drawings or hours from the next frame on, or what an operator says instead of hours."""
        before = {zone.id: zone for zone in self._zones}
        if self._tracks is None or self._plan is None or self._plan.privacy != view.plan.privacy:
            self._tracks = LiveTracks(view.plan, self.grid)
        self._tracks.take(view.plan)
        self._blind.take(view, clock)
        self.view, self._plan = view, view.plan
        self._contacts.take(view.sensors)
        rules = {sensor: sensor.sound for sensor in view.sensors if sensor.sound is not None}
        known = {sensor: held for sensor, held in self._ears.items() if sensor in rules}
        self._ears = {sensor: known.get(sensor) or LiveHearing(rule, self._first_us) for sensor, rule in rules.items()}
        self._clock, self._by_hand = clock, by_hand
        self._armed = HoursNow(view, clock, "armed", by_hand)
        try:
            self.tuning, self._tuning_until_us = tuning_now(view, clock, self._now_us)
        except HushError:  # hours that cannot be told, as by the sun without a place: the one in use is on
            self.tuning, self._tuning_until_us = view.tuning, np.iinfo(np.int64).max
        same = self._shade is not None and self._shade.tuning.name == view.shade
        self._shade = Shade(view, self.grid, self._tracks, self._shade) if view.shade is not None else None
        self._tell_shade = self._shade is not None and (self._tell_shade or not same)
        self._zones = []
        for watcher in view.plan.watchers:
            item = watcher_id(watcher)
            zone = LiveZone(watcher, view.plan, self.tuning.settings.get(item, FACTORY), self.grid, self._tracks)
            if item in before:
                zone.go_on_from(before[item])
            self._zones.append(zone)

    def look(self, frame: LiveFrame) -> list[Happening]:
        """Take the next frame; what began and ended with it."""
        at_us = frame.time_us - self._first_us
        self._now_us = frame.time_us
        if frame.time_us >= self._tuning_until_us:
            self.take(self.view, self._clock, self._by_hand)
        reduced = self._reducer.reduce(luma_of(frame.picture), self.frames, at_us, frame.key)
        self.frames += 1
        self.reduced = reduced
        found = self._blind.push(reduced.row, self._first_us, frame.time_us) + self._hear(frame.levels)
        for zone in self._zones:
            for alarm in zone.push(reduced):
                found += self._ended(zone.id, alarm)
            if zone.running is not None:
                found += self._runs(zone.id, zone.running, frame.time_us)
        return found + self._shaded(reduced)

    def _shaded(self, reduced: Reduced) -> list[Happening]:
        """What the tuning in the shade would have told, in hours that are armed."""
        if self._shade is None:
            return []
        name, told = self._shade.tuning.name, list[Happening]()
        if self._tell_shade:
            told.append(Happening(self._now_us, SHADE_ON, "", {"tuning": name}))
            self._tell_shade = False
        for held in self._shade.push(reduced):
            start_us, end_us = self._first_us + held.start_us, self._first_us + held.end_us
            if any(self._armed.hold(held.item, at_us) for at_us in (start_us, end_us)):
                told.append(Happening(end_us, SHADE, held.item, {"tuning": name, "start_us": start_us}))
        return told

    def _hear(self, levels: Sequence[Level]) -> list[Happening]:
        """What rules of sound make of it, as of contacts."""
        found = []
        for sensor, ear in self._ears.items():
            for level in levels:
                for turn in ear.push(level):
                    found += self.contact(name_of(sensor), turn.at_us, on=turn.on)
        return found

    def contact(self, name: str, at_us: int, *, on: bool) -> list[Happening]:
        """An input contact went on or off: alarms of its own, and motion that waited for it."""
        if not self._contacts.change(name, at_us, on=on):
            return []
        found = []
        for sensor in self._contacts.starting(name):
            since = self._sensed.pop(sensor.id, None)
            if since is not None:
                found.append(Happening(at_us, "alarm_end", sensor.id, {"start_us": since, "frames": NEVER_BRIEF}))
            elif on and self._armed.hold(sensor.id, at_us):
                self._sensed[sensor.id] = at_us
                found.append(Happening(at_us, "alarm_start", sensor.id, {"frames": NEVER_BRIEF}))
        return found + self._joined(at_us)

    def _joined(self, now_us: int) -> list[Happening]:
        """Motion that was over before what it needed came: it counts now, and is over with it."""
        found, still = [], list[_Waiting]()
        for held in self._waiting:
            if self._contacts.lets(held.item, held.start_us):
                if self._armed.hold(held.item, now_us):
                    found.append(Happening(now_us, "alarm_start", held.item, held.facts))
                    found.append(Happening(now_us, "alarm_end", held.item, {"start_us": now_us, **held.facts}))
            elif now_us <= held.start_us + self._contacts.awaits_us(held.item):
                still.append(held)
        self._waiting = still
        return found

    def soil(self) -> CellSoil:
        """Noise and brightness of each cell by now, see `Reducer.soil`."""
        return self._reducer.soil()

    def levels(self) -> dict[str, float]:
        """The level of each item by now, in percent."""
        return {zone.id: zone.level_percent for zone in self._zones}

    @property
    def alarmed(self) -> bool:
        """Whether an alarm runs that counts."""
        return any(held.told_us is not None for held in self._running.values())

    def _runs(self, item: str, alarm: Alarm, now_us: int) -> list[Happening]:
        """An alarm runs: it is told when it starts, or when it is armed while it runs."""
        held = self._running.get(item)
        if held is None:
            start_us = self._first_us + alarm.start_us
            held = self._running[item] = _Running(start_us, silenced=self._contacts.silenced(item, start_us))
        counts = not held.silenced and self._contacts.lets(item, held.start_us)
        if held.told_us is None and counts and self._armed.hold(item, now_us):
            held.told_us = now_us
            return [Happening(now_us, "alarm_start", item, self._facts(item, alarm))]
        return []

    def _ended(self, item: str, alarm: Alarm) -> list[Happening]:
        """An alarm ended; one of which nobody saw the start (a crossing is over as soon as it is known) starts and ends now."""
        held = self._running.pop(item, None)
        start_us, end_us = self._first_us + alarm.start_us, self._first_us + alarm.end_us
        told = held is not None and held.told_us is not None
        if not told:
            silenced = held.silenced if held is not None else self._contacts.silenced(item, start_us)
            if silenced or not self._contacts.lets(item, start_us):
                if not silenced and self._contacts.awaits_us(item):
                    self._waiting.append(_Waiting(item, start_us, self._facts(item, alarm)))
                return []
        if not told and not self._armed.hold(item, end_us):
            return []
        begins = [] if told else [Happening(start_us, "alarm_start", item, self._facts(item, alarm))]
        return [
            *begins,
            Happening(
                end_us,
                "alarm_end",
                item,
                {"start_us": start_us, "ended_by": alarm.ended_by, **self._facts(item, alarm)},
            ),
        ]

    def _facts(self, item: str, alarm: Alarm) -> dict[str, Any]:
        """What scripts and people are told of an alarm besides its times; `frames` are those in which change lasted."""
        if alarm.direction:
            return {"frames": NEVER_BRIEF, "direction": alarm.direction, "sure": alarm.sure}
        waited = self.tuning.of(item).release_frames if alarm.ended_by == "level" else 0
        return {"frames": max(1, alarm.end_frame - alarm.onset_frame + 1 - waited)}

    def lost(self, why: str = "gap") -> list[Happening]:
        """The picture is lost, or nobody looks any more: what runs ends with the last frame there was."""
        at_us = self._first_us + self._reducer.last_us
        found = [
            Happening(at_us, "alarm_end", item, {"start_us": held.start_us, "ended_by": why})
            for item, held in self._running.items()
            if held.told_us is not None
        ]
        for sensor, ear in self._ears.items():
            for turn in ear.lost():
                found += self.contact(name_of(sensor), turn.at_us, on=turn.on)
        self._running.clear()
        self._waiting.clear()
        for zone in self._zones:
            zone.forget()
        if self._shade is not None:
            self._shade.forget()
        return found
