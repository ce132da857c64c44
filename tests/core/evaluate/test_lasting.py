"""What outlives the values of evidence: the alarms and the score of the settings that were last in use, and of no others."""

from dataclasses import replace

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from north_hush.core.detect.settings import ZoneSettings
from north_hush.core.errors import EvidenceError
from north_hush.core.evaluate.evaluator import Evaluator
from north_hush.core.evaluate.lasting import find_lasting
from north_hush.core.judge.incidents import Incident, Truth
from north_hush.core.memo import Memo
from north_hush.core.scene.area import WHOLE_AREA
from north_hush.core.scene.items import Wire, Zone
from north_hush.core.scene.plan import Plan
from tests.core.evaluate.test_switched import switched
from tests.core.follow.test_owned import line, walk

FRAMES = 60
ZONE = Zone(id="zone-1", letter="A", name="Slip", area=WHOLE_AREA)
OTHER = Zone(id="zone-2", letter="B", name="Gate", area=WHOLE_AREA, fires="entry")
WIRE = Wire(id="wire-1", letter="1", name="Gate", line=((0.5, 0.0), (0.5, 1.0)), watches="both")
PLAN = Plan(zones=(ZONE, OTHER), wires=(WIRE,))
BEFORE = {"zone-1": ZoneSettings(change_limit_grey=5, start_percent=0.5, clear_percent=0.3, travel_percent=1.0)}
TRUTH = Truth(
    incidents=(
        Incident(name="walker", start_s=1.0, end_s=3.0, place=((1.0, 0.0, 0.0, 0.6, 1.0), (3.0, 0.2, 0.0, 1.0, 1.0))),
        Incident(name="another", start_s=4.0, end_s=5.0),
    ),
    complete=True,
)
WALK = walk(line(5, 6), frames=FRAMES)


def stored(folder, evidence=WALK):
    return replace(evidence, folder=folder)


def lean(folder, evidence=WALK):
    """The same evidence once its values are gone."""

    def gone(name, number):
        raise EvidenceError(str(folder / name), "is gone.")

    return replace(evidence, key="lean", load=gone, folder=folder, lean=True, whole=False)


@given(
    st.lists(st.tuples(st.integers(2, 30), st.sampled_from([0.2, 0.5, 3.0]), st.integers(1, 4)), min_size=2, max_size=2)
)
@settings(max_examples=25)
def test_alarms_and_score_of_what_was_in_use_outlive_the_values(tmp_path_factory, dials):
    folder = tmp_path_factory.mktemp("evidence")
    turned = {
        held.id: ZoneSettings(
            change_limit_grey=limit, start_percent=start, clear_percent=start / 2, confirm_frames=confirm
        )
        for held, (limit, start, confirm) in zip(PLAN.zones, dials, strict=True)
    }
    evaluator = Evaluator(Memo())
    before = evaluator.evaluate(stored(folder), PLAN, turned, TRUTH)
    evaluator.keep(before)
    after = Evaluator(Memo()).evaluate(lean(folder), PLAN, turned, TRUTH)
    assert [lane.alarms for lane in after.lanes] == [lane.alarms for lane in before.lanes]
    assert all(np.array_equal(one.areas, other.areas) for one, other in zip(after.lanes, before.lanes, strict=True))
    assert [lane.total for lane in after.lanes] == [lane.total for lane in before.lanes]
    assert after.spans == before.spans
    assert after.score == before.score


def test_it_holds_under_dials_that_change_over_the_recording(tmp_path):
    dials = switched(30, BEFORE["zone-1"], BEFORE["zone-1"].turned(change_limit_grey=20))
    evaluator = Evaluator(Memo())
    before = evaluator.evaluate(stored(tmp_path), PLAN, dials, TRUTH)
    evaluator.keep(before)
    after = Evaluator(Memo()).evaluate(lean(tmp_path), PLAN, dials, TRUTH)
    assert [lane.alarms for lane in after.lanes] == [lane.alarms for lane in before.lanes]
    assert len(after.lanes[0].parts) == 2


@pytest.mark.parametrize(
    ("plan", "dials"),
    [
        (PLAN, {"zone-1": BEFORE["zone-1"].turned(travel_percent=3.0)}),
        (replace(PLAN, zones=(ZONE.model_copy(update={"area": WHOLE_AREA, "fires": "loitering"}), OTHER)), BEFORE),
    ],
)
def test_other_settings_ask_for_the_values(tmp_path, plan, dials):
    evaluator = Evaluator(Memo())
    evaluator.keep(evaluator.evaluate(stored(tmp_path), PLAN, BEFORE, TRUTH))
    with pytest.raises(EvidenceError, match="gone"):
        Evaluator(Memo()).evaluate(lean(tmp_path), plan, dials, TRUTH)


def test_a_place_that_nobody_held_alarms_against_asks_for_them_too(tmp_path):
    evaluator = Evaluator(Memo())
    before = evaluator.evaluate(stored(tmp_path), PLAN, BEFORE, TRUTH)
    evaluator.keep(before)
    assert before.lanes[0].alarms
    moved = Truth(incidents=(TRUTH.incidents[0].model_copy(update={"end_s": 2.0}),), complete=True)
    with pytest.raises(EvidenceError, match="gone"):
        Evaluator(Memo()).evaluate(lean(tmp_path), PLAN, BEFORE, moved)


def test_what_was_in_use_last_takes_the_place_of_what_was_before(tmp_path):
    evaluator, later = Evaluator(Memo()), {"zone-1": BEFORE["zone-1"].turned(change_limit_grey=20)}
    for dials in (BEFORE, later):
        evaluator.keep(evaluator.evaluate(stored(tmp_path), PLAN, dials, TRUTH))
    (file,) = [path for path in tmp_path.iterdir() if _is_ours(path)]
    assert Evaluator(Memo()).evaluate(lean(tmp_path), PLAN, later, TRUTH).lanes
    written = file.stat().st_mtime_ns
    evaluator.keep(evaluator.evaluate(stored(tmp_path), PLAN, later, TRUTH))
    assert file.stat().st_mtime_ns == written  # nothing is written twice
    with pytest.raises(EvidenceError, match="gone"):
        Evaluator(Memo()).evaluate(lean(tmp_path), PLAN, BEFORE, TRUTH)


def _is_ours(path):
    """Whether nothing is known without this file."""
    held = path.read_bytes()
    path.unlink()
    known = find_lasting(path.parent, FRAMES).raised
    path.write_bytes(held)
    return not known


def test_one_that_is_damaged_or_of_another_length_is_not_used(tmp_path):
    evaluator = Evaluator(Memo())
    evaluator.keep(evaluator.evaluate(stored(tmp_path), PLAN, BEFORE, TRUTH))
    assert find_lasting(tmp_path, FRAMES).raised
    assert not find_lasting(tmp_path, FRAMES + 7).raised
    (file,) = [path for path in tmp_path.iterdir() if _is_ours(path)]
    data = bytearray(file.read_bytes())
    data[-20:] = bytes(20)
    file.write_bytes(data)
    assert not find_lasting(tmp_path, FRAMES).raised


def test_nothing_is_kept_of_a_pass_that_still_runs_or_of_what_is_left_of_one(tmp_path):
    evaluator = Evaluator(Memo())
    for evidence in (replace(WALK, whole=False, folder=tmp_path), replace(WALK, folder=None)):
        evaluator.keep(evaluator.evaluate(evidence, PLAN, {}, TRUTH))
    assert not find_lasting(tmp_path, FRAMES).raised
