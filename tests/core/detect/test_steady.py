"""Analysis rate, smoothing, steady motion, and limits in person heights."""

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from north_hush.core.detect.settings import FACTORY, ZoneSettings
from north_hush.core.detect.steady import Steadier
from north_hush.core.evaluate.evaluator import Evaluator
from north_hush.core.scene.items import SizeMark
from north_hush.core.scene.plan import Plan
from tests.core.follow.test_owned import GRID, SETTINGS, line, walk, zone


def steadied(areas, *, interval_ms=100, gaps=(), invalid=(), total=100, **dials):
    frames = len(areas)
    valid, gap = np.ones(frames, bool), np.zeros(frames, bool)
    valid[list(invalid)], gap[list(gaps)] = False, True
    time_us = np.arange(frames) * interval_ms * 1000
    steadier = Steadier(ZoneSettings(**dials), total)
    compared, counts = steadier.feed(np.array(areas, np.int64), valid, gap, time_us)
    return compared.tolist(), counts.tolist()


def test_factory_changes_nothing():
    assert steadied([1, 2, 3], invalid=[1]) == ([1, 2, 3], [True, False, True])


def test_a_lower_rate_takes_the_first_frame_of_each_slot():
    _, counts = steadied([1] * 10, interval_ms=66, analysis_per_s=5)
    assert [i for i, counted in enumerate(counts) if counted] == [0, 4, 7]  # 0, 264 and 462 ms
    shown, _ = steadied([7, 1, 2, 3, 8, 1], interval_ms=66, analysis_per_s=5)
    assert shown == [7, 7, 7, 7, 8, 8]
    _, counts = steadied([1] * 10, interval_ms=66, analysis_per_s=5, invalid=[4])
    assert [i for i, counted in enumerate(counts) if counted] == [0, 5, 7]


def test_smoothing_is_the_lower_median_of_the_last_frames():
    assert steadied([0, 9, 0, 9, 9, 9], smooth_frames=3)[0] == [0, 0, 0, 9, 9, 9]
    assert steadied([4, 8, 2, 6], smooth_frames=4)[0] == [4, 4, 4, 4]
    assert steadied([9, 9, 9, 0, 0], smooth_frames=3, gaps=[3])[0] == [9, 9, 9, 0, 0]  # a gap forgets


def test_steady_motion_sinks_and_what_comes_on_top_stands_out():
    compared, _ = steadied([40] * 200 + [90] * 5, usual_s=2.0)
    assert compared[0] == 40
    assert max(compared[100:200]) <= 1
    assert compared[200] >= 45


@settings(max_examples=60)
@given(
    areas=st.lists(st.integers(0, 100), min_size=2, max_size=50),
    smooth=st.integers(1, 7),
    usual_s=st.sampled_from([0.0, 0.5, 4.0]),
    rate=st.sampled_from([0, 2, 5]),
    cut=st.integers(1, 49),
)
def test_frame_by_frame_is_the_same_and_never_above_what_was_seen(areas, smooth, usual_s, rate, cut):
    held = ZoneSettings(smooth_frames=smooth, usual_s=usual_s, analysis_per_s=rate)
    values, valid = np.array(areas, np.int64), np.ones(len(areas), bool)
    time_us = np.arange(len(areas)) * 70_000
    whole = Steadier(held, 100).feed(values, valid, ~valid, time_us)
    parts = Steadier(held, 100)
    first = parts.feed(values[:cut], valid[:cut], ~valid[:cut], time_us[:cut])
    rest = parts.feed(values[cut:], valid[cut:], ~valid[cut:], time_us[cut:])
    for one, a, b in zip(whole, first, rest, strict=True):
        assert np.array_equal(one, np.concatenate([a, b]))
    assert whole[0].max() <= max(areas)


@pytest.mark.parametrize(
    ("channel", "rate", "stored"),
    [("step", 0, "step"), ("step", 5, "step_200ms"), ("step_200ms", 2, "step_500ms"), ("drift", 2, "drift")],
)
def test_a_slower_recorder_compares_over_its_own_interval(channel, rate, stored):
    assert ZoneSettings(channel=channel, analysis_per_s=rate).stored_channel == stored


# --- person heights -----------------------------------------------------------------------------------------------------

MARKS = tuple(
    SizeMark(id=name, name=name, foot=(0.5, y), height_frac=height)
    for name, y, height in (("near", 0.8, 0.4), ("far", 0.4, 0.1))
)


def alarms(evidence, marks=MARKS, **dials):
    held = zone("motion")
    plan = Plan(zones=(held,), size_marks=marks)
    settings_ = SETTINGS.model_copy(update={"things_in": "heights", **dials})
    return Evaluator().lane(evidence, held, plan, {"z": settings_}).alarms


def test_a_person_has_one_height_near_and_far_and_a_gull_does_not():
    rows = GRID.rows  # a person is 0.4 of the picture tall at 0.8, and 0.1 at 0.4
    near = walk(line(20, 8, y=0.8 * rows), height=round(0.4 * rows), width=6)
    far = walk(line(20, 8, y=0.4 * rows), height=round(0.1 * rows), width=2)
    gull = walk(line(20, 8, y=0.8 * rows), height=round(0.1 * rows), width=2)
    for person in (near, far):
        assert len(alarms(person, size_min_heights=0.6, size_max_heights=1.6)) == 1
    assert alarms(gull, size_min_heights=0.6) == []
    assert alarms(near, size_max_heights=0.6) == []


def test_travel_in_heights_asks_more_of_who_is_near():
    rows = GRID.rows
    near = walk(line(20, 3, y=0.8 * rows), height=round(0.4 * rows), width=6)  # 12 cells in 4 s
    far = walk(line(20, 3, y=0.4 * rows), height=round(0.1 * rows), width=2)
    assert alarms(near, travel_heights=1.5) == []
    assert len(alarms(far, travel_heights=1.5)) == 1


def test_without_size_marks_heights_limit_nothing():
    assert len(alarms(walk(line(20, 8)), (), size_min_heights=5.0, travel_heights=9.0)) == 1


def test_heights_above_one_another_are_refused():
    with pytest.raises(ValueError, match="size_min_heights is 3"):
        ZoneSettings(size_min_heights=3, size_max_heights=2)
    assert not FACTORY.follows
