"""Where to lay it: shifted and turned lines, grown outlines, and what they find, by hand."""

import numpy as np
import pytest

from north_hush.core.advise.aim import Case
from north_hush.core.advise.places import best_of, can_be_laid, laid, shifted, steps
from north_hush.core.detect.settings import FACTORY
from north_hush.core.evaluate.evaluator import Evaluator
from north_hush.core.grid import Grid
from north_hush.core.judge.incidents import Incident, Truth
from north_hush.core.scene.area import area_of
from north_hush.core.scene.items import Wire, Zone
from north_hush.core.scene.outline import rectangle
from north_hush.core.scene.plan import Plan
from tests.core.follow.test_owned import GRID, SETTINGS, line, walk, wire, zone

SQUARE = Grid(300, 300)


def test_a_line_is_shifted_towards_side_a_and_turned_about_its_middle():
    gate = Wire(id="w", name="Gate", letter="1", line=((0.5, 0.2), (0.5, 0.8)), watches="both")
    right = shifted(gate, 0.1, 0.0, SQUARE)  # seen down the picture, side A is at the right of it
    assert right.line == ((0.6, 0.2), (0.6, 0.8))
    turned = shifted(gate, 0.0, 90.0, SQUARE)
    assert np.array(turned.line) == pytest.approx(np.array([(0.8, 0.5), (0.2, 0.5)]))
    wide = Grid(400, 200)  # lengths are kept where the picture is wider than high
    across = np.array(shifted(gate, 0.0, 90.0, wide).line) * (400, 200)
    assert np.hypot(*(across[1] - across[0])) == pytest.approx(0.6 * 200)
    assert shifted(gate, 0.6, 0.0, SQUARE) is None  # off the picture


@pytest.mark.parametrize("clockwise", [False, True])
def test_an_outline_grows_and_shrinks_by_its_edges_whichever_way_it_was_drawn(clockwise):
    corners = rectangle((0.4, 0.4), (0.6, 0.6))
    held = Zone(id="z", name="Z", letter="A", fires="entry", area=area_of(corners[::-1] if clockwise else corners))
    grown = np.array(shifted(held, 0.05, 0.0, SQUARE).area[0].points)
    assert grown.min(axis=0) == pytest.approx([0.35, 0.35])
    assert grown.max(axis=0) == pytest.approx([0.65, 0.65])
    shrunk = np.array(shifted(held, -0.05, 0.0, SQUARE).area[0].points)
    assert shrunk.max(axis=0) == pytest.approx([0.55, 0.55])
    assert shifted(held, -0.2, 0.0, SQUARE) is None  # nothing is left of it


def test_only_what_is_crossed_or_entered_has_a_place():
    assert can_be_laid(wire("both"))
    assert can_be_laid(zone("entry"))
    assert not can_be_laid(wire("broken"))
    assert not can_be_laid(zone("motion"))
    assert not can_be_laid(None)


def tried(evidence, item, *incidents):
    case = Case("r", evidence, Truth(incidents=incidents, complete=True))
    plan = Plan(wires=(item,)) if isinstance(item, Wire) else Plan(zones=(item,))
    dials = SETTINGS if isinstance(item, Zone) else FACTORY
    found = [laid([case], plan, item, dials, *step, Evaluator()) for step in steps(item)]
    return [held for held in found if held is not None]


def test_where_nothing_beside_it_is_better_it_stays():
    """One walks through; one comes to column 38 and turns back, 2 cells before the line."""
    evidence = walk(line(20, 8, y=14), lambda t: (14 + 8 * min(t, 6 - t), 34))
    through = Incident(name="through", start_s=0, end_s=6, items=("w",))
    turns = Incident(name="turns", start_s=0, end_s=6, items=("w",))
    places = tried(evidence, wire("both"), through, turns)
    now, best = places[0], best_of(places, places[0])
    assert (now.shift_frac, now.turn_deg) == (0.0, 0.0)
    assert (now.found, now.of, now.false) == (2, 2, 0)  # by time alone the one crossing meets both
    assert best is now
    assert {held.found for held in places if abs(held.shift_frac) <= 0.02} == {2}


def test_what_is_raised_in_no_incident_is_false_and_of_equal_places_the_nearest_is_best():
    """One walks through from 0 s; another turns back at column 43, 3 cells beyond the line, and is no incident."""
    back = lambda t: (20 + 7.67 * min(t - 4.0, 10.0 - t), 34) if t > 4.0 else None  # noqa: E731
    evidence = walk(line(20, 12, y=14), back, frames=100)
    places = tried(evidence, wire("both"), Incident(name="through", start_s=0, end_s=3.9, items=("w",)))
    now, best = places[0], best_of(places, places[0])
    assert (now.found, now.false) == (1, 2)  # there and back
    assert (best.found, best.false) == (1, 0)
    assert 0 < best.shift_frac <= 0.06  # towards side A, at the right, where he never was
    assert all(
        abs(held.shift_frac) >= abs(best.shift_frac)
        for held in places
        if held.worth == best.worth and not held.turn_deg
    )


def test_the_edge_of_an_entry_zone_has_a_curve_too():
    evidence = walk(line(10, 8))
    places = tried(evidence, zone("entry"), Incident(name="comes", start_s=0, end_s=6, items=("z",)))
    assert places[0].found == 1
    assert len(places) > 5
    assert all(isinstance(held.item, Zone) for held in places)
    assert GRID.columns == 80  # what the figures above are made for
