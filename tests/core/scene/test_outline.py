import numpy as np
from hypothesis import assume, given, settings
from hypothesis import strategies as st

from north_hush.core.grid import Grid
from north_hush.core.scene.area import area_of, line_shares
from north_hush.core.scene.area import cell_shares as area_shares
from north_hush.core.scene.items import Mask, Wire, Zone, free_letter, free_number
from north_hush.core.scene.outline import WHOLE_PICTURE, bounds, contains
from north_hush.core.scene.plan import Plan
from north_hush.core.scene.weights import masked_weights, watched_weights

GRID = Grid(64, 48)  # 16 x 12 cells of 4 x 4 pixels
LEFT_HALF = ((0.0, 0.0), (0.5, 0.0), (0.5, 1.0), (0.0, 1.0))

fractions = st.floats(0, 1).map(lambda value: round(value, 3))
outlines = st.lists(st.tuples(fractions, fractions), min_size=3, max_size=12).map(tuple)


def zone(outline):
    return Zone(id="z", name="Slip", letter="A", area=area_of(outline))


def cell_shares(outline, grid):
    return area_shares(area_of(outline), grid)


def mask(outline, strength=100.0):
    return Mask(id="m", name="Nets", area=area_of(outline), strength_percent=strength)


def test_whole_picture_fills_every_cell():
    assert (cell_shares(WHOLE_PICTURE, GRID) == 16).all()


def test_half_and_quarter_by_hand():
    shares = cell_shares(LEFT_HALF, GRID).reshape(12, 16)
    assert (shares[:, :8] == 16).all()
    assert (shares[:, 8:] == 0).all()
    quarter_cell = tuple((x / 16 / 2, y / 12 / 2) for x, y in WHOLE_PICTURE)
    assert cell_shares(quarter_cell, GRID)[0] == 4
    assert cell_shares(quarter_cell, GRID).sum() == 4


def on_an_edge(outline, across, down):
    """Tell whether the middle of any sample lies on an edge, as far as floats can tell."""
    xs, ys = np.meshgrid((np.arange(across) + 0.5) / across, (np.arange(down) + 0.5) / down)
    for (ax, ay), (bx, by) in zip(outline, (*outline[1:], outline[0]), strict=True):
        aside = (bx - ax) * (ys - ay) - (by - ay) * (xs - ax)
        if (np.abs(aside) < 1e-9).any():
            return True
    return False


@settings(max_examples=60)
@given(outlines)
def test_shares_count_sample_points_inside_self_crossing_or_not(outline):
    grid = Grid(24, 16)
    assume(len(set(outline)) == len(outline) >= 3)
    assume(not on_an_edge(outline, 24, 16))  # there either answer is right
    expected = np.zeros((4, 6), int)
    for row in range(16):
        for column in range(24):
            expected[row // 4, column // 4] += contains(outline, (column + 0.5) / 24, (row + 0.5) / 16)
    assert np.array_equal(cell_shares(outline, grid).reshape(4, 6), expected)


def test_edge_cells_count_only_what_is_picture():
    grid = Grid(6, 4)
    assert cell_shares(WHOLE_PICTURE, grid).tolist() == [16, 8]


def test_a_fully_masked_zone_watches_nothing():
    weights = watched_weights(zone(LEFT_HALF), Plan(masks=(mask(WHOLE_PICTURE),)), GRID)
    assert weights.total == 0
    assert len(weights.cells) == 0


@settings(max_examples=40)
@given(outlines, outlines)
def test_a_masked_cell_never_counts(outline, covered):
    weights = watched_weights(zone(outline), Plan(masks=(mask(covered),)), GRID)
    under = np.flatnonzero(cell_shares(covered, GRID) >= 8)
    assert not set(weights.cells) & set(under)


def test_part_strength_weakens_and_the_strongest_mask_wins():
    weights = masked_weights([mask(LEFT_HALF, 40), mask(LEFT_HALF, 60), mask(LEFT_HALF, 20)], GRID)
    assert set(weights.tolist()) == {255, 102}


def test_a_line_weighs_cells_by_its_length_in_them():
    across = line_shares(((0.0, 0.5 / 12), (0.5, 0.5 / 12)), GRID).reshape(12, 16)
    assert across[0].tolist() == [16] * 8 + [0] * 8
    assert across[1:].sum() == 0
    short = line_shares(((0.0, 0.01), (0.25 / 16, 0.01)), GRID)
    assert short[0] == 4
    diagonal = line_shares(((0.0, 0.0), (1.0, 1.0)), GRID)
    assert 0 < (diagonal > 0).sum() <= 16 + 12


def test_a_wire_under_a_mask_is_not_watched():
    wire = Wire(id="w", name="Line", letter="1", line=((0.1, 0.1), (0.4, 0.1)))
    assert watched_weights(wire, Plan(masks=(mask(LEFT_HALF),)), GRID).total == 0
    assert watched_weights(wire, Plan(), GRID).total == line_shares(wire.line, GRID).sum() > 0


def test_bounds_and_letters():
    assert free_number({"1", "3"}) == "2"
    assert bounds(((0.2, 0.3), (0.5, 0.1), (0.4, 0.9))) == (0.2, 0.1, 0.5, 0.9)
    assert free_letter({"A", "C"}) == "B"
    assert free_letter(set("ABCDEFGHIJKLMNOPQRSTUVWXYZ")) == "AA"
