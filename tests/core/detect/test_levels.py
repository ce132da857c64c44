import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st
from hypothesis.extra import numpy as hnp

from north_hush.core.detect.levels import (
    cell_limits,
    changed_areas,
    changed_areas_numpy,
    survival_table,
    survival_table_numpy,
)
from north_hush.core.scene.weights import Weights


def weights(area, weight=None, cells=None):
    n = len(area)
    return Weights(
        np.array(cells if cells is not None else range(n), np.int64),
        np.array(area, np.uint8),
        np.array(weight if weight is not None else [255] * n, np.uint8),
    )


def test_worked_by_hand():
    values = np.array([[0, 8, 12], [12, 7, 0], [40, 40, 40]], np.uint8)
    assert changed_areas(values, weights([16, 4], cells=[0, 1]), 8).tolist() == [4, 16, 16]


def test_a_weakened_cell_needs_more_change():
    values = np.array([[15, 16, 17]], np.uint8)
    # Half strength (127/255): floor(127 * E / 255) >= 8 first holds at E = 17.
    assert changed_areas(values, weights([16], [127]), 8).tolist() == [0, 0, 16]
    assert cell_limits(np.array([127, 255], np.uint8), 8).tolist() == [17, 8]


evidence = hnp.arrays(np.uint8, st.tuples(st.integers(1, 12), st.integers(1, 30)))


@st.composite
def cases(draw):
    values = draw(evidence)
    cells = sorted(draw(st.sets(st.integers(0, len(values) - 1))))
    area = draw(st.lists(st.integers(1, 16), min_size=len(cells), max_size=len(cells)))
    weight = draw(st.lists(st.integers(1, 255), min_size=len(cells), max_size=len(cells)))
    return values, weights(area, weight, cells)


@settings(max_examples=60)
@given(cases(), st.integers(1, 255))
def test_kernels_equal_the_formula(case, limit):
    values, held = case
    assert np.array_equal(changed_areas(values, held, limit), changed_areas_numpy(values, held, limit))


@settings(max_examples=30)
@given(cases())
def test_the_survival_table_holds_every_limit_and_never_rises(case):
    values, held = case
    table = survival_table(values, held)
    assert np.array_equal(table, survival_table_numpy(values, held))
    assert (np.diff(table.astype(int), axis=0) <= 0).all()


def test_more_cells_than_a_16_bit_sum_holds():
    values = np.full((9000, 3), 20, np.uint8)
    assert changed_areas(values, weights([16] * 9000), 8).tolist() == [144_000] * 3
    table = survival_table(values, weights([16] * 9000))
    assert table.dtype == np.uint32
    assert table[20].tolist() == [144_000] * 3
    assert table[21].tolist() == [0] * 3
    assert survival_table(values, weights([16] * 4000)).dtype == np.uint16
