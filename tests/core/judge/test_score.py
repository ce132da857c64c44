"""Scores by hand, and what must hold whatever the alarms."""

import pytest
from hypothesis import given
from hypothesis import strategies as st
from pydantic import ValidationError

from north_hush.core.judge.incidents import Incident, Truth, Verdict
from north_hush.core.judge.matching import Span
from north_hush.core.judge.rates import Day, day_of
from north_hush.core.judge.score import Score, item_scores, summed
from north_hush.core.judge.score import score as score_against


def score(alarms, incidents, footage_s, verdicts=(), complete=True):
    truth = Truth(incidents=tuple(incidents), verdicts=tuple(verdicts), complete=complete)
    return score_against(alarms, truth, footage_s)


def incident(start_s, end_s, name="walks"):
    return Incident(name=name, start_s=start_s, end_s=end_s)


def alarm(start_s, end_s, onset_s=None):
    return Span(start_s if onset_s is None else onset_s, start_s, end_s)


def test_met_missed_nuisance_and_repeats_by_hand():
    incidents = [incident(10, 20), incident(40, 50, "waits"), incident(70, 80, "far")]
    alarms = [alarm(12, 14), alarm(16, 18), alarm(30, 32), alarm(38, 60), alarm(90, 91)]
    found = score(alarms, incidents, 100)
    # The alarm that was on when "waits" began is real, and meets nothing by itself.
    assert (found.incidents, found.met, found.missed) == (3, 1, ("waits", "far"))
    assert (found.alarms, found.nuisances, found.repeats, found.already_on) == (5, 2, 2, 1)
    assert found.delays_s == (2.0,)
    assert found.alarm_s == 2 + 2 + 2 + 22 + 1
    assert found.outside_s == 100 - 3 * 12
    # 30 to 32; 38 to 39 and 51 to 60 of the long one; 90 to 91
    assert found.quiet_s == pytest.approx(2 + 1 + 9 + 1)
    # 25 to 37 and 85 to 96 round the nuisances; 38 to 39 and 51 to 60 of the real one
    assert found.watched_s == pytest.approx(12 + 11 + 1 + 9)
    assert found.nuisance_per_hour == 72
    assert found.alarm_percent == 29
    assert found.by_time_only == 3


def lying(start_s, end_s, *places, item="zone-1"):
    return Span(start_s, start_s, end_s, item, lies_in=frozenset(places))


def test_an_alarm_elsewhere_is_a_nuisance_while_an_incident_runs():
    held = [incident(10, 20)]
    found = score([lying(12, 14), lying(15, 16, 0)], held, 60)
    assert (found.met, found.nuisances, found.repeats) == (1, 1, 0)
    assert score([lying(12, 14)], held, 60).missed == ("walks",)
    # In the place, at another time.
    assert score([lying(30, 31, 0)], held, 60).nuisances == 1


def test_an_incident_is_met_by_the_items_it_concerns():
    truth = Truth(incidents=(incident(10, 20),), complete=True)
    alarms = [lying(11, 12, 0), lying(13, 14, 0, item="zone-2")]
    found = score_against(alarms, truth, 60, [frozenset({"zone-2", "wire-1"})])
    assert (found.met, found.delays_s, found.nuisances, found.repeats) == (1, (3.0,), 0, 1)
    assert (found.pairs, found.missed_pairs) == (2, (("wire-1", "walks"),))
    other = score_against(alarms[:1], truth, 60, [frozenset({"zone-2"})])
    assert (other.met, other.nuisances, other.pairs) == (0, 0, 1)  # real, but nothing it concerns was told
    by_item = item_scores(alarms, ["zone-1", "zone-2"], truth, 60, [frozenset({"zone-2"})])
    assert (by_item["zone-1"].incidents, by_item["zone-1"].nuisances) == (0, 0)
    assert (by_item["zone-2"].incidents, by_item["zone-2"].met) == (1, 1)


@given(st.lists(st.tuples(st.integers(0, 50), st.integers(1, 3)), min_size=2, max_size=8))
def test_alarms_that_run_together_are_watched_no_less(pieces):
    """Whatever nuisances are close enough to be merged cost as one what they cost apart, or more."""
    at, apart = 100.0, []
    for gap, length in pieces:
        at += gap / 5  # up to 10 s between them
        apart.append(alarm(at, at + length))
        at += length
    whole = [alarm(apart[0].start_s, apart[-1].end_s)]
    assert score(whole, [], 900).watched_s >= score(apart, [], 900).watched_s - 1e-6
    assert score(whole, [], 900).quiet_s >= score(apart, [], 900).quiet_s


def test_the_tolerance_is_a_second_at_both_ends():
    held = [incident(10, 20)]
    assert score([alarm(21, 22)], held, 60).met == 1
    assert score([alarm(21.1, 22)], held, 60).nuisances == 1
    assert score([alarm(9, 9.5)], held, 60).met == 1
    assert score([alarm(5, 8.9)], held, 60).met == 0
    # the onset counts for being real, the start for meeting
    late = score([alarm(22, 23, onset_s=20.5)], held, 60)
    assert (late.nuisances, late.met) == (0, 0)


def test_nothing_is_scored_as_nothing():
    assert score([], [], 0) == Score()
    assert Score().nuisance_per_hour is None
    assert Score().quiet_share is None
    assert score([alarm(1, 2)], [], 10).nuisances == 1


times = st.floats(0, 99).map(lambda value: round(value, 2))
spans = st.tuples(times, times).map(lambda pair: alarm(*sorted(pair)))
many = st.lists(spans, max_size=12)
truths = st.lists(st.tuples(times, times).map(lambda pair: incident(*sorted(pair))), max_size=5)


@given(many, truths, st.randoms())
def test_the_order_of_alarms_does_not_matter(alarms, incidents, random):
    mixed = alarms.copy()
    random.shuffle(mixed)
    assert score(mixed, incidents, 100) == score(alarms, incidents, 100)


@given(many, truths, spans)
def test_an_alarm_more_lowers_neither_nuisance_nor_met(alarms, incidents, more):
    before, after = score(alarms, incidents, 100), score([*alarms, more], incidents, 100)
    assert after.nuisances >= before.nuisances
    assert after.met >= before.met
    assert after.alarm_s >= before.alarm_s - 1e-9
    assert after.repeats >= 0


@given(many, truths)
def test_times_add_up(alarms, incidents):
    found = score(alarms, incidents, 100)
    assert -1e-9 <= found.quiet_s <= found.alarm_s + 1e-9
    assert 0 <= found.outside_s <= 100
    assert len(found.delays_s) == found.met
    assert summed([found, found]).nuisances == 2 * found.nuisances
    assert summed([found]) == found


def test_an_incident_runs_forwards():
    with pytest.raises(ValidationError, match="end_s is 3, before start_s 5"):
        incident(5, 3)


# --- verdicts, items and crossings --------------------------------------------------------------------------------------


def verdict(start_s, end_s, kind="nuisance", item=""):
    return Verdict(start_s=start_s, end_s=end_s, kind=kind, item=item)


def test_what_nobody_judged_is_no_nuisance_until_the_truth_is_complete():
    alarms = [alarm(12, 14), alarm(30, 32), alarm(50, 52), alarm(70, 72)]
    verdicts = [verdict(30, 31), verdict(49, 50, "unsure")]
    found = score(alarms, [incident(10, 20)], 100, verdicts, complete=False)
    assert (found.nuisances, found.unsure, found.unjudged, found.repeats) == (1, 1, 1, 0)
    assert found.unwanted == 2
    found = score(alarms, [incident(10, 20)], 100, verdicts)
    assert (found.nuisances, found.unsure, found.unjudged) == (2, 1, 0)


def test_an_incident_outweighs_a_verdict_on_the_same_stretch():
    found = score([alarm(12, 14)], [incident(10, 20)], 100, [verdict(12, 14)], complete=False)
    assert (found.met, found.nuisances) == (1, 0)


def of_item(item, start_s, end_s, crosses=False):
    return Span(start_s, start_s, end_s, item, crosses)


def test_an_incident_of_an_item_is_met_by_that_item_alone():
    held = Incident(name="at the gate", start_s=10, end_s=12, items=("zone-2",))
    other, own = of_item("zone-1", 10, 11), of_item("zone-2", 11, 12)
    found = score([other], [held], 60)
    assert (found.met, found.nuisances) == (0, 1)
    assert score([other, own], [held], 60).met == 1


def test_crossings_and_incidents_of_their_wire_are_matched_one_to_one():
    held = [
        Incident(name=f"crosses {i}", start_s=t, end_s=t, items=("wire-1",)) for i, t in enumerate((10.0, 11.0, 20.0))
    ]
    crossings = [of_item("wire-1", t, t, crosses=True) for t in (10.3, 10.6, 19.1, 30.0)]
    found = score(crossings, held, 60)
    # 10.3 goes to 10, 10.6 to 11; 19.1 is 0.9 s from 20; 30 is nobody's
    assert (found.met, found.nuisances, found.repeats) == (2, 2, 0)
    assert found.delays_s == pytest.approx((0.3, 0.0))


def test_crossings_are_matched_best_over_all():
    """Nearest first would give 10.7 to 11 and leave 11.4 nobody; over all both find theirs."""
    held = [Incident(name=f"{t}", start_s=t, end_s=t, items=("wire-1",)) for t in (10.0, 11.0)]
    found = score([of_item("wire-1", t, t, crosses=True) for t in (10.7, 11.4)], held, 60)
    assert (found.met, found.nuisances) == (2, 0)


@given(st.lists(times, max_size=8), st.lists(times, max_size=8))
def test_matching_of_crossings_is_one_to_one(alarm_times, incident_times):
    held = [Incident(name="x", start_s=t, end_s=t, items=("w",)) for t in incident_times]
    found = score([of_item("w", t, t, crosses=True) for t in alarm_times], held, 100)
    assert found.met == found.alarms - found.nuisances
    assert found.repeats == 0


def test_f_weighs_recall_with_its_bias():
    found = score([alarm(12, 14), alarm(30, 32)], [incident(10, 20), incident(60, 70)], 100)
    assert found.f(2.0) == pytest.approx(3 * 0.5 * 0.5 / (0.5 + 2 * 0.5))
    assert score([], [incident(1, 2)], 100).f() is None
    assert score([alarm(50, 51)], [incident(1, 2)], 100).f() == 0.0


def test_each_item_is_scored_alone():
    truth = Truth(
        incidents=(incident(10, 20), Incident(name="crosses", start_s=40, end_s=41, items=("wire",))), complete=True
    )
    alarms = [Span(12, 12, 13, "zone"), Span(60, 60, 61, "zone"), Span(40, 40.2, 40.2, "wire", crosses=True)]
    found = item_scores(alarms, ["zone", "wire"], truth, 100)
    assert (found["zone"].incidents, found["zone"].met, found["zone"].nuisances) == (1, 1, 1)
    assert (found["wire"].incidents, found["wire"].met, found["wire"].nuisances) == (2, 1, 0)


def test_a_day_is_made_of_the_hours_recordings_stand_for():
    noon, night = score([alarm(1, 4)], [], 60), score([alarm(1, 2), alarm(5, 6)], [], 120)
    day = day_of([(noon, 14), (night, 10)])
    assert day == Day(hours=24, nuisances=14 * 60 + 10 * 60, alarms=1440, clips_h=pytest.approx(14 / 20 + 10 / 60))
    assert day_of([(noon, 14), (night, None)]) is None
    assert day_of([]) is None
