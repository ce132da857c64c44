"""Entry and loitering: who comes, who stays, and when an alarm of a visit begins and ends."""

import numpy as np
import pytest

from north_hush.core.detect.alarms import ALLOWED, COMES, REFUSED, STAYS, Part, switched_alarms
from north_hush.core.detect.settings import ZoneSettings
from north_hush.core.evaluate.evaluator import Evaluator
from north_hush.core.evaluate.live import LiveTracks, LiveZone
from north_hush.core.follow.owned import TRACK
from north_hush.core.follow.visits import ZoneWatch
from north_hush.core.footage.evidence import Evidence
from north_hush.core.footage.reduce import Reduced
from north_hush.core.scene.area import area_of
from north_hush.core.scene.outline import rectangle
from north_hush.core.scene.plan import Plan
from tests.core.follow.test_owned import GRID, SETTINGS, line, sights_of, walk, zone
from tests.evidence_maker import all_channels, whole_channel

BASE = ZoneSettings(start_percent=50, clear_percent=50, confirm_frames=1, release_frames=2)


def run(areas, frames, *, visits=True, **dials):
    areas, allowed = np.array(areas, np.int64), np.array(frames, np.uint8)
    flags = np.ones(len(areas), bool)
    part = Part(areas, flags, allowed, BASE.model_copy(update=dials), visits)
    found = switched_alarms([part], ~flags, 100, np.arange(len(areas)) * 100_000)
    return [(alarm.start_frame, alarm.end_frame, alarm.ended_by) for alarm in found]


def alarms(evidence, fires, **dials):
    held = zone(fires)
    found = Evaluator().lane(evidence, held, Plan(zones=(held,)), {"z": SETTINGS.model_copy(update=dials)}).alarms
    return [(round(alarm.start_s, 1), round(alarm.end_s, 1), alarm.ended_by) for alarm in found]


def restless(evidence, rows=slice(36, 40), columns=slice(34, 50)):
    """A place in the zone that changes all the time, and that nobody follows."""
    step = whole_channel(evidence, "step").reshape(GRID.rows, GRID.columns, -1)
    step[rows, columns, ::2] = 60
    return evidence


def lit(evidence, frames):
    """In some frames all of the zone's own channel changes; what is followed stays."""
    light = whole_channel(evidence, "step").copy()
    light[:, frames] = 90

    def read(name, block):
        return light if name == "step" else whole_channel(evidence, name)

    return Evidence("light", GRID, evidence.options, evidence.frames, read)


def comes_and_stands(t, x=42.0):
    """In from the left at 12 cells a second, to a place in the zone where he shifts his weight."""
    return min(10 + 12 * t, x) + 0.6 * (round(10 * t) % 2), 20


# --- the rule -----------------------------------------------------------------------------------------------------------


def test_a_visit_lasts_while_somebody_is_there_and_no_longer():
    there = [ALLOWED, ALLOWED, STAYS, STAYS, ALLOWED, REFUSED, REFUSED, REFUSED]
    assert run([90, 90, 0, 0, 0, 90, 90, 90], there) == [(0, 6, "level")]
    assert run([90, 90, 0, 0, 0, 90, 90, 90], there, visits=False) == [(0, 3, "level")]


def test_who_stays_starts_nothing():
    assert run([90] * 4, [STAYS] * 4) == []


def test_another_who_comes_is_an_alarm_of_his_own_once_the_re_arm_time_is_over():
    frames = [COMES, ALLOWED, ALLOWED, COMES, ALLOWED, REFUSED, REFUSED]
    assert run([90] * 7, frames) == [(0, 2, "next"), (3, 6, "level")]
    assert run([90] * 7, frames, rearm_s=0.3) == [(0, 2, "next"), (3, 6, "level")]
    assert run([90] * 7, frames, rearm_s=0.4) == [(0, 6, "level")]


def test_nobody_comes_while_the_level_counts_as_nothing():
    assert run([90, 90, 0, 90], [COMES, ALLOWED, COMES, ALLOWED]) == [(0, 3, "open")]


# --- who comes ----------------------------------------------------------------------------------------------------------


def test_an_entry_ends_when_he_went_whatever_else_moves_in_the_zone():
    evidence = restless(walk(line(10, 12), frames=80))
    ((start_s, end_s, ended_by),) = alarms(evidence, "entry")
    assert start_s == pytest.approx(1.9, abs=0.3)  # column 32
    assert end_s == pytest.approx(3.9 + 2.0 + 0.3, abs=0.3)  # column 56, two seconds and three frames
    assert ended_by == "level"
    assert alarms(evidence, "motion")[-1][2] == "open"


def test_a_second_who_comes_while_the_first_is_there_is_told():
    stands = walk(comes_and_stands, line(90, -7, y=36), frames=80)
    found = alarms(stands, "entry")
    assert [ended_by for _, _, ended_by in found] == ["next", "open"]
    assert found[1][0] == pytest.approx((90 - 56) / 7, abs=0.4)


def test_who_comes_right_behind_another_comes_with_him():
    found = alarms(walk(line(10, 10), line(2, 10, y=40)), "entry")
    assert len(found) == 1


def test_who_is_lost_in_the_zone_and_found_again_beside_goes_on_with_his_visit():
    lost = (3.8, 6.4)  # for longer than a track lives unseen

    def seen(t):
        return not lost[0] <= t < lost[1]

    def goes_on(t):
        return comes_and_stands(t)[0] + max(0.0, 3 * (t - lost[1])), 20

    evidence = walk(lambda t: goes_on(t) if seen(t) else None, frames=90)
    found = alarms(evidence, "entry")
    assert [start_s for start_s, _, _ in found] == pytest.approx([1.9, 6.9], abs=0.5)
    inside = walk(lambda t: goes_on(t) if t >= lost[1] else None, frames=90)
    assert alarms(inside, "entry") == []  # of whom nobody knows whence


def test_who_comes_in_grain_over_the_change_limit_is_told_and_motion_of_a_size_is_not():
    grainy = lit(walk(line(10, 12), frames=80), slice(0, None))
    ((start_s, _, _),) = alarms(grainy, "entry", size_min_percent=0.3)
    assert start_s == pytest.approx(1.9, abs=0.3)
    assert alarms(grainy, "motion", size_min_percent=0.3) == []


def test_a_camera_that_ran_for_years_has_high_numbers_of_tracks_and_needs_no_more_room():
    evidence = walk(line(10, 12))
    sights = sights_of(evidence)
    sights[:, TRACK] += 10**12
    fires = ZoneWatch(zone("entry"), SETTINGS, GRID).feed(sights, evidence.time_us)
    assert fires.tolist().count(COMES) == 1


# --- who stays ----------------------------------------------------------------------------------------------------------


def test_the_time_outside_is_no_stay():
    """He is seen for 1.8 s before he is in the zone, where he is for two."""
    assert alarms(walk(line(10, 12)), "loitering", loiter_s=3.0) == []


def test_who_stays_and_stands_still_is_told_while_the_light_of_the_whole_view_changed():
    """The background of a channel knows the new light late; who is followed has been there all the time."""
    changed = lit(walk(line(45, 0.2), frames=90), slice(20, 70))
    ((start_s, _, _),) = alarms(changed, "loitering", loiter_s=3.0)
    assert start_s == pytest.approx(3.0, abs=0.2)


# --- live ---------------------------------------------------------------------------------------------------------------


@pytest.mark.parametrize("drawn", [False, True])
def test_who_is_there_stays_known_when_a_dial_is_turned_or_the_zone_is_drawn_larger_while_it_runs(drawn):
    evidence, held = walk(comes_and_stands, frames=60), zone("entry")
    plan = Plan(zones=(held,))
    tracks = LiveTracks(plan, GRID)
    live = LiveZone(held, plan, SETTINGS, GRID, tracks)
    values, ended = whole_channel(evidence, "step"), []
    for number, row in enumerate(evidence.frames):
        if number == 40:
            larger = held.model_copy(update={"area": area_of(rectangle((0.38, 0.1), (0.8, 0.9)))})
            held = larger if drawn else held
            dials = SETTINGS.model_copy(update={"size_min_percent": 0.0 if drawn else 0.05})
            turned = LiveZone(held, Plan(zones=(held,)), dials, GRID, tracks)
            turned.go_on_from(live)
            live = turned
        ended += live.push(Reduced(row, all_channels(values[:, number])))
    assert ended == []
    assert live.running is not None
    assert live.running.start_s == pytest.approx(1.9, abs=0.3)
