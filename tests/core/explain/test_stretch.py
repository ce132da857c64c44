"""Facts of a stretch, by hand."""

import numpy as np
import pytest

from north_hush.core.evaluate.evaluator import Evaluator
from north_hush.core.explain.stretch import largest_patch_percent, next_over, stretch_of
from north_hush.core.scene.plan import Plan
from tests.core.advise.test_curves import SETTINGS, SHOWN

PLAN = Plan()
LANE = Evaluator().lane(SHOWN, None, PLAN, {"whole-picture": SETTINGS})


def test_a_stretch_counts_frames_alarms_and_time():
    whole = stretch_of(LANE, SHOWN, 0, 20)
    assert (whole.frames, whole.over, whole.alarms) == (200, 3 + 10 + 20, 3)
    assert whole.length_s == 20
    first, last = LANE.alarms[0], LANE.alarms[2]
    part = stretch_of(LANE, SHOWN, 5.5, 12.5)
    assert (part.frames, part.over, part.alarms) == (70, 10 + 5, 2)
    assert part.alarm_s == pytest.approx(0.1 * (LANE.alarms[1].end_frame - LANE.alarms[1].start_frame) + 12.5 - 12.1)
    assert (first.start_frame, last.start_frame) == (21, 121)


def test_steps_go_to_the_frames_that_pass_a_value():
    assert [next_over(LANE, SHOWN, frame, 2.0, 1) for frame in (0, 20, 59, 120)] == [20, 60, 60, None]
    assert [next_over(LANE, SHOWN, frame, 2.0, -1) for frame in (199, 120, 20)] == [120, 60, None]
    assert next_over(LANE, SHOWN, 0, 30.0, 1) == 60
    assert next_over(LANE, SHOWN, 0, 30.01, 1) == 120


def test_the_largest_patch_is_in_percent_of_the_view():
    assert largest_patch_percent(LANE, SHOWN, PLAN, 125) == 40
    assert largest_patch_percent(LANE, SHOWN, PLAN, 0) == 0
    assert np.all(LANE.areas[:20] == 0)
