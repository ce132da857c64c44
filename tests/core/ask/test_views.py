"""A place before and after: what is a thing, what is light, and whether it came or went, on painted ground."""

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from hypothesis.extra.numpy import arrays

from north_hush.core.ask.views import Views, evened, light_planes, middles

HIGH, WIDE = 44, 52
DOWN, ACROSS = np.indices((HIGH, WIDE))
THING = (slice(20, 29), slice(18, 33))
RNG = np.random.default_rng(7)


def ground():
    """Planks with their lines, a cable across them, and grain."""
    held = 110 + 4 * np.sin(DOWN * 1.3) + 3 * np.random.default_rng(1).standard_normal((HIGH, WIDE))
    held[np.abs(DOWN - ACROSS) < 1] -= 35
    return held


def with_thing(by=-14.0):
    """A bundle that is a little darker than the ground, with a top of its own."""
    held = ground()
    held[THING] = 110 + by + 3 * np.random.default_rng(2).standard_normal(held[THING].shape)
    held[20:23, 23:28] += by
    return held


def shots(picture, count=7):
    return np.stack([picture + RNG.standard_normal(picture.shape) for _ in range(count)])


def views(before, after):
    return Views(*evened(shots(before), shots(after)))


@pytest.mark.parametrize("by", [-14.0, 16.0])
def test_a_pale_thing_on_lined_ground_was_left_or_taken(by):
    left, taken = views(ground(), with_thing(by)), views(with_thing(by), ground())
    for held, side in ((left, 1), (taken, -1)):
        thing = held.thing()
        assert thing[THING].mean() > 0.5 and thing.sum() < 1.3 * thing[THING].size
        assert held.stays(thing) and held.covers(thing)
        assert side * held.is_left(thing) == pytest.approx(1, abs=0.6)


def test_an_edge_that_was_there_before_does_not_hide_which_it_was():
    post = ground()
    post[:24, 34:37] = 30
    behind = post.copy()
    behind[THING] = with_thing()[THING]
    held = views(post, behind)
    assert held.is_left(held.thing()) > 0.3


def test_a_lamp_that_is_switched_on_lies_on_the_ground_and_is_no_thing():
    pool = 1 + 0.5 * np.exp(-((DOWN - 22) ** 2 + (ACROSS - 25) ** 2) / 90)
    held = views(ground(), ground() * pool)
    thing = held.thing()
    assert thing.sum() > 50
    assert not held.covers(thing)


def test_the_edge_of_a_shadow_shows_the_ground_through_and_is_no_thing():
    shadow = np.where((ACROSS > 15) & (ACROSS < 36) & (DOWN > 12) & (DOWN < 30), 0.7, 1.0)
    held = views(ground(), ground() * shadow)
    thing = held.thing()
    assert thing.sum() > 100
    assert not held.covers(thing)


def test_a_cloud_that_comes_over_the_place_changes_nothing_and_hides_no_thing():
    shade = 0.95 - 0.35 * ACROSS / WIDE
    assert views(ground(), ground() * shade).thing().sum() < 8
    held = views(ground(), with_thing(22.0) * shade)
    thing = held.thing()
    assert thing[THING].mean() > 0.5 and held.covers(thing) and held.is_left(thing) > 0.5


def test_somebody_in_some_of_the_pictures_does_not_hide_the_thing():
    before = shots(ground())
    before[:3, 8:34, 22:27] = 40
    held = Views(*evened(before, shots(with_thing(30.0))))
    assert held.thing()[THING].mean() > 0.5


@settings(max_examples=40)
@given(
    arrays(np.float64, st.tuples(st.integers(1, 9), st.integers(1, 4), st.integers(1, 4)), elements=st.floats(0, 255))
)
def test_the_usual_picture_is_the_median_one(pictures):
    assert np.array_equal(middles(pictures), np.median(pictures, axis=0))


@pytest.mark.parametrize("seed", range(4))
def test_light_is_the_plane_that_weighted_least_squares_find(seed):
    rng = np.random.default_rng(seed)
    down, across = (axis.ravel() / 12 for axis in np.indices((9, 12)))
    ratio = 0.3 + 0.2 * down - 0.1 * across + 0.01 * rng.standard_normal((3, 108))
    ratio[:, :15] += 1.0  # a thing lies there
    plane, expected = np.column_stack([np.ones(108), down, across]), []
    for row in ratio:
        held = np.array([np.median(row), 0, 0])
        for _ in range(8):
            weights = 1 / np.maximum(np.abs(row - plane @ held), 0.02)
            held = np.linalg.solve(plane.T @ (weights[:, None] * plane), plane.T @ (weights * row))
        expected.append(plane @ held)
    assert np.allclose(light_planes(ratio, down, across), expected, atol=1e-4)  # a hundredth of a grey level
    assert np.abs(np.array(expected) - (0.3 + 0.2 * down - 0.1 * across)).max() < 0.05
