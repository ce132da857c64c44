"""Where incidents were: whether an alarm's largest patch lies there, and which items an incident concerns."""

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from pydantic import ValidationError
from scipy import ndimage

from north_hush.core.detect.settings import ZoneSettings
from north_hush.core.evaluate.evaluator import Evaluator
from north_hush.core.footage.reduce import FRAME_DTYPE
from north_hush.core.grid import Grid
from north_hush.core.judge.ground import largest_patches, lie_inside
from north_hush.core.judge.incidents import Incident, Truth
from north_hush.core.judge.place import boxes_at, concerned_items, near_in_place
from north_hush.core.scene.area import area_of
from north_hush.core.scene.items import Wire, Zone
from north_hush.core.scene.outline import rectangle
from north_hush.core.scene.plan import Plan
from tests.evidence_maker import evidence_of

GRID = Grid(320, 160)  # 80 x 40 cells, each an eightieth and a fortieth of the picture
RATE, FRAMES = 10, 200
SETTINGS = ZoneSettings(change_limit_grey=10, start_percent=0.1, clear_percent=0.1, confirm_frames=1, release_frames=2)
WHOLE = "whole-picture"


def evidence(*bodies):
    """Each body: first and last frame, left and top cell as they move, and its side in cells."""
    values = np.zeros((GRID.rows, GRID.columns, FRAMES), np.uint8)
    for first, last, way, side in bodies:
        for frame in range(first, last + 1):
            left, top = way(frame / RATE)
            values[round(top) : round(top) + side, round(left) : round(left) + side, frame] = 120
    rows = np.zeros(FRAMES, FRAME_DTYPE)
    rows["time_us"], rows["valid"] = np.arange(FRAMES) * 1_000_000 // RATE, True
    return evidence_of(GRID, rows, values.reshape(GRID.cells, FRAMES))


def box(left, top, side):
    return left / 80, top / 40, (left + side) / 80, (top + side) / 40


def walker(start_s=5.0, end_s=10.0, **more):
    """Somebody of 6 cells who walks from the left to the right at 4 cells a second."""
    place = tuple((t, *box(10 + 4 * (t - start_s), 20, 6)) for t in (start_s, end_s))
    return Incident(name="walks", start_s=start_s, end_s=end_s, place=place, **more)


def way(t):
    return 10 + 4 * (t - 5), 20


def evaluated(held, incident, **dials):
    truth = Truth(incidents=(incident,), complete=True)
    return Evaluator().evaluate(held, Plan(), {WHOLE: SETTINGS.turned(**dials)}, truth)


def test_who_is_seen_where_he_is_meets_and_what_moves_elsewhere_does_not():
    found = evaluated(evidence((50, 100, way, 6)), walker())
    assert (found.score.met, found.score.nuisances) == (1, 0)
    gull = evaluated(evidence((50, 100, lambda t: (60, 5), 6)), walker())
    assert (gull.score.met, gull.score.nuisances) == (0, 1)
    assert gull.score.missed == ("walks",)
    unknown = evaluated(evidence((50, 100, lambda t: (60, 5), 6)), walker().model_copy(update={"place": ()}))
    assert (unknown.score.met, unknown.score.by_time_only) == (1, 1)


def test_the_largest_patch_decides_at_each_instant():
    small_in_large_out = evidence((50, 100, way, 2), (50, 100, lambda t: (60, 5), 6))
    assert evaluated(small_in_large_out, walker()).score.met == 0
    # One instant in which the other is gone is enough.
    once = evidence((50, 100, way, 2), (50, 79, lambda t: (60, 5), 6), (81, 100, lambda t: (60, 5), 6))
    assert evaluated(once, walker()).score.met == 1


def test_the_box_is_swept_over_the_interval_of_the_channel_and_a_cell_wider():
    """Half a second behind somebody who walks 4 cells a second, its old place still counts; on the step before it does not."""
    behind = evidence((60, 100, lambda t: (way(t)[0] - 6, 20), 4))
    assert evaluated(behind, walker()).score.met == 0
    assert evaluated(behind, walker(), channel="step_500ms").score.met == 1


def test_a_second_of_tolerance_for_either():
    late = evidence((105, 112, lambda t: (30, 20), 6))
    assert evaluated(late, walker()).score.met == 1
    assert evaluated(evidence((112, 118, lambda t: (30, 20), 6)), walker()).score.met == 0


def test_an_alarm_that_was_on_already_meets_nothing_by_itself():
    found = evaluated(evidence((0, 199, lambda t: (60, 5), 2), (50, 100, way, 6)), walker())
    assert (found.score.alarms, found.score.met, found.score.already_on, found.score.nuisances) == (1, 0, 1, 0)


def plan():
    zones = tuple(
        Zone(id=name, name=name, letter=letter, area=area_of(rectangle((left, 0.0), (right, 1.0))))
        for name, letter, left, right in (("left", "A", 0.0, 0.3), ("right", "B", 0.7, 1.0))
    )
    wire = Wire(id="line", name="Line", letter="1", line=((0.3, 0.2), (0.3, 0.9)))
    far = Wire(id="far", name="Far", letter="2", line=((0.3, 0.0), (0.3, 0.2)))
    return Plan(zones=zones, wires=(wire, far))


def test_an_incident_concerns_what_its_feet_enter_and_cross():
    assert concerned_items(walker(), plan(), GRID) == ("left", "line")
    truth = Truth(incidents=(walker(), walker(items=("right",)), Incident(name="x", start_s=1, end_s=2)))
    assert Evaluator().concerns(truth, plan(), GRID) == (frozenset({"left", "line"}), frozenset({"right"}), None)


def test_it_is_met_by_an_item_when_that_item_s_alarm_starts_in_it():
    held = evidence((50, 100, way, 6))
    truth = Truth(incidents=(walker(),), complete=True)
    settings = {"left": SETTINGS, "right": SETTINGS, "line": SETTINGS.turned(change_limit_grey=60), "far": SETTINGS}
    found = Evaluator().evaluate(held, plan(), settings, truth)
    assert found.score.missed == ()
    assert (found.score.pairs, found.score.missed_pairs) == (2, (("line", "walks"),))
    by_item = found.item_scores(settings)
    assert {item: (one.incidents, one.met) for item, one in by_item.items()} == {
        "left": (1, 1), "right": (0, 0), "line": (1, 0), "far": (0, 0),
    }  # fmt: skip


def test_alarms_carry_times_that_hold_when_frames_are_dropped():
    held = evidence((50, 100, way, 6))
    lane = Evaluator().lane(held, None, Plan(), {WHOLE: SETTINGS})
    (alarm,) = lane.alarms
    assert (alarm.onset_s, alarm.start_s, alarm.end_s) == (5.0, 5.0, 10.2)
    assert held.time_us[alarm.start_frame] == alarm.start_us


def test_the_trail_of_an_alarm_is_where_it_was():
    held, evaluator = evidence((50, 100, way, 6)), Evaluator()
    lane = evaluator.lane(held, None, Plan(), {WHOLE: SETTINGS})
    trail = evaluator.trail(held, Plan(), lane, lane.alarms[0])
    made = Incident(name="judged", start_s=5, end_s=10, place=trail)
    half_a_second = 0.051  # of its way: the box holds where it was then, since frames differ at its edges only
    for seen, column in zip(boxes_at(made.place, np.array([5.0, 7.5])), (10, 20), strict=True):
        left, top, right, bottom = box(column, 20, 6)
        assert left - half_a_second <= seen[0] <= left + 0.001
        assert right - 0.001 <= seen[2] <= right + half_a_second
        assert (seen[1], seen[3]) == (pytest.approx(top, abs=0.001), pytest.approx(bottom, abs=0.001))
    assert evaluated(held, made).score.met == 1


@settings(max_examples=40)
@given(st.integers(0, 2**32 - 1))
def test_the_kernel_is_what_scipy_says(seed):
    draw = np.random.default_rng(seed)
    columns, rows, frames = 9, 7, 5
    values = (draw.random((columns * rows, frames)) < 0.35).astype(np.uint8) * 90
    cells = np.sort(draw.choice(columns * rows, 40, replace=False)).astype(np.int64)
    limits = np.where(draw.random(40) < 0.1, 300, 50).astype(np.int64)
    low = draw.integers(0, 5, (frames, 2))
    boxes = np.concatenate([low, low + draw.integers(0, 5, (frames, 2))], axis=1).astype(np.int64)
    found = lie_inside(*largest_patches(values[cells], cells, limits, columns, rows), columns, boxes)
    for frame in range(frames):
        plane = np.zeros(columns * rows, bool)
        plane[cells[values[cells, frame] >= limits]] = True
        labels, count = ndimage.label(plane.reshape(rows, columns), np.ones((3, 3)))
        sizes = np.bincount(labels.ravel(), minlength=count + 1)[1:]
        left, top, right, bottom = boxes[frame]
        inside = np.bincount(labels[top : bottom + 1, left : right + 1].ravel(), minlength=count + 1)[1:]
        best = {bool(2 * inside[n] >= sizes[n]) for n in range(count) if sizes[n] == sizes.max()}
        assert (bool(found[frame]) in best) if count else not found[frame]


def test_places_that_make_no_sense_are_refused():
    with pytest.raises(ValidationError, match="lies before the other"):
        Incident(name="x", start_s=0, end_s=1, place=((0, 0.5, 0, 0.4, 1),))
    with pytest.raises(ValidationError, match="goes back in time at 1 s"):
        Incident(name="x", start_s=0, end_s=3, place=((2, 0, 0, 1, 1), (1, 0, 0, 1, 1)))


def test_what_is_near_in_place():
    here, there = ((1.0, 0.1, 0.1, 0.2, 0.3),), ((3.0, 0.5, 0.1, 0.6, 0.3),)
    assert not near_in_place(here, there, 0.2)
    assert near_in_place(here, there, 0.31)
    assert near_in_place(here, (), 0.0)
