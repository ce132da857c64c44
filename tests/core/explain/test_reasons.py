"""Reasons and causes of alarms, what limits refused, and the blind check."""

from dataclasses import replace

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from north_hush.core.detect.settings import ZoneSettings
from north_hush.core.evaluate.evaluator import Evaluator
from north_hush.core.explain.blind import LIGHT, blind_check, contrast_needed
from north_hush.core.explain.causes import Signs, cause_model, likely_cause, sign_rows
from north_hush.core.follow.visits import REFUSALS
from north_hush.core.footage.evidence import Soil
from north_hush.core.scene.area import area_of
from north_hush.core.scene.items import SizeMark, Wire, Zone
from north_hush.core.scene.outline import rectangle
from north_hush.core.scene.plan import Plan
from tests.core.follow.test_owned import GRID, RATE, SETTINGS, line, walk, zone
from tests.evidence_maker import whole_channel

CALM = Signs(
    lasts_s=0.5, raw_percent=0.3, shift_grey=0, drift_grey=0.1, beside_percent=0.8, key_share=0, begins_at_key=False, busy=0.03,
    view_cells=2, patch_cells=1, specks_per_frame=3, largest_percent=0.1, strength=2.5, ticking=0, periodic=0,
    travelled_cells=0, straight=0, seen_frames=1, path_cells=3, slow_channel=False,
)  # fmt: skip


def looks(**signs):
    return likely_cause(replace(CALM, **signs))[0]


def test_each_cause_by_its_own_signs():
    assert looks(lasts_s=1.2, raw_percent=30, shift_grey=1, drift_grey=4, beside_percent=30) == "light"
    assert (
        looks(lasts_s=0.1, key_share=0.5, begins_at_key=True, largest_percent=0.6, travelled_cells=8, seen_frames=60)
        == "flash"
    )
    assert looks(lasts_s=0.2, raw_percent=1.2, specks_per_frame=45, beside_percent=3.5, strength=1.8) == "speckle"
    assert looks(busy=0.12, strength=1.6, travelled_cells=5.6, straight=0.04, seen_frames=41, path_cells=4) == "sway"
    assert (
        looks(strength=5, travelled_cells=13, straight=0.4, seen_frames=120, path_cells=5, lasts_s=0.4) == "travelled"
    )


@given(st.builds(lambda values: Signs(**dict(zip(CALM.__dict__, values, strict=True))), st.tuples(*[
    st.booleans() if isinstance(value, bool) else st.integers(0, 99) if name == "seen_frames" else st.floats(0, 100)
    for name, value in CALM.__dict__.items()
])))  # fmt: skip
def test_a_cause_is_as_sure_as_it_is_likely(signs):
    cause, sure = likely_cause(signs)
    if signs.ticking >= 0.4:
        assert (cause, sure) == ("clock", round(signs.ticking, 2))
        return
    if cause == "shake":
        assert signs.beside_percent >= 20 and max(signs.shift_grey, signs.drift_grey) <= 0.6
        return
    chances = cause_model().chances(sign_rows([signs]))[0]
    assert chances.sum() == pytest.approx(1)
    assert (cause == "unclear") == (round(float(chances.max()), 2) < 0.4)
    assert sure == pytest.approx(chances.max() if cause != "unclear" else 1 - chances.max(), abs=0.011)


def lane_of(evidence, plan=None, **dials):
    held = zone("motion")
    plan = plan or Plan(zones=(held,))
    evaluator = Evaluator()
    lane = evaluator.lane(evidence, held, plan, {"z": SETTINGS.model_copy(update=dials)})
    return evaluator, plan, lane


def test_a_walk_is_explained_with_its_patch_and_way():
    evidence = walk(line(10, 10))
    evaluator, plan, lane = lane_of(evidence)
    told = evaluator.explainer(evidence, plan).explain(lane, lane.alarms[0])
    assert told.cause == "travelled"
    assert told.sure > 0.7
    assert told.confirmed == SETTINGS.confirm_frames
    assert told.peak_percent == lane.percent(lane.alarms[0].peak_area)
    assert told.travelled_percent == pytest.approx(100 * (0.7 * GRID.columns - 10) / GRID.columns, rel=0.1)
    xs = [x for x, _ in told.path]
    assert xs == sorted(xs)
    patch = told.patch
    assert patch.size_percent == pytest.approx(100 * 21 / GRID.cells)
    assert patch.left <= patch.foot[0] <= patch.right
    assert patch.foot[1] == pytest.approx(patch.bottom, abs=0.03)


def test_what_happened_does_not_depend_on_how_long_one_waits_for_its_end():
    """A flash of 0.2 s was once called otherwise when the release went from 2 to 10 frames."""
    evidence = walk()
    middle = (GRID.rows // 2) * GRID.columns + GRID.columns // 2 + 4
    for row in range(4):
        whole_channel(evidence, "step")[middle + row * GRID.columns : middle + row * GRID.columns + 5, 30:32] = 120
    causes, lasting = set(), set()
    for release in (2, 10, 25):
        evaluator, plan, lane = lane_of(evidence, release_frames=release, confirm_frames=1)
        told = evaluator.explainer(evidence, plan).explain(lane, lane.alarms[0])
        causes.add(told.cause)
        lasting.add(told.signs.lasts_s)
    assert (len(causes), lasting) == (1, {0.2})


def test_light_over_the_view_is_called_so():
    evidence = walk()
    values = whole_channel(evidence, "step")
    values[:, 30:33] = 40
    evidence.frames["share_8"][30:33] = 9000
    evidence.frames["shift_step"][30:33] = 16 * 12
    evaluator, plan, lane = lane_of(evidence)
    told = evaluator.explainer(evidence, plan).explain(lane, lane.alarms[0])
    assert told.cause == "light"
    assert told.path == ()


def test_a_refused_walk_names_its_limit_and_where():
    evidence = walk(line(10, 10))
    for dials, limit in (
        ({"size_min_percent": 2.0}, "size_min_percent"),
        ({"size_max_percent": 0.1}, "size_max_percent"),
        ({"travel_percent": 80.0}, "travel_percent"),
    ):
        evaluator, plan, lane = lane_of(evidence, **dials)
        found = evaluator.refusals(evidence, plan, lane)
        assert lane.alarms == []
        assert {REFUSALS[number] for number in found.limit.tolist()} == {limit}
        assert [stretch.limit for stretch in found.stretches] == [limit]
        middle = found.at(30)[0]
        assert middle.foot[0] == pytest.approx((10 + 10 * 30 / RATE) / GRID.columns, abs=0.03)


def test_refusals_by_guard_waiting_and_too_few_frames():
    evidence = walk(lambda t: (45, 20) if t % 2 < 1 else None)
    evaluator, plan, lane = lane_of(evidence, rearm_s=1.5)
    assert "rearm_s" in {stretch.limit for stretch in evaluator.refusals(evidence, plan, lane).stretches}
    evaluator, plan, lane = lane_of(evidence, confirm_frames=40)
    assert {stretch.limit for stretch in evaluator.refusals(evidence, plan, lane).stretches} == {"confirm_frames"}
    evidence.frames["share_8"] = 5000
    evaluator, plan, lane = lane_of(evidence, guard_percent=30.0)
    assert {stretch.limit for stretch in evaluator.refusals(evidence, plan, lane).stretches} == {"guard_percent"}
    evaluator, plan, lane = lane_of(evidence)
    assert evaluator.refusals(evidence, plan, lane).stretches == ()


def test_refusals_name_the_limit_at_a_lower_analysis_rate_too():
    """Frames that do not count cannot tell what kept them quiet, and were once the most of them."""
    evidence = walk(line(10, 10))
    for rate in (0, 5, 2):
        evaluator, plan, lane = lane_of(evidence, size_min_percent=2.0, analysis_per_s=rate, confirm_frames=1)
        assert lane.alarms == []
        assert {stretch.limit for stretch in evaluator.refusals(evidence, plan, lane).stretches} == {"size_min_percent"}


# --- blind check --------------------------------------------------------------------------------------------------------


def needed(height, interval_s=0.1, zone=400.0, **dials):
    return contrast_needed(
        height, interval_s, zone, 3600, ZoneSettings(**dials), ZoneSettings(**dials).change_limit_grey
    )


def test_the_contrast_needed_by_hand():
    # 10 cells tall, 0.7 cells between frames: 20 cells change by 0.7 of the contrast
    assert needed(10, change_limit_grey=7, start_percent=5, clear_percent=5) == pytest.approx(10)
    assert needed(10, change_limit_grey=7, start_percent=5.1, clear_percent=5) is None
    assert needed(10, interval_s=0.5, change_limit_grey=7) == 7  # half a second later the side is a whole cell on
    assert needed(10, interval_s=float("inf"), change_limit_grey=7) == 7
    assert needed(10, size_min_percent=1.0) is None


@given(st.floats(0.5, 40), st.floats(0.05, 2), st.floats(0.25, 30), st.floats(0.25, 20))
def test_taller_people_and_lower_limits_never_need_more(height, interval_s, limit, more):
    limit = round(limit * 4) / 4
    low, high = (
        needed(height, interval_s, change_limit_grey=limit),
        needed(height + more, interval_s, change_limit_grey=limit),
    )
    assert low is None or (high is not None and high <= low + 1e-9)


def dim(contrast_grey):
    evidence = walk(frames=200)
    evidence.frames["contrast"] = 16 * 30
    evidence.frames["contrast"][50:120] = 16 * contrast_grey
    return evidence


def test_a_stretch_in_fog_is_not_covered():
    held, dials = zone("motion"), ZoneSettings(change_limit_grey=6)
    found = blind_check(dim(3), held, Plan(zones=(held,)), dials)
    assert found.not_covered_s == ((5.0, 12.0),)
    assert blind_check(dim(12), held, Plan(zones=(held,)), dials).not_covered_s == ()
    assert found.contrast_grey == 30
    assert found.noise_grey is None


def test_size_marks_tell_whether_the_far_end_is_seen():
    held = zone("motion")
    marks = tuple(
        SizeMark(id=n, name=n, foot=(0.5, y), height_frac=h) for n, y, h in (("n", 0.9, 0.3), ("f", 0.5, 0.2))
    )
    plan = Plan(zones=(held,), size_marks=marks)
    found = blind_check(dim(30), held, plan, ZoneSettings(change_limit_grey=6, start_percent=0.1, clear_percent=0.1))
    far, near = found.reaches[0], found.reaches[-1]
    assert far.y_frac < near.y_frac
    assert far.contrast_grey is None or far.contrast_grey > near.contrast_grey
    assert blind_check(dim(30), held, Plan(zones=(held,)), ZoneSettings()).reaches == ()
    assert blind_check(walk(frames=0), held, plan, ZoneSettings()) is None


def lit(left, right, noise=0.5, frames=100):
    """A still view whose left half is so bright and whose right half so, in grey levels."""
    evidence = walk(frames=frames)
    evidence.frames["contrast"] = 16 * 40
    luma = np.full((GRID.rows, GRID.columns), left)
    luma[:, GRID.columns // 2 :] = right
    noises = np.full((1, GRID.cells), round(noise * 256), np.uint16)
    return replace(evidence, soil=Soil(np.zeros(1, np.int64), noises, (16 * luma.ravel()[None, :]).astype(np.uint16)))


def half(left):
    outline = rectangle((0.0, 0.0), (0.5, 1.0)) if left else rectangle((0.5, 0.0), (1.0, 1.0))
    return Zone(id="z", name="Slip", letter="A", area=area_of(outline))


def test_a_dark_corner_is_blind_beside_a_lamp():
    evidence, dials = lit(8, 160), ZoneSettings(change_limit_grey=6, start_percent=0.5, clear_percent=0.5)
    dark, bright = (blind_check(evidence, half(left), Plan(zones=(half(left),)), dials) for left in (True, False))
    assert (dark.contrast_grey, bright.contrast_grey) == (2, 40)
    assert dark.covered_percent == 0
    assert dark.not_covered_s == ((0.0, 10.0),)
    assert dark.hidden_by == "change_limit_grey"
    assert bright.covered_percent == 100
    assert bright.not_covered_s == ()
    assert bright.hidden_by == ""
    assert dark.noise_grey == bright.noise_grey == 0.5


@pytest.mark.parametrize(
    ("dials", "hides"),
    [
        ({}, ""),
        ({"confirm_frames": 400}, "confirm_frames"),
        ({"travel_percent": 70.0}, "travel_percent"),
        ({"size_min_percent": 30.0}, "size_min_percent"),
        ({"guard_percent": 1.0}, "guard_percent"),
        ({"start_percent": 60.0}, "start_percent"),
    ],
)
def test_every_dial_that_can_hide_a_person_counts(dials, hides):
    marks = (SizeMark(id="m", name="m", foot=(0.5, 0.9), height_frac=0.4),)
    held = half(left=False)
    plan = Plan(zones=(held,), size_marks=marks)
    settings = ZoneSettings(change_limit_grey=6, start_percent=0.5, clear_percent=0.5).turned(**dials)
    found = blind_check(lit(8, 160), held, plan, settings)
    assert found.hidden_by == hides
    assert (found.covered_percent == 100) == (hides == "")


def test_walks_that_are_noticed_have_a_slowest_and_a_fastest():
    marks = (SizeMark(id="m", name="m", foot=(0.5, 0.9), height_frac=0.4),)
    held = half(left=False)
    plan = Plan(zones=(held,), size_marks=marks)
    quick = ZoneSettings(change_limit_grey=6, start_percent=0.5, clear_percent=0.5, confirm_frames=1)
    found = blind_check(lit(8, 160), held, plan, quick)
    waits = blind_check(lit(8, 160), held, plan, quick.turned(confirm_frames=20))
    longer = blind_check(lit(8, 160), held, plan, quick.turned(channel="step_500ms"))
    assert waits.fastest_m_per_s < found.fastest_m_per_s
    assert longer.slowest_m_per_s < found.slowest_m_per_s
    assert found.unrecognised_percent == 100  # in a picture of so few pixels nobody is recognised


def test_a_wire_that_is_crossed_is_checked_by_what_is_followed_whatever_its_dials():
    """Who crosses has to stand out from the light and the noise of the ground; change limit and start level are no matter."""
    wire = Wire(id="w", name="Gate", letter="1", line=((0.25, 0.1), (0.25, 0.9)), watches="both")
    plan = Plan(wires=(wire,))
    loud, quiet = (
        ZoneSettings(),
        ZoneSettings(change_limit_grey=60, start_percent=90, confirm_frames=600, channel="step"),
    )
    found = [blind_check(lit(160, 160), wire, plan, dials) for dials in (loud, quiet)]
    assert found[0] == found[1]
    assert (found[0].hidden_by, found[0].covered_percent) == ("", 100)
    dark = blind_check(lit(8, 8), wire, plan, loud)
    assert (dark.covered_percent, dark.hidden_by) == (
        0,
        LIGHT,
    )  # a quarter of eight grey levels is less than coding alone makes
    broken = wire.model_copy(update={"watches": "broken"})
    assert blind_check(lit(160, 160), broken, Plan(wires=(broken,)), quiet).hidden_by != ""
