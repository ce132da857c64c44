"""What was worked out under other settings before changes nothing of what is found under these."""

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from north_hush.core.detect.settings import ZoneSettings
from north_hush.core.evaluate.evaluator import Evaluator
from north_hush.core.footage.reduce import FRAME_DTYPE
from north_hush.core.grid import Grid
from north_hush.core.judge.incidents import Incident, Truth
from north_hush.core.memo import Memo
from north_hush.core.scene.area import WHOLE_AREA, area_of
from north_hush.core.scene.items import Zone
from north_hush.core.scene.outline import rectangle
from north_hush.core.scene.plan import Plan
from tests.evidence_maker import evidence_of

GRID, RATE, FRAMES = Grid(160, 96), 10, 150
ZONES = (
    Zone(id="zone-1", letter="A", name="All", area=WHOLE_AREA),
    Zone(id="zone-2", letter="B", name="Half", area=area_of(rectangle((0.0, 0.0), (0.5, 1.0)))),
)
PLAN = Plan(zones=ZONES)
DIALS = st.fixed_dictionaries(
    {
        "change_limit_grey": st.sampled_from((5.0, 20.0)),
        "start_percent": st.sampled_from((0.5, 3.0)),
        "clear_percent": st.just(0.4),
        "analysis_per_s": st.sampled_from((0, 2, 5)),
        "smooth_frames": st.sampled_from((1, 3)),
        "usual_s": st.sampled_from((0.0, 5.0)),
        "guard_percent": st.sampled_from((100.0, 95.0, 40.0)),
        "guard_hold_s": st.sampled_from((0.0, 2.0)),
    }
)


def two_who_walk_and_a_flash():
    draw = np.random.default_rng(3)
    values = draw.integers(0, 24, (GRID.rows, GRID.columns, FRAMES)).astype(np.uint8)
    for frame in range(20, 60):
        values[8:14, (frame - 20) // 2 : (frame - 20) // 2 + 3, frame] = 200
        values[2:6, 36 - (frame - 20) // 2 : 38 - (frame - 20) // 2, frame + 60] = 120
    rows = np.zeros(FRAMES, FRAME_DTYPE)
    rows["time_us"], rows["valid"] = np.arange(FRAMES) * 1_000_000 // RATE, True
    rows["share_8"][[44, 101]] = 9_000
    return evidence_of(GRID, rows, values.reshape(GRID.cells, FRAMES))


EVIDENCE = two_who_walk_and_a_flash()
TRUTH = Truth(
    incidents=(
        Incident(name="walks", start_s=2.0, end_s=5.9, place=((2.0, 0, 0.3, 0.1, 0.6), (5.9, 0.5, 0.3, 0.6, 0.6))),
        Incident(name="comes back", start_s=8.0, end_s=11.9, place=((8.0, 0.8, 0, 1, 0.3), (11.9, 0.3, 0, 0.5, 0.3))),
        Incident(name="nobody", start_s=14.0, end_s=14.5, place=((14.0, 0, 0, 0.1, 0.1), (14.5, 0, 0, 0.1, 0.1))),
        Incident(name="nobody knows where", start_s=3.0, end_s=4.0),
    )
)


@settings(max_examples=30)
@given(st.lists(DIALS, min_size=2, max_size=6))
def test_alarms_and_score_are_those_of_who_begins_anew(turns):
    busy = Evaluator(Memo())
    for dials in turns:
        chosen = dict.fromkeys(("zone-1", "zone-2"), ZoneSettings(**dials))
        found = busy.evaluate(EVIDENCE, PLAN, chosen, TRUTH)
        fresh = Evaluator(Memo()).evaluate(EVIDENCE, PLAN, chosen, TRUTH)
        for held, wanted in zip(found.lanes, fresh.lanes, strict=True):
            assert held.alarms == wanted.alarms
            assert np.array_equal(held.areas, wanted.areas)
        assert found.score == fresh.score


@pytest.mark.parametrize("start_percent", (0.2, 1.0))
def test_what_no_alarm_reaches_touches_none_and_all_else_is_as_if_all_were_asked(start_percent):
    dials = ZoneSettings(change_limit_grey=20, start_percent=start_percent, clear_percent=0.2, confirm_frames=1)
    evaluator = Evaluator(Memo())
    lane = evaluator.lane(EVIDENCE, ZONES[0], PLAN, {"zone-1": dials})
    grounds = [Evaluator(Memo()).grounds(EVIDENCE, ZONES[0], PLAN, dials, [held])[0] for held in TRUTH.incidents]
    wanted = np.zeros((len(lane.alarms), len(grounds)), bool)
    for row, alarm in enumerate(lane.alarms):
        for column, ground in enumerate(grounds):
            within = np.arange(len(ground.before) - 1) + ground.first_frame
            lies = np.diff(ground.before) > 0
            wanted[row, column] = lies[(within >= alarm.onset_frame) & (within <= alarm.end_frame)].any()
    found = evaluator.lies(EVIDENCE, PLAN, lane, TRUTH)
    assert np.array_equal(found, wanted)
    assert found[:, 0].any()
    assert not found[:, 2].any()
