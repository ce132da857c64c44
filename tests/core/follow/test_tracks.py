"""Bodies, pairs and tracks: by hand, and against SciPy."""

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy import ndimage
from scipy.optimize import linear_sum_assignment

from north_hush.core.follow import bodies as b
from north_hush.core.follow.bodies import find_bodies
from north_hush.core.follow.pairing import assign
from north_hush.core.follow.tracks import (
    FRAME,
    HITS,
    HOW,
    OWN,
    SHARED,
    SIGHT_FIELDS,
    TRACK,
    TRACKS_MAX,
    UNSEEN,
    Follower,
    X,
    Y,
    uncovered,
)
from north_hush.core.scene.items import Privacy
from tests.core.follow.test_owned import GRID, RATE, line, walk
from tests.evidence_maker import sights_of, whole_cells, whole_channel


def found_in(plane):
    labels, table = np.zeros(plane.shape, np.int32), np.zeros((b.BODIES_MAX, b.BODY_FIELDS))
    count = find_bodies(plane, labels, table)
    return table[:count].copy(), labels


@settings(max_examples=60)
@given(st.integers(0, 2**32 - 1), st.floats(0.02, 0.5))
def test_bodies_are_those_of_scipy(seed, share):
    rng = np.random.default_rng(seed)
    plane = np.where(rng.random((14, 19)) < share, rng.integers(16, 255, (14, 19)), 8).astype(np.uint8) | b.MOVES
    table, labels = found_in(plane)
    column = np.zeros((3, 3), bool)
    column[:, 1] = True
    over = plane >= b.FOREGROUND_SCALE
    closed = over | ndimage.binary_closing(np.pad(over, 2), column)[2:-2, 2:-2]
    named, count = ndimage.label(closed, np.ones((3, 3), bool))
    held = [np.argwhere(named == number) for number in range(1, count + 1)]
    held = sorted((cells for cells in held if len(cells) > 1), key=lambda cells: tuple(cells[0]))
    assert len(table) == len(held)
    for number, cells in enumerate(held):
        assert table[number, b.CELLS] == len(cells)
        assert table[number, [b.Y, b.X]] == pytest.approx(cells.mean(axis=0) + 0.5)
        assert table[number, [b.TOP, b.LEFT]].tolist() == cells.min(axis=0).tolist()
        assert table[number, [b.BOTTOM, b.RIGHT]].tolist() == (cells.max(axis=0) + 1).tolist()
        assert table[number, b.STRENGTH] == pytest.approx((plane[tuple(cells.T)] / b.FOREGROUND_SCALE).mean())
        assert (np.argwhere(labels == number) == cells).all()


def test_of_a_lit_place_only_what_moves_in_it_is_a_body():
    plane = np.zeros((45, 80), np.uint8)
    plane[5:30, 10:40] = 80
    assert len(found_in(plane)[0]) == 0
    plane[12:18, 20:22] |= b.MOVES
    (walker,) = found_in(plane)[0]
    assert walker[[b.LEFT, b.TOP, b.RIGHT, b.BOTTOM]].tolist() == [20, 12, 22, 18]
    plane[5:30, 10:40] |= b.MOVES  # a beam that sweeps is one large body
    assert found_in(plane)[0][0, b.CELLS] == 25 * 30


def test_a_frame_in_pieces_has_no_bodies():
    plane = np.zeros((90, 160), np.uint8)
    plane[::5, ::4] = plane[::5, 1::4] = 90
    table, labels = found_in(plane)
    assert len(table) == 0
    assert (labels == -1).all()


@settings(max_examples=80)
@given(st.integers(0, 2**32 - 1), st.integers(0, 9), st.integers(0, 9))
def test_pairs_have_the_least_sum(seed, rows, columns):
    rng = np.random.default_rng(seed)
    costs = np.where(rng.random((rows, columns)) < 0.5, rng.random((rows, columns)), 1e3)
    pairs = assign(costs)
    own, least = linear_sum_assignment(costs)
    ours = [(row, column) for row, column in enumerate(pairs) if column >= 0]
    theirs = [(row, column) for row, column in zip(own, least, strict=True) if costs[row, column] < 1e3]
    assert len({column for _, column in ours}) == len(ours) == len(theirs)
    assert all(costs[pair] < 1e3 for pair in ours)
    assert sum(costs[pair] for pair in ours) == pytest.approx(sum(costs[pair] for pair in theirs))


# --- tracks -------------------------------------------------------------------------------------------------------------


def test_two_who_walk_are_two_tracks():
    sights = sights_of(walk(line(5, 6), line(70, -6, y=35)))
    assert len(set(sights[:, TRACK])) == 2
    last = sights[sights[:, FRAME] == 59]
    assert sorted(last[:, X]) == pytest.approx([70 - 6 * 5.9, 5 + 6 * 5.9], abs=1.2)


def test_somebody_behind_a_post_for_a_second_and_a_half_stays_one_track():
    sights = sights_of(walk(lambda t: None if 2.0 <= t < 3.5 else (5 + 8 * t, 20)))
    assert len(set(sights[:, TRACK])) == 1
    assert (sights[:, HOW] == UNSEEN).sum() >= 14


@pytest.mark.parametrize("behind", [0, 2])
def test_two_who_meet_and_pass_keep_their_ways_and_share_a_body_meanwhile(behind):
    sights = sights_of(walk(line(10, 8), line(66, -8, y=20 + behind)))
    assert (sights[:, HOW] == SHARED).any()
    assert len(set(sights[:, TRACK])) == 2
    for track in set(sights[:, TRACK]):
        own = sights[sights[:, TRACK] == track]
        assert abs(own[-1, X] - own[0, X]) > 25


def test_who_stands_in_the_evidence_stays_followed():
    """Somebody stops for three seconds: the background holds him."""
    sights = sights_of(walk(lambda t: (20 + 8 * (min(t, 1.5) + max(0.0, t - 4.5)), 20)))
    assert len(set(sights[:, TRACK])) == 1
    assert sights[-1, HITS] == 60


@settings(max_examples=15)
@given(st.integers(0, 2**32 - 1))
def test_frame_by_frame_gives_the_sights_of_the_whole(seed):
    rng = np.random.default_rng(seed)
    evidence = walk(*[line(rng.uniform(0, 80), rng.uniform(-9, 9), rng.uniform(10, 40)) for _ in range(4)], frames=40)
    values = whole_channel(evidence, "foreground").copy()
    values[rng.random(values.shape) < 0.01] = 60
    evidence.frames["valid"][12:14] = False
    evidence.frames["gap"][25] = True
    evidence = walk_like(evidence)
    whole, one, parts = sights_of(evidence, values), Follower(GRID), []
    for i in range(values.shape[1]):
        flags = (held[i : i + 1] for held in (evidence.time_us, evidence.valid, evidence.gap))
        plane = np.ascontiguousarray(values[:, i : i + 1])
        parts.append(one.feed(plane, whole_cells(plane), *flags))
    assert np.array_equal(whole, np.concatenate(parts))
    assert np.isfinite(whole).all()


def walk_like(evidence):
    """The same once more, after its frames were changed."""
    return evidence.between(0, len(evidence.frames))


def test_a_gap_ends_every_track():
    evidence = walk(line(5, 6))
    evidence.frames["gap"][30] = True
    assert len(set(sights_of(walk_like(evidence))[:, TRACK])) == 2


def test_a_flash_of_the_whole_view_is_nobody():
    evidence = walk(line(5, 6))
    values = whole_channel(evidence, "foreground").copy()
    values[:, 30] = 201
    sights = sights_of(evidence, values)
    assert len(set(sights[:, TRACK])) == 1
    assert sights[sights[:, FRAME] == 30][0, HOW] == UNSEEN


def test_more_than_are_followed_do_no_harm():
    values = np.zeros((GRID.rows, GRID.columns, 3), np.uint8)
    values[::5, ::8] = values[::5, 1::8] = 90
    flags = np.ones(3, bool)
    values = values.reshape(GRID.cells, 3)
    sights = Follower(GRID).feed(values, whole_cells(values), np.arange(3) * 100_000, flags, ~flags)
    assert sights.shape[1] == SIGHT_FIELDS
    assert len(set(sights[:, TRACK])) <= TRACKS_MAX
    assert np.isfinite(sights).all()


@pytest.mark.parametrize("per_s", [2, 5, 25])
def test_a_walker_is_one_track_at_any_rate(per_s):
    frames, ratio = 6 * per_s, RATE / per_s
    evidence = walk(lambda t: (10 + 6 * t * ratio, 20), frames=frames)
    time_us = np.arange(frames) * 1_000_000 // per_s
    values = whole_channel(evidence, "foreground")
    sights = Follower(GRID).feed(values, whole_cells(values), time_us, evidence.valid, evidence.gap)
    assert len(set(sights[:, TRACK])) == 1
    assert (sights[:, HOW] == OWN).all()
    assert sights[-1, Y] == pytest.approx(16.5, abs=0.6)


def test_nobody_is_followed_under_a_privacy_mask():
    evidence = walk(line(5, 6))
    held = Privacy(id="p", name="Window", outline=((0.0, 0.2), (0.5, 0.2), (0.5, 0.6), (0.0, 0.6)))
    values = whole_channel(evidence, "foreground")
    assert uncovered(values, (), GRID) is values
    sights = sights_of(evidence, uncovered(values, (held,), GRID))
    assert len(sights) == 0 or sights[:, X].min() >= 39
