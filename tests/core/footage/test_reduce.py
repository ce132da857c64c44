"""The reduction, by known answers and against its NumPy twins."""

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from hypothesis.extra import numpy as hnp

from north_hush.core.footage import differences as r
from north_hush.core.footage.background import Background, reorder, reorder_numpy
from north_hush.core.footage.foreground import (
    ALL_QUARTERS,
    MOVES,
    foreground,
    foreground_numpy,
    quarters_over,
    quarters_over_numpy,
)
from north_hush.core.footage.luma import analysis_plane, analysis_plane_numpy, full_range, full_range_numpy
from north_hush.core.footage.options import EvidenceOptions
from north_hush.core.footage.reduce import FRAME_DTYPE, Reducer, background_alpha
from north_hush.core.grid import Grid

pictures = hnp.arrays(np.uint8, hnp.array_shapes(min_dims=2, max_dims=2, max_side=40))


@settings(max_examples=40)
@given(pictures, st.integers(1, 20))
def test_analysis_plane_equals_its_twin(luma, factor):
    assert np.array_equal(analysis_plane(luma, factor), analysis_plane_numpy(luma, factor))


def test_analysis_plane_is_the_area_mean_in_sixteenths():
    luma = np.array([[10, 20, 7], [30, 41, 9]], np.uint8)
    assert analysis_plane(luma, 2).tolist() == [[16 * 101 // 4, 16 * 8]]


@given(hnp.arrays(np.uint16, (3, 7), elements=st.integers(0, 4080)))
def test_the_whole_range_is_spread_as_by_its_twin(plane):
    assert np.array_equal(full_range(plane), full_range_numpy(plane))


def test_every_value_of_a_plane_is_spread_exactly():
    plane = np.arange(4081, dtype=np.uint16).reshape(11, -1)
    assert np.array_equal(full_range(plane), full_range_numpy(plane))


@st.composite
def two_planes(draw):
    shape = draw(hnp.array_shapes(min_dims=2, max_dims=2, max_side=20))
    values = st.integers(0, 4080)
    return tuple(draw(hnp.arrays(np.uint16, shape, elements=values)) for _ in range(2))


@settings(max_examples=60)
@given(two_planes(), st.integers(-4080, 4080), st.sampled_from([2, 4]))
def test_kernels_equal_their_twins(planes, shift, cell_px):
    plane, other = planes
    assert r.median_shift(plane, other) == r.median_shift_numpy(plane, other)
    assert tuple(r.changed_counts(plane, other)) == r.changed_counts_numpy(plane, other)
    assert np.array_equal(r.cell_luma(plane, cell_px), r.cell_luma_numpy(plane, cell_px))
    assert r.plane_sums(plane) == r.plane_sums_numpy(plane)
    height, width = plane.shape
    count = -(-height // cell_px) * -(-width // cell_px)
    cells = [np.zeros(count, np.uint8) for _ in range(2)]
    faint = [np.zeros(count, np.int32) for _ in range(2)]
    r.cell_means(plane, other, shift, cell_px, cells[0], faint[0])
    r.cell_means_numpy(plane, other, shift, cell_px, cells[1], faint[1])
    assert np.array_equal(*cells)
    assert np.array_equal(*faint)
    noise = [np.arange(count, dtype=np.int32) * 100 for _ in range(2)]
    r.follow_noise(noise[0], faint[0])
    r.follow_noise_numpy(noise[1], faint[1])
    assert np.array_equal(*noise)


def test_the_light_shift_is_found_wherever_it_lies():
    """Also where most of the picture went to the far end at once, and the mean says nothing."""
    dark, bright = np.zeros((20, 30), np.uint16), np.full((20, 30), 4080, np.uint16)
    half = np.where(np.arange(30) < 17, bright, dark)
    for plane, other in ((bright, dark), (dark, bright), (half, dark), (dark, half), (half, bright)):
        assert r.median_shift(plane, other) == r.median_shift_numpy(plane, other)


def test_a_picture_that_is_very_tall_is_counted_whole():
    """Longer than 16 bits with a sign count."""
    plane = np.full((40_000, 3), 1000, np.uint16)
    assert tuple(r.changed_counts(plane, np.zeros_like(plane))) == (120_000, 120_000, 120_000)


def test_what_is_fainter_than_a_grey_level_is_no_change():
    plane = np.repeat(np.array([[3, 15, 16, 21]], np.uint16), 4, axis=1).repeat(4, axis=0)
    for kernel in (r.cell_means, r.cell_means_numpy):
        cells, faint = np.full(4, 9, np.uint8), np.zeros(4, np.int32)
        kernel(plane, np.zeros_like(plane), 0, 4, cells, faint)
        assert cells.tolist() == [0, 0, 4, 5]  # sixteenths of a grey level in, quarters out
        assert faint.tolist() == [48, 240, 256, 336]  # and all of it, for the noise


@settings(max_examples=40)
@given(st.integers(0, 2**32 - 1), st.integers(0, 1 << 24))
def test_background_equals_its_twin(seed, alpha):
    rng = np.random.default_rng(seed)
    plane, before = (rng.integers(0, 4081, (7, 9)).astype(np.uint16) for _ in range(2))
    held = [before.astype(np.int64) << 16 for _ in range(2)]
    rounded = [np.zeros((7, 9), np.uint16) for _ in range(2)]
    r.follow_background(held[0], plane, alpha, rounded[0])
    r.follow_background_numpy(held[1], plane, alpha, rounded[1])
    assert np.array_equal(*held)
    assert np.array_equal(*rounded)


def test_median_takes_the_lower_of_two_middles():
    plane, other = np.array([[5, 0, 0, 0, 9, 0, 1, 0]], np.uint16), np.array([[0, 0, 3, 0, 0, 0, 0, 0]], np.uint16)
    assert r.median_shift(plane, other) == 1


def run(pictures, *, interval_ms=100, options=None, times_ms=None):
    height, width = pictures[0].shape
    reducer = Reducer(Grid(width, height, full_range=True), options or EvidenceOptions(), gap_us=1_000_000)
    times_ms = times_ms or [i * interval_ms for i in range(len(pictures))]
    made = [
        reducer.reduce(picture, i, t * 1000, False)
        for i, (picture, t) in enumerate(zip(pictures, times_ms, strict=True))
    ]
    return np.array([item.row for item in made], FRAME_DTYPE), made


def test_a_changed_cell_has_its_mean_change_and_no_other_has_any():
    before = np.full((16, 16), 100, np.uint8)
    after = before.copy()
    after[4:8, 8:12] = 110
    _, made = run([before, after])
    step = made[1].cells["step"].reshape(4, 4)
    assert step[1, 2] == 40  # 10 grey levels in quarters
    assert step.sum() == 40


def test_a_light_change_of_the_whole_view_is_taken_out_and_kept():
    rows, made = run([np.full((16, 16), 100, np.uint8), np.full((16, 16), 120, np.uint8)])
    assert rows["shift_step"][1] == 20 * 16
    assert rows["share_16"][1] == 10_000
    assert made[1].cells["step"].max() == 0
    assert rows["mean"][1] == 120 * 16


def test_cell_values_saturate():
    before = np.zeros((16, 16), np.uint8)
    after = before.copy()
    after[:4, :4] = 255
    _, made = run([before, after])
    assert made[1].cells["step"][0] == 255


def test_first_frames_and_those_after_a_gap_are_not_valid():
    still = [np.full((8, 8), 50, np.uint8)] * 14
    times = [*range(0, 800, 100), *range(3000, 3600, 100)]
    rows, _ = run(still, times_ms=times)
    assert rows["valid"].tolist() == [False] * 5 + [True] * 3 + [False] * 5 + [True]
    assert rows["gap"].tolist() == [False] * 8 + [True] + [False] * 5


def test_drift_keeps_what_stands_still_for_half_of_its_window_and_keeps_no_trail_of_who_passed():
    empty = np.full((16, 16), 100, np.uint8)
    stood, passing = empty.copy(), empty.copy()
    stood[:4, :4] = 140
    passing[8:12, 8:12] = 140
    busy = [passing if i % 7 < 2 else empty for i in range(200)]
    _, made = run([*busy, *[stood] * 200], options=EvidenceOptions(drift_window_s=20))
    drift = np.array([item.cells["drift"].reshape(4, 4) / 4 for item in made])
    assert drift[203:400, 2, 2].max() == 0  # somebody was there for two sevenths of the time
    there = drift[200:, 0, 0]
    assert there[:80].min() == 40
    assert there[130:].max() == 0


def test_background_before_its_window_is_full_is_the_median_of_all_there_is():
    rng = np.random.default_rng(7)
    background = Background((6, 5), 120.0)
    planes = rng.integers(0, 4000, (12, 6, 5)).astype(np.uint16)
    for number, plane in enumerate(planes):
        background.feed(plane, number * 250_000)
    assert np.array_equal(background.plane, np.sort(planes[:11], axis=0)[5])


@settings(max_examples=40)
@given(st.integers(0, 2**32 - 1), st.integers(1, 25), st.integers(0, 12), st.integers(0, 6), st.integers(0, 6))
def test_planes_that_come_and_go_keep_the_median_as_their_twin_does(seed, count, leaving, first, after):
    rng = np.random.default_rng(seed)
    kept = rng.integers(0, 50, (26, 6, 7)).astype(np.uint16)
    slots = rng.permutation(26)
    live, come = slots[:count], int(slots[25])
    gone = live[: min(leaving, count - 1) if count < 25 else max(1, leaving)].astype(np.int64)
    ordered = [np.zeros((25, 6, 7), np.uint16) for _ in range(2)]
    for held in ordered:
        held[:count] = np.sort(kept[live], axis=0)
    found = [np.zeros((6, 7), np.uint16) for _ in range(2)]
    reorder(ordered[0], count, kept, gone, come, first, after, found[0])
    reorder_numpy(ordered[1], count, kept, gone, come, first, after, found[1])
    assert np.array_equal(*found)
    left = count - len(gone) + 1
    assert np.array_equal(ordered[0][:left], ordered[1][:left])


def test_the_background_is_the_median_of_the_planes_it_keeps_however_they_come():
    rng = np.random.default_rng(11)
    background, kept, at_us = Background((5, 4), 3.0), [], -10_000_000
    spacing_us = 3_000_000 // 24
    for number in range(400):
        now_us = number * 40_000
        plane = rng.integers(0, 4000, (5, 4)).astype(np.uint16)
        background.feed(plane, now_us)
        if now_us - at_us >= spacing_us:
            assert number == 0 or np.array_equal(background.plane, np.sort(kept, axis=0)[(len(kept) - 1) // 2])
            kept, at_us = [*kept, plane][-25:], now_us


@settings(max_examples=40)
@given(st.integers(0, 2**32 - 1))
def test_the_foreground_equals_its_twin(seed):
    rng = np.random.default_rng(seed)
    channels = [(rng.integers(0, 256, 200) * (rng.random(200) < 0.6)).astype(np.uint8) for _ in range(3)]
    luma, noise = rng.integers(0, 4081, 200).astype(np.uint16), rng.integers(0, 9000, 200).astype(np.int32)
    assert np.array_equal(foreground(*channels, luma, noise), foreground_numpy(*channels, luma, noise))


@settings(max_examples=40)
@given(st.integers(0, 2**32 - 1), st.sampled_from([2, 4]))
def test_quarters_equal_their_twin(seed, cell_px):
    rng = np.random.default_rng(seed)
    height, width = rng.integers(3, 30, 2)
    planes = [rng.integers(0, 4081, (height, width)).astype(np.uint16) for _ in range(3)]
    planes[1][: height // 2] = planes[0][: height // 2]
    cells = -(-height // cell_px) * -(-width // cell_px)
    value = rng.integers(0, 256, cells).astype(np.uint8)
    luma, noise = rng.integers(0, 4081, cells).astype(np.uint16), rng.integers(0, 90_000, cells).astype(np.int32)
    shifts = [int(held) for held in rng.integers(-300, 300, 2)]
    told = planes[0], planes[1], shifts[0], planes[2], shifts[1], value, luma, noise, cell_px
    assert np.array_equal(quarters_over(*told), quarters_over_numpy(*told))


def test_of_a_cell_over_its_limit_the_quarters_that_are_over_it_are_told():
    usual = np.full((8, 8), 100 * 16, np.uint16)
    plane = usual.copy()
    plane[:4, 2:4] += 60 * 16  # the right half of the first cell
    plane[6:8, 4:6] += 60 * 16  # one quarter of the last, which alone does not bring the cell over its limit
    plane[:4, 4:] -= 40 * 16  # all of the second
    luma, noise = np.full(4, 100 * 16, np.uint16), np.zeros(4, np.int32)
    value = np.array([30, 40, 0, 8], np.uint8)
    found = quarters_over(plane, usual, 0, plane, 0, value, luma, noise, 4)
    assert found.tolist() == [0b1010, ALL_QUARTERS, 0, 0]
    light = plane + np.uint16(5 * 16)  # with a light shift of 5 grey levels all the same
    assert quarters_over(light, usual, 5 * 16, light, 0, value, luma, noise, 4).tolist() == found.tolist()
    moved = quarters_over(plane, plane, 0, usual, 0, value, luma, noise, 4)
    assert moved.tolist() == found.tolist()  # and by what it was 0.2 s ago


def test_foreground_is_told_by_the_light_and_by_the_noise():
    drift = np.array([80, 80, 80, 0, 16, 200], np.uint8)  # 20, 20, 20, 0, 4 and 50 grey levels
    step = np.array([0, 0, 0, 60, 0, 0], np.uint8)  # 15
    luma = np.array([100, 200, 100, 100, 2, 100], np.uint16) * 16
    noise = np.array([0, 0, 8, 0, 0, 0], np.int32) * 256
    lately = np.array([80, 0, 0, 0, 0, 40], np.uint8)
    values = foreground(drift, step, lately, luma, noise)
    assert (values & MOVES).tolist() == [1, 0, 0, 1, 0, 0]
    found = (values.astype(int) & ~MOVES) / 16
    assert found[0] == pytest.approx(20 / (0.18 * 108), abs=0.13)
    assert found[1] == pytest.approx(20 / (0.18 * 208), abs=0.13)  # less against a brighter ground
    assert found[2] == pytest.approx(20 / 32, abs=0.13)  # and against a noisy one
    assert found[3] == pytest.approx(22.5 / (0.18 * 108), abs=0.13)
    assert found[4] == 1.0  # nothing fainter than 4 grey levels is anything
    assert found[5] == pytest.approx(50 / (0.18 * 108), abs=0.13)


@pytest.mark.parametrize(("interval_ms", "ago", "seen"), [(100, 2, True), (300, 1, True), (500, 1, False)])
def test_where_frames_are_few_a_body_is_seen_once_not_where_it_was_too(interval_ms, ago, seen):
    """Somebody walks on by his width from frame to frame: against the frame before he would be seen twice."""
    ground = np.full((16, 48), 100, np.uint8)
    pictures = [ground] * 12
    for i in range(6):
        picture = ground.copy()
        picture[4:12, 8 * i : 8 * i + 8] = 200
        pictures.append(picture)
    _, made = run(pictures, interval_ms=interval_ms)
    behind = [made[12 + i].cells["foreground"].reshape(4, 12)[2, 2 * (i - ago)] for i in range(ago, 6)]
    assert all(value >= 16 for value in behind) == seen
    assert all(made[12 + i].cells["foreground"].reshape(4, 12)[2, 2 * i] >= 16 for i in range(6))


def test_longer_steps_compare_with_the_frame_so_long_ago():
    still = np.full((16, 16), 100, np.uint8)
    pictures = [still.copy() for _ in range(20)]
    for i in range(10, 20):
        pictures[i][:4, :4] = 140  # from 1.0 s on
    _, made = run(pictures)
    over = {name: [i for i in range(20) if made[i].cells[name][0]] for name in ("step", "step_200ms", "step_500ms")}
    assert over == {"step": [10], "step_200ms": [10, 11], "step_500ms": [10, 11, 12, 13, 14]}


def test_where_frames_are_few_the_longer_step_is_the_frame_before():
    pictures = [np.full((16, 16), 100, np.uint8) for _ in range(6)]
    pictures[3][:4, :4] = 140
    _, made = run(pictures, interval_ms=500)
    for frame in made[1:]:
        assert np.array_equal(frame.cells["step"], frame.cells["step_200ms"])
        assert np.array_equal(frame.cells["step"], frame.cells["step_500ms"])


def test_no_step_reaches_back_over_a_gap():
    before, after = np.full((16, 16), 100, np.uint8), np.full((16, 16), 100, np.uint8)
    after[:4, :4] = 140
    _, made = run([before] * 6 + [after] * 6, times_ms=[*range(0, 600, 100), *range(9000, 9600, 100)])
    assert all(frame.cells["step_500ms"][0] == 0 for frame in made[7:])


def test_settle_shows_what_was_left_and_not_what_passed():
    empty = np.full((16, 16), 100, np.uint8)
    left, passed = empty.copy(), empty.copy()
    left[:4, :4] = 140
    passed[8:12, 8:12] = 140
    both = np.where(left == 140, left, passed)
    options = EvidenceOptions(drift_window_s=120, settle_tau_s=2)
    _, made = run([empty] * 300 + [both] * 3 + [left] * 97, options=options)
    settle = np.array([frame.cells["settle"].reshape(4, 4) / 4 for frame in made])
    assert settle[:300].max() == 0
    assert settle[302:, 0, 0].max() > 25
    assert settle[:, 2, 2].max() < 8


def test_orientation_is_applied_before_anything_is_measured():
    before = np.full((16, 32), 100, np.uint8)
    after = before.copy()
    after[:4, :4] = 140
    reducer = Reducer(Grid(32, 16, 180, full_range=True), EvidenceOptions(), 1_000_000)
    reducer.reduce(before, 0, 0, True)
    cells = reducer.reduce(after, 1, 100_000, False).cells["step"].reshape(4, 8)
    assert cells[3, 7] == 160
    assert cells.sum() == 160


def test_both_ranges_give_the_same_grey_levels():
    """The same scene from a camera that codes 16 to 235 and from one that codes 0 to 255, to within the rounding of codes."""
    rng = np.random.default_rng(3)
    scenes = [rng.integers(0, 256, (48, 64)) for _ in range(4)]
    rows = []
    for full in (True, False):
        reducer = Reducer(Grid(64, 48, full_range=full), EvidenceOptions(), gap_us=1_000_000)
        coded = [scene if full else np.round(16 + scene * 219 / 255) for scene in scenes]
        made = [reducer.reduce(held.astype(np.uint8), i, i * 100_000, False) for i, held in enumerate(coded)]
        rows.append(made)
    for wide, narrow in zip(*rows, strict=True):
        assert abs(int(wide.row["mean"]) - int(narrow.row["mean"])) <= 4
        for channel, values in wide.cells.items():
            assert np.abs(values.astype(int) - narrow.cells[channel].astype(int)).max() <= 3


@pytest.mark.parametrize("frames_per_s", [2, 25, 60, 120])
@pytest.mark.parametrize("tau_s", [2.0, 60.0, 3600.0])
def test_no_time_constant_rounds_to_nothing(frames_per_s, tau_s):
    interval = round(1e6 / frames_per_s)
    alpha = background_alpha(interval, round(tau_s * 1e6), tau_s)
    assert alpha / (1 << r.ALPHA_SHIFT) == pytest.approx(1 / frames_per_s / tau_s, rel=0.3)


def test_the_noise_of_each_cell_is_its_usual_change_before_the_floor():
    rng = np.random.default_rng(5)
    still = np.full((16, 16), 100.0)
    pictures = []
    for i in range(400):
        noise = rng.normal(0, 1, (16, 16))
        noise[:, 8:] *= 4
        noise[:4, :4] += 60 * (i % 50 == 0)  # a flash now and then is no noise
        pictures.append(np.clip(np.round(still + noise), 0, 255).astype(np.uint8))
    height, width = pictures[0].shape
    reducer = Reducer(Grid(width, height, full_range=True), EvidenceOptions(), gap_us=1_000_000)
    for i, picture in enumerate(pictures):
        reducer.reduce(picture, i, i * 100_000, False)
    noise, luma = (held.reshape(4, 4) for held in reducer.soil())
    quiet, loud = noise[:, :2] / 256, noise[:, 2:] / 256
    assert quiet == pytest.approx(2 / np.sqrt(np.pi), rel=0.2)  # mean absolute difference of two normal values
    assert loud == pytest.approx(4 * 2 / np.sqrt(np.pi), rel=0.2)
    assert (np.abs(luma / 16 - 100) < 5).all()
