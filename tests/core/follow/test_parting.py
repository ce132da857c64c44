"""Bodies of several people, taken apart by quarters of cells: drawn by hand, and through tracks."""

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from north_hush.core.follow import bodies as b
from north_hush.core.follow.bodies import find_bodies
from north_hush.core.follow.pairing import HITS, TALL, TRACK_FIELDS, WIDE
from north_hush.core.follow.parting import are_several, part_bodies
from north_hush.core.follow.tracks import HOW, OWN, TRACK, Follower, X
from tests.core.follow.test_owned import GRID

ROWS, COLUMNS = GRID.rows, GRID.columns


def seen(drawn):
    """Foreground and quarters of what is drawn in half cells, (2 rows, 2 columns) bool."""
    cells = drawn.reshape(drawn.shape[0] // 2, 2, drawn.shape[1] // 2, 2)
    bits = (cells << np.array([[0, 1], [2, 3]])[None, :, None, :]).sum(axis=(1, 3)).astype(np.uint8)
    return np.where(bits > 0, 80 | b.MOVES, 0).astype(np.uint8), bits


def parted(drawn):
    plane, quarters = seen(drawn)
    labels, bodies = np.zeros(plane.shape, np.int32), np.zeros((b.BODIES_MAX, b.BODY_FIELDS))
    count = find_bodies(plane, labels, bodies)
    assert count == 1
    count = part_bodies(np.ones(1, bool), bodies, labels, plane, quarters)
    return bodies[:count], labels


def people(*lefts, top=6, tall=14, wide=3, columns=40):
    drawn = np.zeros((30, columns), bool)
    for left in lefts:
        drawn[top : top + tall, left : left + wide] = True
    return drawn


def test_two_side_by_side_whom_half_a_cell_parts_are_two():
    bodies, labels = parted(people(10, 14))
    assert len(bodies) == 2
    assert sorted(bodies[:, b.X].tolist()) == pytest.approx([5.75, 7.75])
    assert bodies[:, [b.TOP, b.BOTTOM]].tolist() == [[3, 10], [3, 10]]
    assert bodies[:, b.CELLS].tolist() == [10.5, 10.5]
    assert bodies[:, b.FOOT] == pytest.approx(10, abs=0.25)
    for number, body in enumerate(bodies):
        rows, columns = np.nonzero(labels == number)
        assert (rows.min(), rows.max() + 1) == (3, 10)
        assert columns.mean() + 0.5 == pytest.approx(body[b.X], abs=0.51)


def test_two_whose_shoulders_touch_are_cut_where_their_columns_are_lowest():
    drawn = people(10, 15, wide=4)
    drawn[12:15, 14] = True
    bodies, _ = parted(drawn)
    assert sorted(bodies[:, b.X].tolist()) == pytest.approx([6, 8.5], abs=0.3)


def test_a_shadow_on_the_ground_joins_nobody_and_is_nobody():
    drawn = people(10, 24)
    drawn[18:20, 8:34] = True
    bodies, labels = parted(drawn)
    assert len(bodies) == 2
    assert bodies[:, b.RIGHT] - bodies[:, b.LEFT] == pytest.approx(1.5, abs=0.51)
    assert (labels[9, 9:12] == -1).all()


def test_a_broken_belt_and_a_speck_beside_are_no_people():
    whole = people(10, wide=6, tall=20)
    whole[14:16] = False  # a belt of the ground's colour
    whole[6:9, 16] = True
    bodies, _ = parted(whole)
    assert len(bodies) == 1
    assert bodies[0, b.CELLS] > 20


def test_with_anything_broad_beside_them_nothing_is_parted():
    drawn = people(6, 10)
    drawn[12:20, 14:38] = True  # a van
    bodies, labels = parted(drawn)
    assert len(bodies) == 1
    assert (labels[3:10, 3:5] == 0).all()


def test_only_a_body_of_two_upright_tracks_that_are_known_is_looked_at():
    tracks = np.zeros((5, TRACK_FIELDS))
    tracks[:, HITS], tracks[:, WIDE], tracks[:, TALL] = 9, 2, 5
    tracks[3, HITS], tracks[4, WIDE] = 2, 5
    assert are_several(tracks, np.array([0, 0, 1, 1, 1]), 3).tolist() == [True, False, False]
    assert are_several(tracks, np.array([-1, -1, 2, 2, 2]), 3).tolist() == [False, False, False]


@settings(max_examples=60)
@given(st.integers(0, 2**32 - 1), st.floats(0.2, 0.9))
def test_pieces_lie_in_their_body_and_share_no_cell(seed, share):
    rng = np.random.default_rng(seed)
    plane, quarters = seen(rng.random((30, 40)) < share)
    labels, bodies = np.zeros(plane.shape, np.int32), np.zeros((b.BODIES_MAX, b.BODY_FIELDS))
    count = find_bodies(plane, labels, bodies)
    before = labels.copy()
    after = part_bodies(np.ones(count, bool), bodies, labels, plane, quarters)
    assert after >= count
    assert set(np.unique(labels)) <= set(range(-1, after))
    for number in range(count, after):
        rows, columns = np.nonzero(labels == number)
        if rows.size:
            (old,) = set(before[rows, columns])
            assert before[labels == old].tolist() == [old] * int((labels == old).sum())
        assert bodies[number, b.BOTTOM] > bodies[number, b.TOP]
        assert bodies[number, b.TOP] <= bodies[number, b.Y] <= bodies[number, b.BOTTOM]
        assert bodies[number, b.LEFT] <= bodies[number, b.X] <= bodies[number, b.RIGHT]


def test_two_who_walk_on_together_keep_a_body_each():
    """They begin four cells apart, come together to a gap of half a cell, and go on side by side for four seconds."""
    frames, rate = 60, 10
    values, quarters = (np.zeros((GRID.cells, frames), np.uint8) for _ in range(2))
    for frame in range(frames):
        drawn = np.zeros((2 * ROWS, 2 * COLUMNS), bool)
        apart = max(4, 11 - frame // 2)
        for left in (20 + frame, 20 + frame + apart):
            drawn[40:54, left : left + 3] = True
        plane, bits = seen(drawn)
        values[:, frame], quarters[:, frame] = plane.ravel(), bits.ravel()
    flags, time_us = np.ones(frames, bool), np.arange(frames) * 1_000_000 // rate
    sights = Follower(GRID).feed(values, quarters, time_us, flags, ~flags)
    assert len(set(sights[:, TRACK])) == 2
    assert (sights[:, HOW] == OWN).mean() > 0.9
    last = np.sort(sights[-2:, X])
    assert last[1] - last[0] == pytest.approx(2, abs=0.4)
    whole = Follower(GRID).feed(values, np.where(values > 0, 15, 0).astype(np.uint8), time_us, flags, ~flags)
    assert (whole[:, HOW] == OWN).mean() < 0.6
