"""A device whose scale is known to the test alone: its lists give the scale back, or say that they cannot tell."""

import numpy as np
import pytest

from north_hush.core.detect.settings import FACTORY
from north_hush.core.evaluate.evaluator import Evaluator
from north_hush.core.footage.reduce import FRAME_DTYPE
from north_hush.core.grid import Grid
from north_hush.core.handover.card import Card, Scale
from north_hush.core.handover.learn import Listed, _one_way, learn, rungs_of
from north_hush.core.judge.device import DeviceAlarm
from north_hush.core.scene.plan import Plan
from north_hush.core.site import drawing, edits
from tests.evidence_maker import evidence_of

TABLE = ((10.0, 24.0), (50.0, 8.0), (90.0, 3.0))


def device(**scale):
    held = {
        "name": "Sensitivity",
        "ours": "change_limit_grey",
        "low": 0,
        "high": 100,
        "step": 5,
        "table": [[0, 40], [100, 2]],
    }
    return Card(name="Box", scales=(Scale.model_validate({**held, **scale}),))


@pytest.fixture(scope="module")
def plan():
    site = drawing.add_zone(edits.new_site("Skerry Quay"), "view-1", ((0, 0), (1, 0), (1, 1), (0, 1)), "All")
    return site.views[0].plan


@pytest.fixture(scope="module")
def evidence():
    """Twelve minutes in which something moves every ten seconds, faintly or strongly."""
    grid, rng = Grid(160, 96, full_range=True), np.random.default_rng(11)
    frames = np.zeros(3600, FRAME_DTYPE)
    frames["time_us"], frames["valid"] = np.arange(3600) * 200_000, True
    values = np.zeros((grid.cells, 3600), np.uint8)
    for begin in range(20, 3560, 50):
        cells = rng.integers(grid.cells - 12) + np.arange(12)
        values[cells, begin : begin + int(rng.integers(5, 25))] = round(4 * 2 ** rng.uniform(1.0, 5.5))
    return evidence_of(grid, frames, values)


SETTINGS = {
    "zone-1": FACTORY.turned(channel="step", start_percent=0.4, clear_percent=0.4, confirm_frames=1, release_frames=3)
}


def lists(evidence, plan, values=(10.0, 50.0, 90.0), most=1000):
    """What the device raises while its dial stands at values."""
    found, truth = [], Scale(name="x", ours="change_limit_grey", low=0, high=100, table=TABLE)
    for value in values:
        dials = {"zone-1": SETTINGS["zone-1"].turned(change_limit_grey=round(truth.ours_at(value) * 4) / 4)}
        (lane,) = Evaluator().lanes(evidence, plan, dials)
        alarms = tuple(DeviceAlarm(start_s=one.start_us / 1e6, end_s=one.end_us / 1e6) for one in lane.alarms[:most])
        found.append(Listed(evidence, alarms, value))
    return found


def learnt(evidence, plan, held):
    return learn(device(), "Sensitivity", held, plan, SETTINGS, Evaluator())


def test_three_lists_give_the_scale_back(evidence, plan):
    found = learnt(evidence, plan, lists(evidence, plan))
    assert [point.why_not for point in found.points] == ["", "", ""]
    for point, (value, ours) in zip(found.points, TABLE, strict=True):
        assert point.value == value and point.ours == pytest.approx(ours, rel=0.2)
        assert point.low <= point.ours <= point.high and point.like > 0.9
        assert point.low * 0.9 <= ours <= point.high * 1.1
    assert found.scale.sure == "measured" and found.next_value is None
    assert found.scale.ours_at(70.0) == pytest.approx(5.5, rel=0.2)


def test_one_list_fixes_one_point_and_says_what_to_try_next(evidence, plan):
    found = learnt(evidence, plan, lists(evidence, plan, values=(50.0,)))
    assert found.scale.table == device().scales[0].table  # one point is no scale
    assert "3 are needed" in found.notes[0] and found.next_value in (25.0, 75.0)
    two = learnt(evidence, plan, lists(evidence, plan, values=(10.0, 90.0)))
    assert two.scale.sure == "guessed" and two.next_value == 50.0


def test_a_list_that_cannot_tell_says_why(evidence, plan):
    few = learnt(evidence, plan, lists(evidence, plan, values=(50.0,), most=2))
    assert "holds 2 alarms" in few.points[0].why_not and few.next_value is not None
    always = Listed(evidence, (DeviceAlarm(start_s=0, end_s=1),) * 12, 50.0)
    nowhere = learn(device(), "Sensitivity", [always], Plan((), (), (), (), (), "nothing"), {}, Evaluator())
    assert "as like at any value" in nowhere.points[0].why_not


def test_points_against_the_others_are_left_out():
    assert _one_way([(1, 9), (2, 7), (3, 8), (4, 2)]) in ([(1, 9), (2, 7), (4, 2)], [(1, 9), (3, 8), (4, 2)])
    assert _one_way([(1, 1), (2, 2)]) == [(1, 1), (2, 2)] and _one_way([]) == []


def test_rungs_lie_on_the_dials_grain_within_its_range():
    from north_hush.core.detect.dials import DIALS

    for dial in DIALS:
        rungs = rungs_of(dial)
        assert rungs == sorted(set(rungs)) and dial.low <= rungs[0] and rungs[-1] <= dial.high


def test_a_scale_that_is_not_there_or_has_no_dial_is_refused(evidence, plan):
    with pytest.raises(KeyError):
        learn(device(), "Gain", [], plan, SETTINGS, Evaluator())
    with pytest.raises(ValueError, match="no dial"):
        learn(device(ours="usual_s", table=[]), "Sensitivity", [], plan, SETTINGS, Evaluator())
