"""A picture that jumps is put back where it usually is, and one that stands still stays as it is, to the bit."""

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy import ndimage

from north_hush.core.footage.jitter import (
    Jitter,
    left_over,
    left_over_numpy,
    moved_luma,
    moved_luma_numpy,
    shift_of,
    shift_of_numpy,
)
from north_hush.core.footage.luma import PLANE_SCALE, analysis_plane
from north_hush.core.footage.options import EvidenceOptions
from north_hush.core.footage.reduce import Reducer
from north_hush.core.grid import Grid

HEIGHT, WIDTH = 180, 320
SECOND = 1_000_000


def scene(seed=1):
    """A still picture with edges all over it."""
    rng = np.random.default_rng(seed)
    large = ndimage.gaussian_filter(rng.normal(0, 1, (HEIGHT + 40, WIDTH + 40)), 6)
    small = ndimage.gaussian_filter(rng.normal(0, 1, (HEIGHT + 40, WIDTH + 40)), 1.5)
    return 120 + 40 * large / large.std() / 2 + 20 * small / small.std() / 2


def shown(picture, right=0.0, down=0.0, light=0.0):
    """What a camera sees of it that has moved, so that what it sees lies to the right and below."""
    moved = ndimage.shift(picture, (down, right), order=3, mode="nearest")[20:-20, 20:-20]
    return np.clip(np.round(moved + light), 0, 255).astype(np.uint8)


def walker(luma, at):
    """Somebody dark who stands there."""
    luma = luma.copy()
    luma[70:130, at : at + 22] = 20
    return luma


def settled(jitter, luma, usual, time_us=0, stirred=10**6):
    plane = analysis_plane(luma, 1)
    return plane, jitter.settled(
        plane, usual, stirred, time_us, lambda right, down: analysis_plane(moved_luma(luma, right, down), 1)
    )


two_planes = st.tuples(st.integers(1, 24), st.integers(1, 24), st.integers(0, 2**32 - 1)).map(
    lambda held: np.random.default_rng(held[2]).integers(0, 4081, (2, held[0], held[1])).astype(np.uint16)
)


@settings(max_examples=60)
@given(two_planes, st.integers(-400, 400))
def test_kernels_equal_their_twins(planes, light):
    plane, usual = planes
    assert left_over(plane, usual, light) == pytest.approx(left_over_numpy(plane, usual, light))
    assert shift_of(plane, usual, light) == pytest.approx(shift_of_numpy(plane, usual, light), abs=1e-9)
    luma = (plane // PLANE_SCALE).astype(np.uint8)
    for right, down in ((0.0, 0.0), (1.0, -2.0), (-0.3, 0.7), (light / 100, 3.5)):
        assert np.array_equal(moved_luma(luma, right, down), moved_luma_numpy(luma, right, down))


def test_moved_by_whole_pixels_it_is_the_same_picture_elsewhere():
    luma = shown(scene())
    assert np.array_equal(moved_luma(luma, 3.0, -2.0)[2:, :-3], luma[:-2, 3:])


@settings(max_examples=25, deadline=None)
@given(st.floats(-7, 7), st.floats(-7, 7), st.floats(-20, 20), st.integers(0, 250))
def test_it_is_put_back_whatever_the_light_and_whoever_stands_there(right, down, light, at):
    usual = analysis_plane(shown(scene()), 1)
    jitter = Jitter()
    plane, found = settled(jitter, walker(shown(scene(), right, down, light), at), usual)
    if np.hypot(right, down) < 0.3:
        return
    assert (jitter.right_px, jitter.down_px) == pytest.approx((right, down), abs=0.15)
    meant = analysis_plane(walker(shown(scene(), 0, 0, light), at), 1).astype(int)
    off = np.abs(found.astype(int) - meant)
    assert np.median(off) < 3 * PLANE_SCALE
    assert np.median(off) < np.median(np.abs(plane.astype(int) - meant))


@pytest.mark.parametrize("right", [0.0, 30.0])
def test_what_stands_still_and_what_was_turned_away_stay_to_the_bit(right):
    usual = analysis_plane(shown(scene()), 1)
    noise = np.random.default_rng(3).normal(0, 4, (HEIGHT, WIDTH))
    luma = np.clip(walker(shown(scene(), right), 100) + noise, 0, 255).astype(np.uint8)
    jitter = Jitter()
    plane, found = settled(jitter, luma, usual)
    assert found is plane
    assert (jitter.right_px, jitter.down_px) == (0.0, 0.0)


@pytest.mark.parametrize("picture", [np.full((HEIGHT, WIDTH), 90, np.uint8), np.zeros((2, 5), np.uint8)])
def test_where_there_is_nothing_to_go_by_nothing_is_moved(picture):
    plane, found = settled(Jitter(), picture, analysis_plane(picture, 1) + 100)
    assert found is plane


def test_another_scene_is_not_put_back():
    jitter = Jitter()
    plane, found = settled(jitter, shown(scene(7)), analysis_plane(shown(scene()), 1))
    assert found is plane


def test_it_is_looked_for_where_something_stirs_or_while_it_is_elsewhere():
    usual, jitter = analysis_plane(shown(scene()), 1), Jitter()
    plane, found = settled(jitter, shown(scene(), 4), usual, stirred=0)
    assert found is plane
    plane, found = settled(jitter, shown(scene(), 4), usual)
    assert found is not plane
    plane, found = settled(jitter, shown(scene(), 4), usual, stirred=0)
    assert found is not plane


def test_what_was_knocked_is_shown_so_after_a_while_and_what_sways_is_not():
    usual, jitter = analysis_plane(shown(scene()), 1), Jitter()
    swaying = [3 * np.sin(at) for at in np.arange(0, 12, 0.6)]
    for number, right in enumerate(swaying):
        plane, found = settled(jitter, shown(scene(), right + 3.5), usual, number * SECOND // 5)
        assert found is not plane
    since = len(swaying) * SECOND // 5
    knocked = [settled(jitter, shown(scene(), 5), usual, since + at * SECOND // 5) for at in range(20)]
    assert [found is plane for plane, found in knocked] == [at > 7 for at in range(20)]
    settled(jitter, shown(scene()), usual, since + 20 * SECOND // 5)
    plane, found = settled(jitter, shown(scene(), 5), usual, since + 21 * SECOND // 5)
    assert found is not plane  # once it was back, it shakes again


@pytest.mark.parametrize("rotation", [0, 90])
def test_on_a_mast_that_shakes_nothing_changes_but_who_walks(rotation):
    grid = Grid(WIDTH, HEIGHT, rotation_deg=rotation)
    pictures = [shown(scene())] * 30
    rng = np.random.default_rng(5)
    pictures += [walker(shown(scene(), *rng.integers(-3, 4, 2)), 10 + 6 * at) for at in range(30)]
    held = Reducer(grid, EvidenceOptions(), gap_us=SECOND)
    reduced = [held.reduce(luma, at, at * SECOND // 10, False) for at, luma in enumerate(pictures)]
    rows, columns = grid.rows, grid.columns
    drift = np.array([one.cells["drift"].reshape(rows, columns) for one in reduced[32:]])
    changed = (drift >= 40).mean(axis=(1, 2))
    body = 60 * 22 / (WIDTH * HEIGHT)
    assert changed.max() < 2 * body
    assert changed.min() > 0.5 * body
