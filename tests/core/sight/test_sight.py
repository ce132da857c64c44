"""How well a camera sees: made-up scenes that are covered, turned, blurred, darkened, dazzled and frozen."""

from dataclasses import replace

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy.ndimage import gaussian_filter

from north_hush.core.footage.evidence import Evidence
from north_hush.core.footage.options import EvidenceOptions
from north_hush.core.footage.reduce import FRAME_DTYPE, Reducer
from north_hush.core.grid import Grid
from north_hush.core.sight.rules import BORN, KINDS, SightRule
from north_hush.core.sight.sight import FROZEN_S, Sight, blind_of, looks

WIDTH, HEIGHT, RATE = 160, 96, 5
BEGIN, END, LENGTH = 20.0, 40.0, 60.0


def scene():
    """A place with things of all sizes in it."""
    rng = np.random.default_rng(3)
    held = np.full((HEIGHT + 40, WIDTH + 40), 110.0)
    for _ in range(60):
        x, y = rng.integers(WIDTH + 30), rng.integers(HEIGHT + 30)
        held[y : y + rng.integers(4, 30), x : x + rng.integers(4, 30)] = rng.uniform(40, 200)
    return held


SCENE = scene()


def plain(at_s):
    return SCENE[20 : 20 + HEIGHT, 20 : 20 + WIDTH]


def covered(at_s):
    return gaussian_filter(np.linspace(30, 60, WIDTH)[None, :].repeat(HEIGHT, 0) + 5 * np.sin(at_s), 8)


def turned(at_s):
    return SCENE[16 : 16 + HEIGHT, 8 : 8 + WIDTH]  # what was there lies 12 pixels further right, 4 further down


def blurred(at_s):
    return gaussian_filter(plain(at_s), 5)


def dark(at_s):
    return plain(at_s) * 0.04


def bright(at_s):
    return np.clip(plain(at_s) * 0.1 + 238, 0, 255)


def filmed(blind=plain, begin=BEGIN, end=END, noise=2.0, length=LENGTH):
    """Evidence of the scene that is as `blind` between two times."""
    rng, rows, before = np.random.default_rng(5), [], None
    reducer = Reducer(Grid(WIDTH, HEIGHT, full_range=True), EvidenceOptions(), 1_000_000)
    for number in range(round(length * RATE)):
        at_s = number / RATE
        is_blind = begin <= at_s < end
        if not (is_blind and blind == "frozen"):
            picture = (blind if is_blind and blind != "frozen" else plain)(at_s)
            before = np.clip(picture + noise * rng.standard_normal((HEIGHT, WIDTH)), 0, 255).astype(np.uint8)
        rows.append(reducer.reduce(before, number, round(at_s * 1e6), number % 20 == 0).row)
    frames = np.array(rows, FRAME_DTYPE)
    return Evidence(
        "made", Grid(WIDTH, HEIGHT), EvidenceOptions(), frames, lambda name, block: np.zeros((0, 0), np.uint8)
    )


@pytest.mark.parametrize(
    ("kind", "blind"),
    [
        ("covered", covered),
        ("moved", turned),
        ("blurred", blurred),
        ("dark", dark),
        ("bright", bright),
        ("frozen", "frozen"),
    ],
)
def test_each_blindness_is_told_with_when_it_began_and_ended(kind, blind):
    (found,) = blind_of(filmed(blind))
    assert found.kind == kind
    assert BEGIN - 0.5 <= found.start_us / 1e6 <= BEGIN + 2 and found.peak_percent >= BORN[kind].start_percent
    assert found.end_us is not None and END - 0.5 <= found.end_us / 1e6 <= END + 2
    if kind == "moved":  # cells are 4 pixels
        assert found.moved == pytest.approx((12 / WIDTH, 4 / HEIGHT), abs=0.01)
    else:
        assert found.moved == (0.0, 0.0)


def test_a_camera_that_sees_is_left_alone():
    assert blind_of(filmed()) == []


def test_what_comes_slowly_is_weather_and_no_blindness():
    """A dusk and a fog over two minutes, down to a fifth of the light and a third of the contrast."""

    def weather(at_s):
        share = min(1.0, at_s / 120)
        light, contrast = 1 - 0.8 * share, 1 - 0.65 * share
        held = plain(at_s)
        return (held.mean() + (held - held.mean()) * contrast) * light

    assert blind_of(filmed(weather, begin=0, end=200, length=180)) == []


def test_somebody_close_before_the_lens_is_no_cover():
    def passer(at_s):
        held = plain(at_s).copy()
        left = int((at_s - BEGIN) * 60) % WIDTH
        held[20:, left : left + 50] = 60
        return held

    assert blind_of(filmed(passer, end=BEGIN + 3)) == []


def test_what_lasts_to_the_end_has_none_and_what_is_switched_off_is_not_looked_for():
    held = filmed(covered, end=100)
    (found,) = blind_of(held)
    assert found.kind == "covered" and found.end_us is None
    assert blind_of(held, {kind: rule for kind, rule in BORN.items() if kind != "covered"}) == []
    strict = {"covered": SightRule(start_percent=100, clear_percent=0, for_s=0)}
    assert blind_of(held, strict) == []


def test_a_frozen_picture_needs_its_time_and_key_frames_do_not_end_it():
    assert blind_of(filmed("frozen", begin=BEGIN, end=BEGIN + FROZEN_S - 1)) == []
    held = filmed("frozen")
    keys = held.frames["key"]
    held.frames["same"][keys] = False  # an encoder draws the picture anew
    assert [one.kind for one in blind_of(held)] == ["frozen"]


def test_what_an_encoder_improves_after_a_key_frame_does_not_end_a_frozen_picture():
    held = filmed("frozen")
    keys = np.flatnonzero(held.frames["key"])
    held.frames["same"][keys] = False
    held.frames["same"][keys[1:] + 4] = False  # of the 20 frames to the next
    assert [one.kind for one in blind_of(held)] == ["frozen"]
    changed = filmed("frozen")
    changed.frames["same"][keys[1:] + 4], changed.frames["share_4"][keys[1:] + 4] = False, 1  # by 4 grey levels
    assert blind_of(changed) == []
    later = filmed("frozen")
    later.frames["same"][keys[1:, None] + [6, 8]] = False  # as the noise of a live picture
    assert blind_of(later) == []


def test_two_faint_changes_do_not_end_a_frozen_picture_and_three_do():
    for count, kinds in ((2, ["frozen"]), (3, [])):
        held = filmed("frozen", end=BEGIN + FROZEN_S + 2)
        held.frames["same"][round((BEGIN + 6) * RATE) + 3 * np.arange(count)] = False
        assert [one.kind for one in blind_of(held)] == kinds


def test_a_scene_with_faint_noise_and_many_key_frames_is_not_frozen():
    held = filmed(covered, end=BEGIN)
    held.frames["share_4"] = 0
    assert not held.frames["same"][1:].any() and blind_of(held) == []


@settings(max_examples=50)
@given(
    st.lists(st.tuples(st.booleans(), st.sampled_from([False, False, False, True]), st.integers(0, 1)), max_size=80),
    st.sampled_from([50_000, 100_000, 400_000]),
)
def test_live_and_recorded_agree_since_when_nothing_changed(told, every_us):
    frames = np.zeros(len(told), FRAME_DTYPE)
    for row, (same, key, share) in zip(frames, told, strict=True):
        row["same"], row["key"], row["share_4"] = same, key, share
    frames["time_us"], frames["valid"] = np.arange(len(told)) * every_us, True
    held = replace(filmed(length=0.2), frames=frames)
    live, recorded = Sight(), Sight()
    for number, row in enumerate(frames):
        live.push(row)
        for looked, same_us in looks(held):
            if looked == number:
                recorded.look(row, same_us)
        assert live.levels["frozen"] == recorded.levels["frozen"]


def test_where_every_frame_is_a_key_frame_a_scene_that_moves_is_not_frozen():
    """As in MJPEG."""
    held = filmed(covered, end=BEGIN)
    held.frames["key"] = True
    assert blind_of(held) == []
    sight = Sight()
    assert [one for row in held.frames for one in sight.push(row)] == []
    frozen = filmed("frozen")
    frozen.frames["key"] = True
    assert [one.kind for one in blind_of(frozen)] == ["frozen"]


def test_live_tells_the_same_as_a_recording_and_says_when_it_ends():
    held = filmed(covered)
    sight, told = Sight(), []
    for row in held.frames:
        told += sight.push(row)
    begun, ended = told
    assert begun.end_us is None and begun.start_us == ended.start_us
    assert [ended] == blind_of(held)


@settings(max_examples=25)
@given(st.lists(st.sampled_from([plain, covered, turned, blurred]), min_size=1, max_size=4), st.integers(1, 4))
def test_live_and_recorded_agree_on_whatever_comes(kinds, every):
    def mixed(at_s):
        return kinds[int(at_s // every) % len(kinds)](at_s)

    held = filmed(mixed, begin=8, length=20)
    sight = Sight()
    told = [one for row in held.frames for one in sight.push(row) if one.end_us is not None]
    live = sorted([*told, *sight.finish()], key=lambda one: (one.start_us, one.kind))
    assert live == blind_of(held)


def test_levels_tell_how_far_it_is_from_being_told():
    held, sight, levels = filmed(covered), Sight(), []
    for row in held.frames:
        sight.push(row)
        assert set(sight.levels) == set(KINDS)
        levels.append(sight.levels["covered"])
    levels = np.array(levels)
    inside = (held.time_us > (BEGIN + 2) * 1e6) & (held.time_us < (END - 1) * 1e6)
    assert levels[inside].min() > BORN["covered"].start_percent > levels[~inside][:80].max()


def test_a_recording_of_one_frame_or_none_tells_nothing():
    held = filmed(length=0.2)
    assert len(held.frames) == 1 and blind_of(held) == []
    none = Evidence("none", held.grid, held.options, held.frames[:0], held.load)
    assert blind_of(none) == []


def test_rules_that_contradict_themselves_are_refused():
    with pytest.raises(ValueError, match="is above start_percent"):
        SightRule(start_percent=20, clear_percent=30, for_s=1)
