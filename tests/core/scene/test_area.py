"""Areas of added and cut parts, against a slow exact reference."""

from fractions import Fraction

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from pydantic import ValidationError

from north_hush.core.grid import Grid
from north_hush.core.scene.area import (
    WHOLE_AREA,
    Brushed,
    Polygon,
    area_bounds,
    area_contains,
    area_of,
    brushed,
    cell_shares,
    filled_cells,
    grid_raster,
    inverted,
    shifted_area,
    with_part,
)
from north_hush.core.scene.outline import rectangle

GRID = Grid(48, 32)  # 12 x 8 cells of 4 x 4 pixels
RASTER = grid_raster(GRID)
sixteenth = st.integers(0, 16).map(lambda value: value / 16)  # exact in binary, and often on one another
point = st.tuples(sixteenth, sixteenth)
polygons = st.builds(Polygon, points=st.lists(point, min_size=3, max_size=7).map(tuple), cuts=st.booleans())
strokes = st.sets(st.integers(0, GRID.cells - 1), min_size=1, max_size=20)


@st.composite
def areas(draw):
    area = ()
    for part in draw(st.lists(polygons, max_size=4)):
        area = with_part(area, part)
    for cells, rubs in draw(st.lists(st.tuples(strokes, st.booleans()), max_size=3)):
        area = brushed(area, RASTER, cells, rub_out=rubs)
    return area


def exactly_inside(points, x, y):
    """Even-odd rule in whole fractions: count the edges that cross the ray to the right. None on an edge itself,
    where rounding may say either."""
    inside = False
    for (ax, ay), (bx, by) in zip(points, (*points[1:], points[0]), strict=True):
        ax, ay, bx, by = map(Fraction, (ax, ay, bx, by))
        if (ay > y) != (by > y):
            crossing = ax + (y - ay) * (bx - ax) / (by - ay)
            if crossing == x:
                return None
            inside ^= x < crossing
    return inside


def reference(area, x, y):
    inside = False
    for part in area:
        if isinstance(part, Polygon):
            under = exactly_inside(part.points, x, y)
            if under is None:
                return None
        else:
            column, row = int(x * GRID.columns), int(y * GRID.rows)
            under = any(first <= row * GRID.columns + column < first + count for first, count in part.runs)
        inside = (inside and not under) if part.cuts else (inside or under)
    return inside


@settings(max_examples=25)
@given(areas())
def test_shares_and_points_match_the_exact_reference(area):
    surely, maybe = (np.zeros((GRID.rows, GRID.columns), int) for _ in range(2))
    for row in range(4 * GRID.rows):
        for column in range(4 * GRID.columns):
            x, y = Fraction(2 * column + 1, 8 * GRID.columns), Fraction(2 * row + 1, 8 * GRID.rows)
            inside = reference(area, x, y)
            surely[row // 4, column // 4] += inside is True
            maybe[row // 4, column // 4] += inside is not False
            if inside is not None and (row + column) % 7 == 0:
                assert area_contains(area, float(x), float(y)) == inside
    shares = cell_shares(area, GRID).reshape(surely.shape)
    assert (surely <= shares).all()
    assert (shares <= maybe).all()


@settings(max_examples=60)
@given(areas())
def test_inverting_leaves_the_rest_and_twice_is_the_same(area):
    assert (cell_shares(inverted(area), GRID) == 16 - cell_shares(area, GRID)).all()
    assert inverted(inverted(area)) == area


def test_invert_and_clear_by_hand():
    assert inverted(()) == WHOLE_AREA
    assert inverted(WHOLE_AREA) == ()
    hole = with_part(WHOLE_AREA, Polygon(points=rectangle((0.25, 0.25), (0.75, 0.75)), cuts=True))
    assert not area_contains(hole, 0.5, 0.5)
    assert area_contains(hole, 0.1, 0.5)
    assert area_contains(inverted(hole), 0.5, 0.5)
    assert with_part(hole, WHOLE_AREA[0]) == WHOLE_AREA
    assert with_part((), Polygon(points=rectangle((0, 0), (1, 1)), cuts=True)) == ()


@settings(max_examples=80)
@given(areas(), st.lists(st.tuples(strokes, st.booleans()), min_size=1, max_size=8))
def test_strokes_do_what_they_say_and_stay_two_parts(area, sequence):
    polygon_parts = [part for part in area if isinstance(part, Polygon)]
    expected = cell_shares(area, GRID).copy()
    for cells, rubs in sequence:
        area = brushed(area, RASTER, cells, rub_out=rubs)
        expected[list(cells)] = 0 if rubs else 16
        assert np.array_equal(cell_shares(area, GRID), expected)
    assert [part for part in area if isinstance(part, Polygon)] == polygon_parts
    assert sum(isinstance(part, Brushed) for part in area) <= 2


def test_brushed_cells_stay_cells_at_another_stream_size():
    area = brushed((), RASTER, {0, 1, 12})
    assert filled_cells(area[0]).sum() == 3
    larger = Grid(96, 64)
    shares = cell_shares(area, larger).reshape(larger.rows, larger.columns)
    assert (shares[:2, :4] == 16).all()
    assert (shares[2:4, :2] == 16).all()
    assert shares.sum() == 16 * 12


@settings(max_examples=60)
@given(areas(), st.floats(-1, 1), st.floats(-1, 1))
def test_a_shift_stays_in_the_picture_and_keeps_its_size(area, dx, dy):
    moved = shifted_area(area, dx, dy)
    assert len(moved) == len(area)
    box, after = area_bounds(area), area_bounds(moved)
    if box is None:
        assert moved == area
        return
    assert min(after) >= 0
    assert max(after) <= 1
    if all(isinstance(part, Polygon) for part in area):
        assert after[2] - after[0] == pytest.approx(box[2] - box[0], abs=1e-4)


@pytest.mark.parametrize(
    ("change", "says"),
    [
        ({"runs": ((5, 2), (3, 1))}, "must ascend"),
        ({"runs": ((0, 0),)}, "hold cells"),
        ({"runs": ((90, 20),)}, "beyond 12 x 8 cells"),
        ({"columns": 20_000, "rows": 20_000}, "more than a million"),
        ({"cell_width_frac": 0.0}, "greater than 0"),
    ],
)
def test_nonsense_cells_are_named(change, says):
    held = {"columns": 12, "rows": 8, "cell_width_frac": 1 / 12, "cell_height_frac": 1 / 8, "runs": ((0, 1),)}
    with pytest.raises(ValidationError, match=says):
        Brushed(**{**held, **change})


def test_a_shape_is_an_area_or_the_corners_of_one():
    corners = rectangle((0.1, 0.1), (0.4, 0.4))
    assert area_of(corners) == (Polygon(points=corners),)
    assert area_of(area_of(corners)) == area_of(corners)
    assert area_of(()) == ()
