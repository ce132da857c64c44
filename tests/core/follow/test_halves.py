"""Somebody in two pieces, one above the other, is one who crosses: where and when his feet do."""

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from north_hush.core.follow.halves import heights_together
from tests.core.follow.test_crossings import LINE_Y, PERSON, crossings, found, path, up

WALK = range(60)
PERSON_CELLS = np.full(60, PERSON)


def piece(number, from_y, tall, x=40.0, frames=WALK):
    """A piece of somebody who walks up the picture, 0.2 cells a frame, its lower edge at `from_y` in the first."""
    return path(number, up(from_y, 0.2, x), lambda _: tall, frames)


def box(left, top, wide, high):
    return left, top, left + wide, top + high


def test_the_lower_half_crosses_for_both_and_the_upper_one_never():
    feet_y, waist_y = LINE_Y + 6, LINE_Y + 6 - PERSON / 2
    assert crossings(piece(1, waist_y, 0.45), piece(2, feet_y, 0.45)) == [(30, "b_to_a", 2)]
    assert crossings(piece(1, waist_y, 0.45)) == [
        (15, "b_to_a", 1)
    ]  # of whom nothing more is seen that is all there is


def test_what_stands_on_legs_makes_them_sure():
    legs = piece(2, LINE_Y + 6, 0.4)
    (alone,), (whole,) = found(legs), found(piece(1, LINE_Y + 6 - PERSON / 2, 0.45), legs)
    assert alone.sure < 0.5 < whole.sure
    assert (alone.heights, whole.heights) == (pytest.approx(0.4), pytest.approx(0.95, abs=0.05))


def test_it_is_remembered_for_as_long_as_a_walk_over_a_line_takes():
    legs = piece(2, LINE_Y + 6, 0.4)
    upper = piece(1, LINE_Y + 6 - PERSON / 2, 0.45, frames=range(22))  # it is lost before the feet are there
    assert [(held.track, held.sure > 0.5) for held in found(upper, legs)] == [(2, True)]
    gone = piece(1, LINE_Y + 6 - PERSON / 2, 0.45, frames=range(10))  # before it was at the line itself
    assert [(held.track, held.sure > 0.5) for held in found(gone, legs)] == [(2, False)]


@pytest.mark.parametrize(
    "others",
    (
        piece(1, LINE_Y + 6 - PERSON / 2, 1.0),  # somebody farther off: both are taller than a person
        piece(1, LINE_Y + 6 - PERSON / 2, 0.45, x=46.0),  # beside
        piece(1, LINE_Y + 6 - PERSON / 5, 0.65),  # a child just behind
    ),
)
def test_who_walks_behind_or_beside_somebody_crosses_too(others):
    assert {track for _, _, track in crossings(others, piece(2, LINE_Y + 6, 0.95))} == {1, 2}


@given(
    st.tuples(st.floats(0, 50), st.floats(10, 50), st.floats(0.5, 6), st.floats(0.5, 8)),
    st.tuples(st.floats(0, 50), st.floats(10, 50), st.floats(0.5, 6), st.floats(0.5, 8)),
)
def test_of_two_one_at_most_stands_on_the_other_and_both_are_no_taller_than_a_person(one, other):
    over, under = (
        heights_together(box(*one), box(*other), PERSON_CELLS),
        heights_together(box(*other), box(*one), PERSON_CELLS),
    )
    assert over is None or under is None
    for held in (over, under):
        assert held is None or 0 < held <= 1.15


def test_where_nobody_knows_how_tall_a_person_is_nothing_is_a_half():
    upper, lower = box(40, 10, 2, 3), box(40, 13, 2, 3)
    assert heights_together(upper, lower, PERSON_CELLS) == pytest.approx(1.0)
    assert heights_together(upper, lower, np.zeros(60)) is None
    assert heights_together((0.0, 0.0, 0.0, 0.0), lower, PERSON_CELLS) is None
