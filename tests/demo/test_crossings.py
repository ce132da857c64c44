"""True crossings of the demo's wires: what they are told by, and how found ones are held against them."""

from __future__ import annotations

import pytest

from north_hush.core.evaluate.evaluator import Evaluator
from north_hush.core.judge.incidents import Incident
from north_hush.core.judge.incidents import Truth as Judged
from north_hush.core.judge.matching import Span
from north_hush.core.judge.score import score
from north_hush.core.site.model import View
from north_hush.demo.catalogue import WIRES_PX
from north_hush.demo.crossed import Crossed, crossed_in
from north_hush.demo.crossings import crossings_afloat, crossings_in, crossings_of
from north_hush.demo.nuisances.ferry import Ferry
from north_hush.demo.script import write_script
from north_hush.demo.site import shipped_recordings
from north_hush.demo.truth import Crossing, Truth


def _crossings(recording, seed=5):
    return {held.incident: held for held in crossings_in(write_script(recording, seed))}


def test_a_ferry_crosses_the_line_that_reaches_into_its_way():
    """Its waterline lies five pixels below the upper end of the line on the quay."""
    ferry = next(held for held in write_script("afternoon", 5).nuisances if isinstance(held, Ferry))
    (crossing,) = crossings_afloat(ferry)
    x, y = ferry.afloat(crossing.time_s)
    _, (left, top), (right, bottom) = WIRES_PX[1]
    assert crossing.wire == "Quay line" and crossing.direction == "b_to_a" and crossing.begins_s is None
    assert top < y < bottom
    assert x == pytest.approx(left + (right - left) * (y - top) / (bottom - top), abs=0.2)


def test_what_is_drawn_behind_passes_after_the_feet():
    sledge = _crossings("snow")["person drawing a sledge"]
    assert sledge.begins_s == sledge.time_s
    assert sledge.ends_s - sledge.time_s == pytest.approx(2.76 / 1.0, rel=0.15)  # at 0.9 to 1.1 m/s


def test_what_is_pushed_ahead_passes_before_the_feet():
    cart = _crossings("afternoon")["person with a hand cart"]
    assert cart.ends_s == cart.time_s and 0.8 < cart.time_s - cart.begins_s < 2.0


def test_who_stands_on_a_point_passes_in_a_moment():
    walker = _crossings("afternoon")["person walks down the slip"]
    assert (walker.begins_s, walker.ends_s) == (None, None)
    assert walker.lasts_s(True) == walker.lasts_s(False) == (walker.time_s, walker.time_s)


def test_each_way_of_a_tractor_lasts_by_its_length_and_speed():
    script = write_script("dusk", 5)
    play = next(held for held in script.plays if held.name == "tractor with a boat trailer")
    for held in crossings_of(play):
        speed = play.actor.path.heading(held.time_s)[2]
        assert (held.ends_s - held.begins_s) * speed == pytest.approx(1.8 + 4.26, abs=0.4)


@pytest.mark.parametrize("source", shipped_recordings(), ids=lambda source: source.stem)
def test_the_shipped_truth_is_what_the_script_says(source):
    truth = Truth.model_validate_json(source.with_suffix(".truth.json").read_text())
    said = {
        (held.wire, held.incident, held.time_s, held.ends_s)
        for held in crossings_in(write_script(truth.recording, truth.seed))
    }
    assert {(held.wire, held.incident, held.time_s, held.ends_s) for held in truth.crossings} == said


def _tallied(told_s, crossing, while_passing):
    start_s, end_s = crossing.lasts_s(while_passing)
    truth = Judged(incidents=(Incident(name="it", start_s=start_s, end_s=end_s, items=("wire-1",)),), complete=True)
    spans = [Span(at_s, at_s, at_s, "wire-1", crosses=True) for at_s in told_s]
    held = score(spans, truth, 60.0)
    return held.met, held.nuisances


LONG = Crossing(wire="Slip line", incident="it", time_s=20.0, direction="a_to_b", begins_s=19.0, ends_s=22.0)


@pytest.mark.parametrize(
    ("told_s", "at_moment", "while_passing"),
    [
        ([20.5], (1, 0), (1, 0)),
        ([22.5], (0, 1), (1, 0)),  # when its last part is over
        ([23.0], (0, 1), (0, 1)),
        ([20.1, 22.1], (1, 1), (1, 1)),  # a second piece of it is false either way
    ],
)
def test_what_is_long_may_be_told_at_any_moment_of_its_passing_and_once(told_s, at_moment, while_passing):
    assert _tallied(told_s, LONG, False) == at_moment
    assert _tallied(told_s, LONG, True) == while_passing


def test_both_figures_stand_in_a_trial_s_row(made_view):
    view, evidence, truth = made_view
    crossed = crossed_in(view, evidence, truth, Evaluator())
    row = (crossed + Crossed()).row()
    assert row["crossings"] == row["while_passing"]["crossings"] == len(truth.crossings)
    assert row["found"] <= row["while_passing"]["found"] == 1  # who draws a sledge


@pytest.fixture(scope="module")
def made_view():
    from north_hush.core.handover.propose import view_cases
    from north_hush.demo.site import demo_site

    path = shipped_recordings()[3]
    view: View = demo_site([path]).views[0]
    (case,) = view_cases(view, path.parent / "site")
    return view, case.evidence, Truth.model_validate_json(path.with_suffix(".truth.json").read_text())
