"""What sensors beside the picture did over a recording, and what that makes of its alarms.

Rules. A sensor that starts alarms has a lane of its own: each time it held is an alarm. One that is needed lets an alarm of motion
count when it held at any instant from `within_s` before its start on to as long after it; where it came later the alarm starts then.
One that silences takes away an alarm that starts while it holds, or within `within_s` after it; what it does later takes nothing back.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from north_hush.core.detect.alarms import Alarm
from north_hush.core.detect.lane import Lane
from north_hush.core.detect.settings import FACTORY
from north_hush.core.footage.evidence import Evidence
from north_hush.core.footage.index import FrameIndex
from north_hush.core.footage.sound import SILENT_DB, WINDOW_US, Sound
from north_hush.core.footage.sound_kept import kept_sound
from north_hush.core.footage.stamps import US_PER_S
from north_hush.core.hours.spans import NOTHING, Spans, spans_of
from north_hush.core.sight.hearing import SoundRule, heard_in, usual_db
from north_hush.core.sight.sensors import Sensor
from north_hush.core.site.model import View
from north_hush.core.site.recording import Recording

_FULL, _START_PERCENT = 10_000, 50.0
"""A sensor's level is drawn so that what it is told at lies at half of it."""
_SHOWN_DB = 40.0
"""So far below what is told the level of *louder* begins."""
_DIALS = FACTORY.turned(start_percent=_START_PERCENT, clear_percent=_START_PERCENT)


@dataclass(frozen=True, eq=False)
class Sensed:
    """What each sensor of a view did over a recording, in microseconds after its first frame.

    Attributes
    ----------
    spans : by sensor, when it held
    sound : levels, where the recording has any and a sensor listens
    """

    sensors: tuple[Sensor, ...]
    spans: Mapping[str, Spans]
    sound: Sound | None = None

    def __eq__(self, other: object) -> bool:
        if not isinstance(other, Sensed) or self.sensors != other.sensors:
            return False
        return all(np.array_equal(held, other.spans[name]) for name, held in self.spans.items())

    __hash__ = None  # type: ignore[assignment]


def sensed_over(view: View, recording: Recording, index: FrameIndex, evidence: Evidence) -> Sensed | None:
    """What the sensors of a view did over a recording; None where the view has none. Sound that a recording lacks never holds."""
    if not view.sensors:
        return None
    listens = any(sensor.sound is not None for sensor in view.sensors)
    sound = kept_sound(index, evidence) if listens else None
    spans = {sensor.id: _held(sensor, sound, recording) for sensor in view.sensors}
    return Sensed(view.sensors, spans, sound)


def _held(sensor: Sensor, sound: Sound | None, recording: Recording) -> Spans:
    if sensor.sound is None:
        return spans_of(
            (round(one.start_s * US_PER_S), max(round(one.end_s * US_PER_S), round(one.start_s * US_PER_S) + 1))
            for one in recording.contacts
            if one.label == sensor.contact
        )
    return NOTHING if sound is None else spans_of((one.start_us, one.end_us) for one in heard_in(sound, sensor.sound))


def with_sensors(lanes: Sequence[Lane], sensed: Sensed, evidence: Evidence) -> list[Lane]:
    """Lanes of motion as sensors leave them, then a lane for each sensor."""
    found = list(lanes)
    for sensor in sensed.sensors:
        if sensor.role != "start":
            found = [_filtered(lane, sensor, sensed.spans[sensor.id], evidence) for lane in found]
    return [*found, *(_lane(sensor, sensed, evidence) for sensor in sensed.sensors)]


def _filtered(lane: Lane, sensor: Sensor, spans: Spans, evidence: Evidence) -> Lane:
    if sensor.items and lane.zone_id not in sensor.items:
        return lane
    within_us = round(sensor.within_s * US_PER_S)
    rule = needed if sensor.role == "need" else unless
    alarms = [kept for alarm in lane.alarms if (kept := rule(alarm, spans, within_us, evidence.time_us)) is not None]
    return replace(lane, alarms=alarms)


def needed(alarm: Alarm, spans: Spans, within_us: int, time_us: NDArray[np.int64]) -> Alarm | None:
    """An alarm that counts because something held near its start; from then on, where that came later."""
    near = (spans[:, 0] <= alarm.start_us + within_us) & (spans[:, 1] > alarm.start_us - within_us)
    if not near.any():
        return None
    start_us = max(alarm.start_us, int(spans[near, 0].min()))
    if start_us == alarm.start_us:
        return alarm
    frame = min(int(np.searchsorted(time_us, start_us)), len(time_us) - 1)
    end = max(alarm.end_frame, frame), max(alarm.end_us, int(time_us[frame]))
    return replace(alarm, start_us=start_us, start_frame=frame, end_frame=end[0], end_us=end[1])


def unless(alarm: Alarm, spans: Spans, within_us: int, time_us: NDArray[np.int64]) -> Alarm | None:
    """An alarm, unless something held when it started, or shortly before."""
    silenced = (spans[:, 0] <= alarm.start_us) & (spans[:, 1] + within_us > alarm.start_us)
    return None if silenced.any() else alarm


def _lane(sensor: Sensor, sensed: Sensed, evidence: Evidence) -> Lane:
    time_us, spans = evidence.time_us, sensed.spans[sensor.id]
    areas = np.zeros(len(time_us), np.int64)
    if sensor.sound is not None and sensed.sound is not None:
        levels = level_percent(sensed.sound, sensor.sound)
        place = np.minimum(time_us // WINDOW_US, len(levels) - 1)
        areas = np.where(time_us // WINDOW_US < len(levels), levels[place] * _FULL // 100, 0).astype(np.int64)
    for start, end in spans.tolist() if sensor.sound is None else ():
        areas[np.searchsorted(time_us, start) : np.searchsorted(time_us, end)] = _FULL
    alarms = [_alarm(start, end, areas, time_us) for start, end in spans.tolist()] if sensor.role == "start" else []
    return Lane(sensor.id, sensor.name, areas, _FULL, alarms, _DIALS, "contact" if sensor.contact else "sound")


def _alarm(start_us: int, end_us: int, areas: NDArray[np.int64], time_us: NDArray[np.int64]) -> Alarm:
    last = len(time_us) - 1
    first, after = (min(int(np.searchsorted(time_us, at)), last) for at in (start_us, end_us))
    after = max(first, after)
    peak = int(areas[first : after + 1].max(initial=0))
    return Alarm(first, first, after, "level", peak, start_us, start_us, max(start_us, end_us - 1))


def level_percent(sound: Sound, rule: SoundRule) -> NDArray[np.float64]:
    """How near each tenth of a second is to what is told, (windows,): half of it is there, all of it twice as far."""
    levels = (sound.weighted_db if rule.weighted else sound.plain_db).astype(np.float64)
    heard = np.where(np.isfinite(levels), levels, SILENT_DB)
    if rule.hears == "louder":
        share = 1 + (heard - rule.level_db) / _SHOWN_DB
    elif rule.hears == "dead":
        share = (heard - SILENT_DB) / -SILENT_DB
    else:
        away = heard - usual_db(levels.astype(np.float32)).astype(np.float64)
        away = {"jump": away, "drop": -away}.get(rule.hears, np.abs(away))
        share = away / max(0.1, abs(rule.level_db))
    return np.clip(_START_PERCENT * share, 0.0, 100.0)
