import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from north_hush.core.errors import FootageError
from north_hush.core.grid import Grid


@pytest.mark.parametrize(
    ("width", "height", "factor", "plane", "cells"),
    [
        (960, 540, 3, (320, 180), (80, 45)),
        (1920, 1080, 6, (320, 180), (80, 45)),
        (320, 240, 1, (320, 240), (80, 60)),
        (321, 240, 2, (161, 120), (41, 30)),
        (7680, 4320, 24, (320, 180), (80, 45)),
        (1, 1, 1, (1, 1), (1, 1)),
    ],
)
def test_sizes_worked_by_hand(width, height, factor, plane, cells):
    grid = Grid(width, height)
    assert (grid.factor, (grid.plane_width, grid.plane_height), (grid.columns, grid.rows)) == (factor, plane, cells)


def test_portrait_turned_upright_is_measured_by_its_own_width():
    grid = Grid(1920, 1080, rotation_deg=90)
    assert (grid.width, grid.height, grid.factor) == (1080, 1920, 4)


@given(st.integers(1, 2000), st.integers(1, 2000), st.sampled_from([0, 90, 180, 270]), st.data())
def test_a_point_lies_in_the_box_of_its_cell(width, height, rotation, data):
    grid = Grid(width, height, rotation)
    x, y = (data.draw(st.floats(0, 1, exclude_max=True)) for _ in range(2))
    cell = grid.cell_at(x, y)
    left, top, right, bottom = grid.cell_box(cell)
    assert 0 <= cell < grid.cells
    assert left - 1e-9 <= x <= right + 1e-9
    assert top - 1e-9 <= y <= bottom + 1e-9


def test_points_outside_have_no_cell():
    assert Grid(960, 540).cell_at(1.0, 0.5) is None
    assert Grid(960, 540).cell_at(-0.01, 0.5) is None


def test_orient_turns_clockwise_then_flips():
    image = np.array([[1, 2, 3], [4, 5, 6]])
    assert Grid(3, 2, 90).orient(image).tolist() == [[4, 1], [5, 2], [6, 3]]
    assert Grid(3, 2, 180).orient(image).tolist() == [[6, 5, 4], [3, 2, 1]]
    assert Grid(3, 2, 270, flip=True).orient(image).tolist() == [[6, 3], [5, 2], [4, 1]]


@pytest.mark.parametrize(("field", "grid"), [("rotation_deg", (8, 8, 45)), ("picture size", (0, 8))])
def test_nonsense_is_named(field, grid):
    with pytest.raises(FootageError, match=field):
        Grid(*grid)
