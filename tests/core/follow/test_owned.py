"""Patches and whose they are, crossings, entry and loitering, on hand-made cells; the live driver gives the same."""

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from north_hush.core.detect.dials import next_limits
from north_hush.core.detect.settings import ZoneSettings
from north_hush.core.evaluate import lanes as lanes_module
from north_hush.core.evaluate.evaluator import Evaluator
from north_hush.core.evaluate.live import LiveTracks, LiveZone, live_zones
from north_hush.core.follow.heights import Heights
from north_hush.core.follow.owned import FRAME, LIT, NET, OWNED_FIELDS, SIZE, TALL, TRACK, Owner, X
from north_hush.core.follow.patches import (
    CELLS,
    FOOT_X,
    FOOT_Y,
    NEVER,
    find_patches,
    find_patches_numpy,
    grouped,
    plane_limits,
)
from north_hush.core.follow.visits import ZoneWatch
from north_hush.core.footage.reduce import FRAME_DTYPE, Reduced
from north_hush.core.grid import Grid
from north_hush.core.scene.area import area_of
from north_hush.core.scene.items import SizeMark, Wire, Zone
from north_hush.core.scene.outline import rectangle
from north_hush.core.scene.plan import Plan
from tests.evidence_maker import all_channels, evidence_of, sights_of, whole_channel

GRID = Grid(320, 180)  # 80 x 45 cells
RATE = 10
SETTINGS = ZoneSettings(change_limit_grey=5, start_percent=0.01, clear_percent=0.01, confirm_frames=1, release_frames=3)


@settings(max_examples=60)
@given(st.integers(0, 2**32 - 1), st.integers(1, 14), st.integers(1, 9), st.integers(1, 5), st.integers(60, 240))
def test_patches_are_those_of_the_twin(seed, columns, rows, frames, limit):
    rng = np.random.default_rng(seed)
    values = rng.integers(0, 256, (columns * rows, frames)).astype(np.uint8)
    limits = np.where(rng.random(columns * rows) < 0.1, NEVER, limit)
    assert np.array_equal(find_patches(values, limits, columns, 7), find_patches_numpy(values, limits, columns, 7))


def test_a_patch_by_hand():
    values = np.zeros((6, 8, 1), np.uint8)
    values[1:3, 2:4] = 100
    values[3, 4] = 100  # joined at a corner
    values[5, 0] = 100
    rows = find_patches(values.reshape(48, 1), np.full(48, 20), 8, 0)
    assert rows[:, CELLS].tolist() == [5, 1]
    assert rows[0, 2:6].tolist() == [2, 1, 4, 3]
    assert rows[0, FOOT_X] == 16 * (2.5 * 2 + 3.5 * 2 + 4.5) // 5
    assert rows[0, FOOT_Y] == 3 * 16 + 8 - 8  # the last row holds half the change of the one above it
    assert rows[1, FOOT_X] == 8


def test_masked_cells_never_make_a_patch():
    limits = plane_limits(np.array([255, 0, 128], np.uint8), 20)
    assert limits.tolist() == [20, NEVER, 40]
    assert len(find_patches(np.full((3, 1), 39, np.uint8), limits, 3, 0)) == 1


def test_pieces_of_one_body_are_joined():
    values = np.zeros((20, 30, 1), np.uint8)
    values[2:4, 5:7] = values[6:9, 5:7] = 90  # head and trunk, two cells apart
    values[6:9, 10:12] = 90  # somebody else, three cells aside
    values[15, 20] = 90  # far out a person is a single cell
    rows = grouped(find_patches(values.reshape(600, 1), np.full(600, 20), 30, 0))
    assert sorted(rows[:, CELLS].tolist()) == [1, 6, 10]
    assert rows[rows[:, CELLS] == 10][0, 3:6].tolist() == [2, 6, 8]


# --- walking figures ----------------------------------------------------------------------------------------------------


def walk(*ways, frames=60, height=7, width=3):
    """Evidence of figures: each way tells the foot (x, y in cells) at a time in s, or None while it is hidden."""
    values = np.zeros((GRID.rows, GRID.columns, frames), np.uint8)
    for way in ways:
        for i in range(frames):
            at = way(i / RATE)
            if at is None:
                continue
            left, bottom = round(at[0] - width / 2), round(at[1])
            values[max(0, bottom - height) : bottom, max(0, left) : left + width, i] = 80
    flags = np.zeros(frames, FRAME_DTYPE)
    flags["time_us"] = np.arange(frames) * 1_000_000 // RATE
    flags["valid"] = True
    held = values.reshape(GRID.cells, frames)
    return evidence_of(GRID, flags, held)


def line(x, speed=0.0, y=20.0, down=0.0):
    return lambda t: (x + speed * t, y + down * t)


def owned_of(evidence):
    owner = Owner(np.full(GRID.cells, 255, np.uint8), 20, GRID)
    return owner.feed(whole_channel(evidence, "step"), evidence.frames["valid"], sights_of(evidence))


def test_patches_belong_to_the_track_that_holds_most_of_them():
    evidence = walk(line(5, 6), line(70, -6, y=35))
    sights = owned_of(evidence)
    assert sights.shape[1] == OWNED_FIELDS
    assert sorted(set(sights[:, TRACK])) == [0, 1]
    assert (sights[sights[:, FRAME] > 3, SIZE] == 21).all()  # 3 x 7 cells
    assert sights[:, TALL] == pytest.approx(7, abs=0.6)
    last = sights[sights[:, FRAME] == 59]
    assert sorted(last[:, X]) == pytest.approx([70 - 6 * 5.9, 5 + 6 * 5.9], abs=1.2)


def test_head_and_legs_of_a_body_are_one_and_what_is_far_from_any_is_its_own():
    evidence = walk(line(20, 4))
    changed = whole_channel(evidence, "step").copy().reshape(GRID.rows, GRID.columns, -1)
    changed[15:17] = 0  # a belt of the ground's colour: two patches
    changed[40, 70:72, 30] = 90  # no track: it does not move
    owner = Owner(np.full(GRID.cells, 255, np.uint8), 20, GRID)
    tracks = sights_of(evidence)
    sights = owner.feed(changed.reshape(GRID.cells, -1), evidence.frames["valid"], tracks)
    at = sights[sights[:, FRAME] == 30]
    assert at[at[:, TRACK] == 0, SIZE].tolist() == [15]
    alone = at[at[:, TRACK] < 0]
    assert alone[:, [SIZE, NET]].tolist() == [[2, 0]]


def test_a_flash_of_the_whole_view_belongs_to_nobody():
    evidence = walk(line(5, 6))
    tracks = sights_of(evidence)
    changed = whole_channel(evidence, "step").copy()
    changed[:, 30] = 200
    owner = Owner(np.full(GRID.cells, 255, np.uint8), 20, GRID)
    sights = owner.feed(changed, evidence.frames["valid"], tracks)
    flash = sights[sights[:, FRAME] == 30]
    assert flash[:, TRACK].tolist() == [0]  # he is followed on, by himself
    assert flash[:, LIT].tolist() == [1]
    assert sights[sights[:, FRAME] == 29, SIZE].tolist() == [21]


# --- wires --------------------------------------------------------------------------------------------------------------


def wire(watches, points=((0.5, 0.1), (0.5, 0.9))):
    return Wire(id="w", name="Gate", letter="1", line=points, watches=watches)


def alarms(evidence, watcher, **dials):
    plan = Plan(wires=(watcher,)) if isinstance(watcher, Wire) else Plan(zones=(watcher,))
    held = SETTINGS.model_copy(update=dials)
    return Evaluator().lane(evidence, watcher, plan, {watcher.id: held}).alarms


def test_a_crossing_has_its_direction_time_and_place():
    """Seen from the first point down to the last, side A is at the right of the picture."""
    evidence = walk(line(20, 8))
    (crossed,) = alarms(evidence, wire("b_to_a"))  # from the left to the right
    assert crossed.direction == "b_to_a"
    assert crossed.ended_by == "crossed"
    assert crossed.onset_frame == pytest.approx(25, abs=3)  # at column 40 after 2.5 s
    assert crossed.place == pytest.approx((0.5, 20 / 45), abs=0.04)
    assert alarms(evidence, wire("a_to_b")) == []
    assert len(alarms(evidence, wire("both"))) == 1
    back = walk(line(60, -8))
    assert [alarm.direction for alarm in alarms(back, wire("both"))] == ["a_to_b"]


def test_a_crossing_keeps_the_limits_of_size_and_certainty():
    evidence = walk(line(20, 8))  # 3 x 7 cells, 0.58 % of the view, crosses at the middle
    gate = wire("both")
    (crossed,) = alarms(evidence, gate)
    assert crossed.sure == 1.0
    assert alarms(evidence, gate, size_min_percent=0.7) == []
    assert alarms(evidence, gate, size_max_percent=0.4) == []
    assert len(alarms(evidence, gate, change_limit_grey=60)) == 1  # no dial of the level changes what is followed


def test_who_turns_back_or_walks_round_has_not_crossed():
    turns = walk(lambda t: (20 + 8 * min(t, 6 - t), 20))  # up to column 44 would cross; stop short instead
    assert len(alarms(turns, wire("both", ((0.62, 0.1), (0.62, 0.9))))) == 0
    beyond = walk(line(20, 8, y=40))
    assert alarms(beyond, wire("both", ((0.5, 0.0), (0.5, 0.5)))) == []
    stands = walk(lambda t: (38.5 + 0.4 * np.sin(9 * t), 20))
    assert alarms(stands, wire("both")) == []


def test_there_and_back_are_two_crossings_and_two_side_by_side_are_two():
    there = walk(lambda t: (25 + 10 * min(t, 6 - t), 20))
    assert [alarm.direction for alarm in alarms(there, wire("both"))] == ["b_to_a", "a_to_b"]
    pair = walk(line(20, 8, y=14), line(20, 8, y=34))
    assert len(alarms(pair, wire("both"))) == 2


def test_a_wire_of_many_points_is_crossed_at_its_legs():
    bent = wire("both", ((0.5, 0.1), (0.5, 0.5), (0.9, 0.5)))
    assert len(alarms(walk(line(20, 8, y=15)), bent)) == 1
    assert len(alarms(walk(line(60, 0, y=12, down=4)), bent)) == 1


def test_the_time_of_a_slow_crossing_is_fitted_through_the_seconds_around_it():
    slow = walk(line(38.4, 0.8), frames=60)  # at column 40 after 2.0 s, a dead band wide after 3
    (crossed,) = alarms(slow, wire("both"))
    assert crossed.onset_frame == pytest.approx(20, abs=5)
    assert crossed.start_frame > crossed.onset_frame  # it takes a while to be sure


def test_a_body_is_as_tall_as_it_usually_is():
    heights = Heights(np.concatenate([np.zeros(10), np.full(35, 7.0)]))
    told = [heights.feed(100_000 * i, 40 - 0.3 * i, 14.0 if 10 <= i < 15 else 7.0) for i in range(30)]
    assert told == [1.0] * 30  # what joins it for half a second does not make it taller
    assert heights.feed(3_100_000, 9.0, 7.0) is None  # where nobody stands


def test_weather_crosses_nothing():
    """A speck that falls through the picture at 20 cells a second is small and fast."""
    marks = (SizeMark(id="s", name="Near", foot=(0.5, 0.9), height_frac=7 / 45),)
    across = wire("both", ((0.1, 0.5), (0.9, 0.5)))
    plan = Plan(wires=(across,), size_marks=marks)
    falls = walk(lambda t: (40, 2 + 20 * t) if t < 2.1 else None, height=2, width=2)
    assert Evaluator().lane(falls, across, plan, {"w": SETTINGS}).alarms == []
    walks = walk(lambda t: (40, 12 + 7 * t), height=7)
    assert len(Evaluator().lane(walks, across, plan, {"w": SETTINGS}).alarms) == 1


# --- zones --------------------------------------------------------------------------------------------------------------


def zone(fires):
    return Zone(id="z", name="Slip", letter="A", area=area_of(rectangle((0.4, 0.1), (0.7, 0.9))), fires=fires)


def test_entry_fires_for_who_comes_in_and_not_for_who_was_inside():
    comes = walk(line(10, 8))
    (alarm,) = alarms(comes, zone("entry"))
    assert alarm.start_frame == pytest.approx(28, abs=3)  # column 32 after 2.75 s
    inside = walk(line(40, 1))
    assert alarms(inside, zone("motion")) != []
    assert alarms(inside, zone("entry")) == []


def test_loitering_fires_after_its_time_only():
    stays = walk(line(45, 0.2))
    (alarm,) = alarms(stays, zone("loitering"), loiter_s=3.0)
    assert alarm.start_frame == pytest.approx(30, abs=1)
    assert alarms(stays, zone("loitering"), loiter_s=7.0) == []
    assert alarms(walk(line(10, 12)), zone("loitering"), loiter_s=3.0) == []


@settings(max_examples=30)
@given(st.floats(0.1, 6.0), st.floats(0.0, 3.0))
def test_a_longer_stay_asked_for_allows_no_more(loiter_s, more):
    evidence = walk(line(30, 3), line(50, -1, y=30))
    sights = owned_of(evidence)
    short, long = (
        ZoneWatch(zone("loitering"), ZoneSettings(loiter_s=s), GRID).feed(sights, evidence.time_us)
        for s in (loiter_s, loiter_s + more)
    )
    assert ((long > 0) <= (short > 0)).all()


@settings(max_examples=12)
@given(st.integers(0, 2**32 - 1))
def test_the_live_twin_gives_the_alarms_of_replay(seed):
    rng = np.random.default_rng(seed)
    ways = [line(rng.uniform(0, 80), rng.uniform(-10, 10), rng.uniform(10, 40), rng.uniform(-3, 3)) for _ in range(4)]
    evidence = walk(*ways)
    noise = whole_channel(evidence, "step")
    noise[rng.random(noise.shape) < 0.004] = 90
    evidence.frames["valid"][20:22] = False
    evidence.frames["gap"][40] = rng.random() < 0.5
    plan = Plan(
        zones=(zone("entry"), zone("loitering").model_copy(update={"id": "y", "letter": "B"})),
        wires=(wire("both"), wire("broken").model_copy(update={"id": "b", "letter": "2"})),
        size_marks=(SizeMark(id="s", name="Person", foot=(0.5, 0.8), height_frac=0.2),),
    )
    limits = {
        "loiter_s": 1.0, "rearm_s": float(rng.uniform(0, 2)), "longest_s": float(rng.uniform(1, 4)),
        "size_min_percent": float(rng.uniform(0, 0.4)), "guard_percent": 30.0, "guard_hold_s": 0.3,
        "things_in": str(rng.choice(["percent", "heights"])), "size_min_heights": 0.3, "travel_heights": 0.5,
        "analysis_per_s": int(rng.choice([0, 0, 5])),
        "kinds": (("person", "people"), ("drifting",), ())[rng.integers(3)], "kind_sure_percent": float(rng.uniform(0, 60)),
    }  # fmt: skip
    evidence.frames["share_8"] = rng.integers(0, 3500, 60)
    dials = {name: SETTINGS.model_copy(update=limits) for name in ("z", "y", "w", "b")}
    lanes = Evaluator().lanes(evidence, plan, dials)
    lives = live_zones(plan, dials, GRID)
    seen = [[] for _ in lives]
    for i, row in enumerate(evidence.frames):
        frame = Reduced(row, all_channels(noise[:, i]))
        for live, ended in zip(lives, seen, strict=True):
            ended += live.push(frame)
    for live, ended, lane in zip(lives, seen, lanes, strict=True):
        assert ended + ([live.running] if live.running else []) == lane.alarms


def test_an_item_drawn_or_limited_while_others_follow_for_long_follows_too():
    evidence = walk(line(5, 10))
    values = whole_channel(evidence, "step")
    drawn = zone("motion").model_copy(update={"id": "y", "letter": "B"})
    limited = SETTINGS.model_copy(update={"travel_percent": 1.0})
    crossed = wire("both")
    plan = Plan(zones=(zone("loitering"), drawn), wires=(crossed,))
    tracks = LiveTracks(plan, GRID)
    lives = [LiveZone(plan.zones[0], plan, SETTINGS, GRID, tracks), LiveZone(drawn, plan, SETTINGS, GRID, tracks)]
    ended = []
    for i, row in enumerate(evidence.frames):
        if i == 20:
            follows = LiveZone(drawn, plan, limited, GRID, tracks)
            follows.go_on_from(lives[1])
            lives[1] = follows
            lives.append(LiveZone(crossed, plan, SETTINGS.model_copy(update={"sure_percent": 0.0}), GRID, tracks))
        for live in lives:
            ended += live.push(Reduced(row, all_channels(values[:, i])))
    replay = Evaluator().lane(evidence, drawn, plan, {"y": limited}).alarms
    seen = [held for held in (*ended, lives[1].running) if held is not None and held.ended_by != "crossed"]
    assert [held.end_frame for held in seen if held.start_frame > 20] == [held.end_frame for held in replay]
    assert len([held for held in ended if held.ended_by == "crossed"]) == 1


def test_a_step_of_the_change_limit_finds_its_sights_prepared(monkeypatch):
    evidence, plan, evaluator = walk(line(20, 8)), Plan(zones=(zone("motion"),)), Evaluator()
    followed = {"z": SETTINGS.model_copy(update={"travel_percent": 5.0})}
    assert not evaluator.prepare_next(evidence, plan, {"z": SETTINGS})  # nothing is followed there
    made = 0
    while evaluator.prepare_next(evidence, plan, followed):
        made += 1
    assert made == 2  # one step louder, one quieter
    present = evaluator.lane(evidence, plan.zones[0], plan, followed).alarms
    monkeypatch.setattr(lanes_module, "Owner", None)  # no patch can be given to anybody any more
    for turned in next_limits(followed["z"]):
        assert len(evaluator.lane(evidence, plan.zones[0], plan, {"z": turned}).alarms) == len(present) == 1
    with pytest.raises(TypeError):
        evaluator.lane(evidence, plan.zones[0], plan, {"z": followed["z"].turned(change_limit_grey=12)})
