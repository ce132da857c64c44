"""Re-arm, longest alarm, light guard, size and travel: by hand, and monotonic where the rule is."""

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from pydantic import ValidationError

from north_hush.core.detect.alarms import find_alarms
from north_hush.core.detect.guard import LightGuard
from north_hush.core.detect.settings import FACTORY, ZoneSettings
from north_hush.core.evaluate.evaluator import Evaluator
from north_hush.core.follow.owned import FRAME, OWNED_FIELDS, TRACK, X, Y
from north_hush.core.follow.visits import ZoneWatch, needs_tracks
from north_hush.core.footage.reduce import FRAME_DTYPE
from north_hush.core.scene.plan import Plan
from tests.core.follow.test_owned import GRID, SETTINGS, line, sights_of, walk, wire, zone
from tests.evidence_maker import whole_channel

BASE = ZoneSettings(start_percent=50, clear_percent=50, confirm_frames=1, release_frames=1)


def run(areas, allowed=None, **dials):
    areas = np.array(areas)
    flags = np.ones(len(areas), bool)
    found = find_alarms(
        areas, flags, ~flags, 100, BASE.model_copy(update=dials), np.arange(len(areas)) * 100_000, allowed
    )
    return [(alarm.start_frame, alarm.end_frame, alarm.ended_by) for alarm in found]


BURSTS = [90, 0, 90, 0, 0, 90, 90, 0]


def test_nothing_confirms_until_the_re_arm_time_is_over():
    assert [start for start, _, _ in run(BURSTS)] == [0, 2, 5]
    assert [start for start, _, _ in run(BURSTS, rearm_s=0.2)] == [0, 5]
    # ended at 0.1 s; 0.5 s later is frame 6, in the middle of the last burst
    assert [start for start, _, _ in run(BURSTS, rearm_s=0.5)] == [0, 6]


def test_an_endless_alarm_is_split():
    assert run([90] * 25 + [0], longest_s=1.0) == [(0, 9, "split"), (10, 19, "split"), (20, 25, "level")]
    assert run([90] * 25, longest_s=2.5) == [(0, 24, "open")]


def test_frames_that_are_not_allowed_confirm_nothing_and_end_nothing():
    allowed = np.array([0, 0, 1, 0, 0, 0], bool)
    assert run([90] * 5 + [0], allowed) == [(2, 5, "level")]
    assert run([90] * 6, np.zeros(6, bool)) == []


@settings(max_examples=100)
@given(st.lists(st.integers(0, 100), min_size=1, max_size=60), st.floats(0, 3), st.floats(0, 3))
def test_a_longer_re_arm_time_raises_no_more(areas, rearm_s, more):
    assert len(run(areas, rearm_s=rearm_s + more)) <= len(run(areas, rearm_s=rearm_s))


@settings(max_examples=60)
@given(st.lists(st.integers(0, 100), min_size=1, max_size=60), st.floats(1, 3))
def test_splitting_leaves_the_time_in_alarm_as_it_is(areas, longest_s):
    def frames(alarms):
        return {frame for start, end, _ in alarms for frame in range(start, end + 1)}

    parted, whole = frames(run(areas, longest_s=longest_s)), frames(run(areas))
    assert parted <= whole
    # Where it falls quiet in the very frame in which it is split, no new piece begins for what it takes to be released.
    assert all(areas[frame] < BASE.clear_percent for frame in whole - parted)


# --- light guard --------------------------------------------------------------------------------------------------------


def rows(shares_percent, valid=None):
    held = np.zeros(len(shares_percent), FRAME_DTYPE)
    held["time_us"] = np.arange(len(held)) * 100_000
    held["valid"] = True if valid is None else valid
    held["share_8"] = np.array(shares_percent) * 100
    return held


def test_the_guard_holds_for_its_time_after_each_flash():
    flash = rows([0, 0, 40, 0, 0, 0, 0, 39, 0])
    guard = {"guard_percent": 40, "guard_hold_s": 0.2}
    assert LightGuard(ZoneSettings(**guard)).feed(flash).tolist() == [False, False, True, True, True, *[False] * 4]
    assert not LightGuard(FACTORY).feed(rows([100, 100])).any()
    assert not LightGuard(ZoneSettings(**guard)).feed(rows([90, 0], [False, True])).any()


@given(st.lists(st.integers(0, 100), min_size=1, max_size=40), st.integers(1, 99), st.floats(0, 2), st.integers(1, 39))
def test_the_guard_frame_by_frame_is_the_same_and_stricter_guards_more(shares, percent, hold_s, cut):
    held = ZoneSettings(guard_percent=percent, guard_hold_s=hold_s)
    whole = LightGuard(held).feed(rows(shares))
    parts = LightGuard(held)
    assert np.array_equal(np.concatenate([parts.feed(rows(shares)[:cut]), parts.feed(rows(shares)[cut:])]), whole)
    stricter = LightGuard(ZoneSettings(guard_percent=max(1, percent - 5), guard_hold_s=hold_s + 0.5)).feed(rows(shares))
    assert (stricter >= whole).all()


def test_a_flash_of_the_whole_view_raises_nothing_under_guard():
    evidence = walk(line(20, 0))
    evidence.frames["share_8"][10:13] = 5000
    whole_channel(evidence, "step")[:] = 0
    whole_channel(evidence, "step")[:, 10:13] = 90

    def found(**dials):
        return Evaluator().lane(evidence, None, Plan(), {"whole-picture": SETTINGS.model_copy(update=dials)}).alarms

    assert len(found()) == 1
    assert found(guard_percent=30.0) == []
    assert len(found(guard_percent=60.0)) == 1


# --- size and travel ----------------------------------------------------------------------------------------------------


def alarms(evidence, **dials):
    held = zone("motion")
    return Evaluator().lane(evidence, held, Plan(zones=(held,)), {"z": SETTINGS.model_copy(update=dials)}).alarms


def test_size_limits_leave_out_small_and_large_things():
    person = walk(line(20, 8))  # 3 x 7 cells of 3,600: 0.58 % of the view
    assert len(alarms(person, size_min_percent=0.5)) == 1
    assert alarms(person, size_min_percent=0.7) == []
    assert alarms(person, size_max_percent=0.4) == []
    assert len(alarms(person, size_max_percent=0.7)) == 1


def test_travel_tells_who_walks_from_what_sways():
    sways = walk(lambda t: (45 + 1.5 * np.sin(5 * t), 20))
    assert len(alarms(sways)) >= 1
    assert alarms(sways, travel_percent=10.0) == []
    walks = alarms(walk(line(10, 8)), travel_percent=20.0)
    assert len(walks) == 1
    late = alarms(walk(line(10, 8)), travel_percent=40.0)
    assert late[0].start_frame > walks[0].start_frame


@settings(max_examples=20, deadline=None)
@given(st.floats(0, 50), st.floats(0, 50), st.floats(0, 1), st.floats(0, 1))
def test_stricter_limits_allow_no_more_frames(travel, more, small, bigger):
    evidence = walk(line(10, 8), line(60, -2, y=30))
    sights = sights_of(evidence)
    loose = ZoneSettings(travel_percent=travel, size_min_percent=small)
    strict = ZoneSettings(travel_percent=min(100, travel + more), size_min_percent=small + bigger)
    allowed = [ZoneWatch(zone("motion"), held, GRID).feed(sights, evidence.time_us) for held in (loose, strict)]
    assert (allowed[1] <= allowed[0]).all()


def test_only_what_needs_tracks_follows_them():
    assert not needs_tracks(None, FACTORY)
    assert needs_tracks(None, ZoneSettings(travel_percent=1))
    assert needs_tracks(zone("entry"), FACTORY)
    assert not needs_tracks(wire("broken"), ZoneSettings(travel_percent=1))


@pytest.mark.parametrize(
    ("dials", "says"),
    [
        ({"size_min_percent": 5, "size_max_percent": 2}, "size_min_percent is 5, above size_max_percent 2"),
        ({"rearm_s": -1}, "rearm_s"),
        ({"guard_percent": 0}, "guard_percent"),
        ({"longest_s": 0}, "longest_s"),
        ({"travel_percent": 101}, "travel_percent"),
    ],
)
def test_dials_out_of_range_are_named(dials, says):
    with pytest.raises(ValidationError, match=says):
        ZoneSettings(**dials)


def test_a_storm_of_short_tracks_is_forgotten_and_costs_no_more_the_longer_it_lasts(monkeypatch):
    """Snow makes thousands of tracks; clearing out at every new one made three minutes of it take 14.6 s."""
    frames, each = 1800, 20
    rng = np.random.default_rng(7)
    sights = np.zeros((frames * each, OWNED_FIELDS))
    sights[:, FRAME] = np.repeat(np.arange(frames), each)
    sights[:, TRACK] = np.arange(frames * each)  # nobody is seen twice
    sights[:, X], sights[:, Y] = rng.uniform(0, GRID.columns, frames * each), rng.uniform(0, GRID.rows, frames * each)
    time_us = np.arange(frames) * 100_000
    cleared, held = [], []
    watch = ZoneWatch(zone("entry"), ZoneSettings(), GRID)
    forget = ZoneWatch._forget

    def counted(self, now_us):
        cleared.append(now_us)
        forget(self, now_us)
        held.append(len(self._visits))

    monkeypatch.setattr(ZoneWatch, "_forget", counted)
    watch.feed(sights, time_us)
    assert len(cleared) <= frames * 0.1 + 1  # seconds of it, whatever the number of tracks
    assert np.diff(cleared).min() >= 1_000_000
    assert max(held) <= each * 10 * 62  # those of the last minute
