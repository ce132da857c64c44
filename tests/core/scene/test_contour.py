"""Tracing, simplifying, touching: against slow exact references."""

from fractions import Fraction

import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st
from hypothesis.extra.numpy import arrays

from north_hush.core.scene.contour import fractions_of, traced
from north_hush.core.scene.outline import rectangle, simplified
from north_hush.core.scene.raster import samples_inside, squares_touched

fractions = st.integers(0, 24).map(lambda value: value / 24)
outlines = st.lists(st.tuples(fractions, fractions), min_size=3, max_size=8).map(tuple)


@settings(max_examples=100)
@given(arrays(bool, st.tuples(st.integers(1, 9), st.integers(1, 9))))
def test_traced_loops_cover_exactly_the_filled_squares(filled):
    rows, columns = filled.shape
    xs, ys = (np.arange(columns) + 0.5) / columns, (np.arange(rows) + 0.5) / rows
    inside = np.zeros_like(filled)
    for loop in traced(filled):
        inside ^= samples_inside(fractions_of(loop, 1 / columns, 1 / rows), xs, ys)
        turns = list(zip(loop, (*loop[1:], loop[0]), strict=True))
        assert all((a[0] == b[0]) != (a[1] == b[1]) for a, b in turns)  # upright and level edges by turns
    assert np.array_equal(inside, filled)


def test_squares_that_meet_at_a_corner_are_parted_and_holes_are_loops():
    assert len(traced(np.eye(2, dtype=bool))) == 2
    ring = np.ones((3, 3), bool)
    ring[1, 1] = False
    assert sorted(len(loop) for loop in traced(ring)) == [4, 4]
    assert traced(np.zeros((2, 2), bool)) == []


def distance_to_outline(point, outline):
    def to_edge(a, b):
        a, b, p = np.array(a), np.array(b), np.array(point)
        length2 = ((b - a) ** 2).sum()
        share = np.clip((p - a) @ (b - a) / length2, 0, 1) if length2 else 0.0
        return np.hypot(*(p - a - share * (b - a)))

    return min(to_edge(a, b) for a, b in zip(outline, (*outline[1:], outline[0]), strict=True))


@settings(max_examples=100)
@given(st.lists(st.tuples(fractions, fractions), min_size=3, max_size=40).map(tuple), st.sampled_from([0.0, 0.03, 0.2]))
def test_simplified_keeps_corners_of_the_outline_and_its_tolerance(outline, tolerance):
    simple = simplified(outline, tolerance)
    assert 3 <= len(simple) <= len(outline)
    assert set(simple) <= set(outline)
    if len(set(simple)) > 2:
        assert all(distance_to_outline(point, simple) <= tolerance + 1e-9 for point in outline)


def test_a_staircase_becomes_a_slope():
    stairs = (*((i // 2 / 10, (i + 1) // 2 / 10) for i in range(20)), (1.0, 1.0), (0.0, 1.0))
    assert len(simplified(stairs, 0.08)) <= 5


def clipped_area_positive(outline, left, top, right, bottom):
    """Whether outline and open square share an interior point, in whole fractions: a corner or middle of the square
    inside, or an edge that runs through it (Liang and Barsky 1984)."""
    middle = ((left + right) / 2, (top + bottom) / 2)
    inside = False
    for (ax, ay), (bx, by) in zip(outline, (*outline[1:], outline[0]), strict=True):
        ax, ay, bx, by = map(Fraction, (ax, ay, bx, by))
        if (ay > middle[1]) != (by > middle[1]) and middle[0] < ax + (middle[1] - ay) * (bx - ax) / (by - ay):
            inside = not inside
        low, high = Fraction(0), Fraction(1)
        for p, q0, q1 in ((bx - ax, left - ax, right - ax), (by - ay, top - ay, bottom - ay)):
            if p == 0:
                if not q0 < 0 < q1:
                    low, high = Fraction(1), Fraction(0)
            else:
                near, far = sorted((q0 / p, q1 / p))
                low, high = max(low, near), min(high, far)
        if low < high:
            return True
    return inside


@settings(max_examples=60)
@given(outlines)
def test_no_square_that_is_touched_is_left_out(outline):
    columns, rows = 7, 5
    touched = squares_touched(outline, columns, rows, 1 / columns, 1 / rows)
    for row in range(rows):
        for column in range(columns):
            box = [
                Fraction(column, columns),
                Fraction(row, rows),
                Fraction(column + 1, columns),
                Fraction(row + 1, rows),
            ]
            if clipped_area_positive(outline, *box):
                assert touched[row, column]


def test_an_edge_through_a_corner_of_the_raster_touches_all_four_squares():
    touched = squares_touched(((0.0, 0.0), (0.0, 0.0), (5 / 24, 7 / 24)), 7, 5, 1 / 7, 1 / 5)
    assert touched[:2, :2].all()
    aligned = squares_touched(((2 / 7, 1 / 5), (4 / 7, 1 / 5), (4 / 7, 3 / 5), (2 / 7, 3 / 5)), 7, 5, 1 / 7, 1 / 5)
    assert aligned.sum() <= 12  # a rectangle along the raster does not grow by its corners


def test_touched_squares_by_hand():
    sliver = ((0.1, 0.31), (0.9, 0.31), (0.9, 0.311), (0.1, 0.311))  # thinner than a square, between all middles
    touched = squares_touched(sliver, 10, 10, 0.1, 0.1)
    assert touched[3, 1:9].all()
    assert touched.sum() <= 9
    inside = squares_touched(rectangle((0.21, 0.21), (0.79, 0.79)), 10, 10, 0.1, 0.1)
    assert inside[2:8, 2:8].all()
    assert inside.sum() == 36
