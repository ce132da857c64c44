"""The alarm rule: known answers on tiny recordings, invariants by hypothesis, and replay against live."""

from dataclasses import replace

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from pydantic import ValidationError

from north_hush.core.detect.alarms import (
    Alarm,
    Part,
    advance,
    alarms_of,
    find_alarms,
    fresh_state,
    limits_of,
    open_alarm,
    switched_alarms,
)
from north_hush.core.detect.dials import DIALS
from north_hush.core.detect.settings import ZoneSettings
from north_hush.core.evaluate.evaluator import Evaluator
from north_hush.core.evaluate.live import live_zones
from north_hush.core.footage.evidence import Evidence
from north_hush.core.footage.options import CHANNELS, EvidenceOptions
from north_hush.core.footage.reduce import FRAME_DTYPE, Reducer
from north_hush.core.grid import Grid
from north_hush.core.memo import Memo
from north_hush.core.scene.area import WHOLE_AREA, area_of
from north_hush.core.scene.items import Mask, Zone
from north_hush.core.scene.plan import Plan
from tests.evidence_maker import evidence_of as made_of


def times(areas):
    """A frame every tenth of a second."""
    return np.arange(len(areas)) * 100_000


def dials(start=50.0, clear=None, confirm=1, release=1, **more):
    return ZoneSettings(
        start_percent=start,
        clear_percent=start if clear is None else clear,
        confirm_frames=confirm,
        release_frames=release,
        **more,
    )


def found(levels, settings, gaps=(), invalid=()):
    """Alarms of levels in percent as (onset, start, end, ended by, peak)."""
    areas = np.array(levels, np.int64)
    valid, gap = np.ones(len(levels), bool), np.zeros(len(levels), bool)
    gap[list(gaps)] = True
    valid[list(invalid)] = False
    return [
        (a.onset_frame, a.start_frame, a.end_frame, a.ended_by, a.peak_area)
        for a in find_alarms(areas, valid, gap, 100, settings, times(areas))
    ]


def test_starts_at_the_limit_itself_and_ends_below_it():
    assert found([0, 49, 50, 50, 49, 0], dials()) == [(2, 2, 4, "level", 50)]


def test_confirm_takes_frames_in_a_row():
    assert found([0, 60, 60, 0, 60, 70, 60, 0], dials(confirm=3)) == [(4, 6, 7, "level", 70)]


def test_release_takes_frames_in_a_row():
    assert found([60, 0, 60, 0, 0, 60], dials(release=2)) == [(0, 0, 4, "level", 60), (5, 5, 5, "open", 60)]


def test_between_clear_and_start_it_goes_on():
    assert found([60, 40, 40, 29, 60], dials(start=50, clear=30)) == [(0, 0, 3, "level", 60), (4, 4, 4, "open", 60)]


def test_a_gap_ends_an_alarm_at_the_frame_before_and_forgets_a_run():
    assert found([60, 60, 60, 60], dials(), gaps=[2], invalid=[2]) == [(0, 0, 1, "gap", 60), (3, 3, 3, "open", 60)]
    assert found([0, 60, 60, 60], dials(confirm=3), gaps=[2]) == []


def test_rearm_is_counted_from_the_last_frame_also_after_a_gap():
    """The alarm ends with the frame before the gap, at 0.1 s; the re-arm time of 0.25 s is over at 0.4 s."""
    held = dials(rearm_s=0.25)
    assert found([60, 60, 60, 60, 60, 60], held, gaps=[2], invalid=[2])[-1] == (4, 4, 5, "open", 60)


def test_a_split_alarm_goes_on_only_with_change_after_the_split():
    held = dials(start=50, clear=30, release=4, longest_s=1.0)
    quiet = [60] * 10 + [0] * 4 + [60]
    assert found(quiet, held) == [(0, 0, 9, "split", 60), (14, 14, 14, "open", 60)]
    change = [60] * 10 + [0] * 2 + [40] * 3
    assert found(change, held) == [(0, 0, 9, "split", 60), (12, 12, 14, "open", 40)]


def test_invalid_frames_count_in_nothing():
    assert found([60, 60, 60, 0], dials(confirm=2), invalid=[1]) == [(0, 2, 3, "level", 60)]
    assert found([99, 99], dials(), invalid=[0, 1]) == []


def test_a_tie_is_exact_where_floats_would_miss_it():
    # 7 of 70 sixteenths are exactly 10 %, and 0.07 of 0.7 in floats is not.
    areas = np.array([7], np.int64)
    assert len(find_alarms(areas, np.ones(1, bool), np.zeros(1, bool), 70, dials(start=10.0), times(areas))) == 1
    assert len(find_alarms(areas, np.ones(1, bool), np.zeros(1, bool), 70, dials(start=10.01), times(areas))) == 0


def test_nothing_watched_never_alarms():
    assert (
        find_alarms(np.zeros(5, np.int64), np.ones(5, bool), np.zeros(5, bool), 0, dials(start=0.01), np.arange(5))
        == []
    )


levels = st.lists(st.integers(0, 100), min_size=1, max_size=80)
settings_ = st.builds(
    lambda a, b, c, r: dials(float(max(a, b)), float(min(a, b)), c, r),
    st.integers(1, 100), st.integers(1, 100), st.integers(1, 5), st.integers(1, 5),
)  # fmt: skip


@given(levels, settings_)
def test_alarms_are_in_order_and_keep_the_rule(values, held):
    made = found(values, held)
    last_end = -1
    for onset, start, end, ended_by, peak in made:
        assert last_end < onset <= start <= end
        assert start - onset + 1 == held.confirm_frames
        assert all(values[i] >= held.start_percent for i in range(onset, start + 1))
        assert peak == max(values[onset : end + 1])
        if ended_by == "level":
            assert all(values[i] < held.clear_percent for i in range(end - held.release_frames + 1, end + 1))
        last_end = end


@given(levels, settings_, st.integers(0, 40))
def test_quieter_start_or_confirm_leaves_no_new_frame_of_starting(values, held, more):
    """By each dial's own rule: what starts under the quieter value had run long enough under the louder one."""
    louder = {start for onset, start, *_ in found(values, dials(held.start_percent, 0.01, 1, 600))}
    quieter = found(values, dials(min(100, held.start_percent + more), 0.01, held.confirm_frames, 600))
    assert len(quieter) <= len(louder)


@given(levels, st.integers(1, 100))
def test_clear_at_start_with_release_one_never_flickers(values, start):
    """An alarm never ends and starts again while the level stays at or above start."""
    for _onset, _start, end, ended_by, _peak in found(values, dials(float(start))):
        assert ended_by == "open" or values[end] < start


@given(levels, settings_, st.integers(1, 79), st.integers(0, 2**32 - 1), st.booleans())
def test_frame_by_frame_equals_all_at_once(values, held, cut, seed, visits):
    areas, flags = np.array(values, np.int64), np.ones(len(values), bool)
    allowed = np.random.default_rng(seed).integers(0, 4, len(values)).astype(np.uint8)
    state, made = fresh_state(), []
    for part in (slice(0, cut), slice(cut, None)):
        made += alarms_of(
            advance(
                state,
                areas[part],
                flags[part],
                ~flags[part],
                100,
                limits_of(held, visits=visits),
                allowed[part],
                times(areas)[part],
            )
        )
    running = open_alarm(state)
    whole = switched_alarms([Part(areas, flags, allowed, held, visits)], ~flags, 100, times(areas))
    assert made + ([running] if running else []) == whole


@settings(max_examples=15)
@given(seed=st.integers(0, 2**32 - 1), channel=st.sampled_from(CHANNELS), strength=st.sampled_from([100.0, 40.0]))
def test_the_live_twin_gives_the_alarms_of_replay(seed, channel, strength):
    rng = np.random.default_rng(seed)
    grid, options = Grid(48, 32), EvidenceOptions(warm_up_s=0.2)
    held = {
        "a": dials(2.0, 1.0, int(rng.integers(1, 3)), int(rng.integers(1, 4)), change_limit_grey=4.0, channel=channel,
                   analysis_per_s=int(rng.choice([0, 0, 2, 5])), smooth_frames=int(rng.choice([1, 1, 3, 4])),
                   usual_s=float(rng.choice([0, 0, 0.7])))
    }  # fmt: skip
    zones = [Zone(id="a", name="Slip", letter="A", area=area_of(((0.1, 0.1), (0.9, 0.2), (0.7, 0.9), (0.2, 0.8))))]
    masks = [Mask(id="m", name="Nets", area=area_of(((0.5, 0.5), (1.0, 0.5), (1.0, 1.0))), strength_percent=strength)]
    plan = Plan(zones=tuple(zones), masks=tuple(masks))
    reducer, time_us, reduced = Reducer(grid, options, 1_000_000), 0, []
    ground = rng.integers(40, 200, (32, 48))
    for i in range(60):
        picture = ground + rng.integers(-2, 3, ground.shape)
        if rng.random() < 0.4:
            top, left = rng.integers(0, 24), rng.integers(0, 36)
            picture[top : top + 8, left : left + 10] += 40
        reduced.append(reducer.reduce(np.clip(picture, 0, 255).astype(np.uint8), i, time_us, False))
        time_us += int(rng.choice([100_000, 100_000, 130_000, 2_000_000], p=[0.5, 0.3, 0.17, 0.03]))
    live = live_zones(plan, held, grid)[0]
    seen: list[Alarm] = [alarm for frame in reduced for alarm in live.push(frame)]
    if live.running:
        seen.append(live.running)
    rows = np.array([frame.row for frame in reduced], FRAME_DTYPE)
    key = f"{seed} {channel} {strength}"
    stored = Evidence(
        key, grid, options, rows, lambda name, block: np.stack([frame.cells[name] for frame in reduced], axis=1)
    )
    assert seen == Evaluator().lanes(stored, plan, held)[0].alarms


def evidence_of(values):
    frames = np.zeros(values.shape[1], FRAME_DTYPE)
    frames["time_us"] = np.arange(len(frames)) * 100_000
    frames["valid"] = True
    return made_of(Grid(4 * len(values), 4), frames, values)


def test_replay_answers_the_same_before_and_after_its_table():
    rng = np.random.default_rng(5)
    stored, evaluator = evidence_of(rng.integers(0, 60, (20, 300)).astype(np.uint8)), Evaluator()
    limits = [
        ZoneSettings(change_limit_grey=limit, start_percent=20, clear_percent=10) for limit in (1.0, 3.5, 7.25, 14.0)
    ]
    direct = [Evaluator(Memo()).lane(stored, None, Plan(), {"whole-picture": held}) for held in limits]
    assert evaluator.make_table(stored, None, Plan(), {})
    assert evaluator.has_table(stored, None, Plan(), {})
    stored.deflate()
    unread = replace(stored, load=lambda name, block: pytest.fail("a moved dial must not read the evidence again"))
    for held, expected in zip(limits, direct, strict=True):
        lane = evaluator.lane(unread, None, Plan(), {"whole-picture": held})
        assert np.array_equal(lane.areas, expected.areas)
        assert lane.alarms == expected.alarms


@given(st.integers(1, 60), st.integers(0, 30))
def test_a_lower_change_limit_never_lowers_a_level(quarters, more):
    rng = np.random.default_rng(quarters)
    stored = evidence_of(rng.integers(0, 256, (20, 40)).astype(np.uint8))
    low, high = (
        Evaluator().lane(stored, None, Plan(), {"whole-picture": ZoneSettings(change_limit_grey=q / 4)}).areas
        for q in (quarters, quarters + more)
    )
    assert (low >= high).all()


def test_whole_picture_is_watched_while_no_zone_is_drawn():
    lanes = Evaluator().lanes(evidence_of(np.full((10, 5), 80, np.uint8)), Plan(), {})
    assert [lane.name for lane in lanes] == ["Whole picture"]
    assert lanes[0].total == 160
    masked = Evaluator().lanes(
        evidence_of(np.full((10, 5), 80, np.uint8)), Plan(masks=(Mask(id="m", name="All", area=WHOLE_AREA),)), {}
    )
    assert (masked[0].total, masked[0].alarms) == (0, [])


@pytest.mark.parametrize(
    ("field", "value"),
    [
        ("change_limit_grey", 0.0), ("change_limit_grey", 3.1), ("start_percent", 0.0), ("start_percent", 101.0),
        ("confirm_frames", 0), ("release_frames", 601), ("start_percent", float("nan")), ("channel", "sideways"),
    ],
)  # fmt: skip
def test_dials_out_of_range_are_refused(field, value):
    with pytest.raises(ValidationError, match=field):
        ZoneSettings(**{field: value})


def test_clear_above_start_is_refused_with_the_reason():
    with pytest.raises(ValidationError, match="an alarm would end while it still starts"):
        ZoneSettings(start_percent=1.0, clear_percent=2.0)


def test_every_dial_has_a_setting_behind_it():
    assert {dial.field for dial in DIALS} == set(ZoneSettings.model_fields) - {
        "channel", "analysis_per_s", "usual_s", "things_in", "loiter_s", "kinds",
    }  # fmt: skip  # choices, and what is set in Draw
