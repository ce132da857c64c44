"""Sensors beside the picture: what they make of alarms, worked by hand."""

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from pydantic import ValidationError

from north_hush.core.detect.alarms import Alarm
from north_hush.core.detect.lane import Lane
from north_hush.core.detect.settings import FACTORY
from north_hush.core.evaluate.evaluator import Evaluator
from north_hush.core.evaluate.sensed import Sensed, level_percent, needed, unless, with_sensors
from north_hush.core.footage.reduce import FRAME_DTYPE
from north_hush.core.footage.sound import Sound
from north_hush.core.grid import Grid
from north_hush.core.hours.spans import NOTHING, spans_of
from north_hush.core.judge.incidents import Incident, Truth
from north_hush.core.scene.plan import Plan
from north_hush.core.sight.hearing import SoundRule
from north_hush.core.sight.sensors import Sensor
from tests.evidence_maker import evidence_of

TIMES = np.arange(300, dtype=np.int64) * 100_000
DOOR = Sensor(id="sensor-1", name="Door", contact="door")


def alarm(start_s, end_s):
    first, last = round(10 * start_s), round(10 * end_s)
    return Alarm(first, first, last, "level", 5, first * 100_000, first * 100_000, last * 100_000)


def spans(*pairs):
    return spans_of((round(1e6 * start), round(1e6 * end)) for start, end in pairs)


def still():
    rows = np.zeros(300, FRAME_DTYPE)
    rows["time_us"], rows["valid"] = TIMES, True
    return evidence_of(Grid(40, 40), rows, np.zeros((100, 300), np.uint8))


@pytest.mark.parametrize(
    ("held", "start_s"),
    [
        ((9.0, 9.5), 10.0),
        ((10.5, 11), 10.5),
        ((7.0, 7.9), None),
        ((7.0, 8.1), 10.0),
        ((12.0, 13.0), 12.0),
        ((12.1, 13.0), None),
    ],
)
def test_what_is_needed_within_two_seconds(held, start_s):
    found = needed(alarm(10, 14), spans(held), 2_000_000, TIMES)
    assert (None if found is None else found.start_us / 1e6) == start_s
    if found is not None:
        assert found.start_frame == round(10 * start_s) and found.end_us == 14_000_000


def test_an_alarm_that_was_over_when_what_it_needed_came_starts_and_ends_then():
    found = needed(alarm(10, 10.5), spans((12, 13)), 2_000_000, TIMES)
    assert (found.start_us, found.end_us) == (12_000_000, 12_000_000)


@pytest.mark.parametrize(
    ("held", "stays"),
    [((9.0, 9.5), False), ((7.0, 7.9), True), ((9.0, 20.0), False), ((10.1, 11.0), True), ((8.5, 9.0), False)],
)
def test_what_silences_does_so_while_it_holds_and_shortly_after_and_takes_nothing_back(held, stays):
    assert (unless(alarm(10, 14), spans(held), 2_000_000, TIMES) is not None) == stays


@given(st.lists(st.tuples(st.integers(0, 280), st.integers(1, 20)), max_size=5), st.integers(0, 60))
def test_with_nothing_sensed_nothing_is_needed_in_vain_and_nothing_silenced(pairs, within):
    one, held = alarm(10, 14), spans(*((start / 10, (start + length) / 10) for start, length in pairs))
    found = needed(one, held, within * 100_000, TIMES)
    assert found is None or found.start_us >= one.start_us
    assert needed(one, NOTHING, within * 100_000, TIMES) is None
    assert unless(one, NOTHING, within * 100_000, TIMES) == one


def test_lanes_of_sensors_come_after_those_of_motion_and_only_named_items_are_concerned():
    lanes = [Lane(name, name, np.zeros(300, np.int64), 100, [alarm(10, 14)], FACTORY) for name in ("zone-1", "zone-2")]
    key = DOOR.model_copy(
        update={"id": "sensor-2", "name": "Key", "contact": "key", "role": "veto", "items": ("zone-2",)}
    )
    sensed = Sensed((DOOR, key), {"sensor-1": spans((2, 3), (20, 21)), "sensor-2": spans((9, 12))})
    found = with_sensors(lanes, sensed, still())
    assert [lane.zone_id for lane in found] == ["zone-1", "zone-2", "sensor-1", "sensor-2"]
    assert [len(lane.alarms) for lane in found] == [1, 0, 2, 0]
    door = found[2]
    assert door.kind == "contact"
    assert [(one.start_us, one.end_us) for one in door.alarms] == [(2_000_000, 2_999_999), (20_000_000, 20_999_999)]
    assert door.percent(int(door.areas[25])) == 100 and door.areas[19] == 0


def test_alarms_of_a_sensor_are_held_against_what_is_known_by_time_alone():
    truth = Truth(
        incidents=(Incident(name="opens", start_s=2, end_s=4, place=((2.0, 0.1, 0.1, 0.2, 0.2),)),), complete=True
    )
    sensed = Sensed((DOOR,), {"sensor-1": spans((2.5, 3), (20, 21))})
    found = Evaluator().evaluate(still(), Plan(), {}, truth, None, sensed)
    assert (found.score.met, found.score.nuisances) == (1, 1)


def test_a_level_is_half_where_it_is_told():
    levels = np.full(200, -40.0, np.float32)
    levels[150:] = -28.0
    sound = Sound(levels, levels)
    jump = level_percent(sound, SoundRule(hears="jump", level_db=12))
    assert jump[100] == 0 and jump[150] == pytest.approx(50)
    louder = level_percent(sound, SoundRule(hears="louder", level_db=-28))
    assert louder[150] == pytest.approx(50) and 0 < louder[100] < 50


def test_a_sensor_is_one_thing():
    with pytest.raises(ValidationError, match="either a contact or a rule of sound"):
        Sensor(id="s", name="Nothing")
    with pytest.raises(ValidationError, match="either a contact or a rule of sound"):
        Sensor(id="s", name="Both", contact="door", sound=SoundRule(hears="jump"))
