"""Verdicts, incidents, groups, suspicious stretches, intervals, and files of events and truth."""

import json
from datetime import UTC, datetime

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from north_hush.core.advise.quiet import suspects
from north_hush.core.errors import SiteError
from north_hush.core.evaluate.evaluator import Evaluator
from north_hush.core.explain.causes import Signs
from north_hush.core.handover.events import alarms_csv, read_truth, webvtt
from north_hush.core.judge.device import DeviceAlarm
from north_hush.core.judge.groups import ALARMS_A_GROUP, Like, grouped
from north_hush.core.judge.incidents import Incident, Truth
from north_hush.core.judge.matching import Span
from north_hush.core.judge.place import boxes_at
from north_hush.core.judge.rates import day_weights, met_interval, nuisance_interval, rate_interval, share_interval
from north_hush.core.judge.score import Score, hold, score, verdicts_of
from north_hush.core.scene.plan import Plan
from north_hush.core.site import edits, marking
from tests.core.explain.test_reasons import CALM
from tests.core.follow.test_owned import walk

V, R = "view-1", "recording-1"


def site():
    return edits.add_recording(edits.new_site("Skerry Quay", "Slipway"), V, "slip.mkv")


def truth_of(held):
    return held.views[0].recordings[0].truth


def alarm(start_s, end_s, item="zone-1"):
    return Span(start_s, start_s, end_s, item)


def spans(incidents):
    return [(held.start_s, held.end_s) for held in incidents]


def test_real_alarms_become_incidents_and_those_that_overlap_one():
    held = marking.judge(site(), V, R, [alarm(10, 14), alarm(12, 18, "wire-1"), alarm(30, 31)], "real")
    assert spans(truth_of(held).incidents) == [(10, 18), (30, 31)]
    assert [one.name for one in truth_of(held).incidents] == ["Incident 1", "Incident 2"]
    near = marking.judge(held, V, R, [alarm(40, 41), alarm(51.5, 52)], "real")
    assert spans(truth_of(near).incidents) == [(10, 18), (30, 41), (51.5, 52)]  # up to 10 s apart they are one
    again = marking.judge(held, V, R, [alarm(11, 13)], "real")
    assert truth_of(again) == truth_of(held)


def test_a_verdict_takes_the_place_of_an_earlier_one():
    held = marking.judge(site(), V, R, [alarm(10, 14)], "nuisance", "speckle")
    held = marking.judge(held, V, R, [alarm(10, 14)], "unsure")
    assert [(one.kind, one.cause) for one in truth_of(held).verdicts] == [("unsure", "")]
    held = marking.judge(held, V, R, [alarm(10, 14)], "real")
    assert (truth_of(held).verdicts, spans(truth_of(held).incidents)) == ((), [(10, 14)])
    held = marking.judge(held, V, R, [alarm(10, 14)], "nuisance")
    assert truth_of(held).incidents == ()


def test_a_verdict_touches_only_what_it_was_given_on():
    """Judging one alarm "unsure" once took off incidents of other items and imported ones in the same stretch."""
    imported = Truth(incidents=(Incident(name="read from a file", start_s=11, end_s=12, items=("zone-2",)),))
    held = marking.put_truth(site(), V, R, imported)
    held = marking.judge(held, V, R, [alarm(30, 32, "wire-1")], "real")
    held = marking.judge(held, V, R, [alarm(10, 14), alarm(29, 33)], "unsure")
    assert spans(truth_of(held).incidents) == [(11, 12), (30, 32)]
    # Real by two items: one of them is taken back, and the incident stays on the other's word.
    held = marking.judge(site(), V, R, [alarm(10, 14), alarm(11, 13, "wire-1")], "real")
    assert truth_of(held).incidents[0].judged_on == ("wire-1", "zone-1")
    held = marking.judge(held, V, R, [alarm(9, 15)], "nuisance")
    assert [one.judged_on for one in truth_of(held).incidents] == [("wire-1",)]
    held = marking.judge(held, V, R, [alarm(9, 15, "wire-1")], "unsure")
    assert truth_of(held).incidents == ()


def trailed(start_s, end_s, left):
    trail = tuple((t, left, 0.4, left + 0.1, 0.6) for t in (start_s, end_s))
    return Span(start_s, start_s, end_s, "zone-1", trail=trail)


def test_real_alarms_are_joined_only_when_they_are_near_in_place_too():
    held = marking.judge(site(), V, R, [trailed(10, 12, 0.1), trailed(14, 16, 0.2), trailed(15, 18, 0.8)], "real")
    assert spans(truth_of(held).incidents) == [(10, 16), (15, 18)]
    first = truth_of(held).incidents[0]
    assert [row[0] for row in first.place] == [10, 12, 14, 16]
    assert first.place[-1][1:] == (0.2, 0.4, pytest.approx(0.3), 0.6)


def test_over_a_long_gap_somebody_elsewhere_is_somebody_else():
    """With a reach that grew without end, chains of factory alarms became one incident over the whole picture."""
    held = marking.judge(site(), V, R, [trailed(10, 12, 0.1), trailed(20, 22, 0.4), trailed(31, 32, 0.5)], "real")
    assert spans(truth_of(held).incidents) == [(10, 12), (20, 32)]


def test_what_lay_in_one_of_two_places_lies_in_both_joined():
    """Of two alarms at the same time, of two items that see other parts of a body, neither pulls the place off the other."""
    low = Span(10, 10, 14, "zone-1", trail=((10.0, 0.1, 0.6, 0.2, 0.9), (14.0, 0.5, 0.6, 0.6, 0.9)))
    high = Span(11, 11, 13, "wire-1", trail=((11.0, 0.22, 0.5, 0.26, 0.6), (13.0, 0.42, 0.5, 0.46, 0.6)))
    place = truth_of(marking.judge(site(), V, R, [low, high], "real")).incidents[0].place
    for at in np.arange(10, 14.01, 0.25):
        left, top, right, bottom = boxes_at(place, np.array([at]))[0]
        wanted = [boxes_at(one.trail, np.array([at]))[0] for one in (low, high) if one.onset_s <= at <= one.end_s]
        for box in wanted:
            assert left - 0.02 <= box[0]
            assert right + 0.02 >= box[2]
            assert bottom + 0.001 >= box[3]
        assert top <= 0.6


def test_a_place_is_drawn_by_hand_moment_by_moment():
    held = marking.mark_incident(site(), V, R, 10, 20)
    held = marking.place_incident(held, V, R, 0, 18.0, (0.6, 0.1, 0.8, 0.5))
    held = marking.place_incident(held, V, R, 0, 12.0, (0.1, 0.1, 0.3, 0.5))
    held = marking.place_incident(held, V, R, 0, 12.0, (0.2, 0.1, 0.3, 0.5))
    assert truth_of(held).incidents[0].place == ((12.0, 0.2, 0.1, 0.3, 0.5), (18.0, 0.6, 0.1, 0.8, 0.5))


def test_a_file_that_is_put_back_brings_all_that_was_known_of_it():
    taken = datetime(2026, 6, 14, 15, 2, tzinfo=UTC)
    held = edits.change_recording(
        site(), V, R, fingerprint="old", clock_offset_s=90.0, taken_at=taken,
        device_alarms=(DeviceAlarm(start_s=1, end_s=2),),
    )  # fmt: skip
    other = marking.take_file(held, V, R, "new", same=False)
    now = other.views[0].recordings[0]
    assert (now.clock_offset_s, now.taken_at, now.device_alarms) == (0.0, None, ())
    again = marking.take_file(other, V, R, "old", same=False).views[0].recordings[0]
    assert (again.clock_offset_s, again.taken_at, len(again.device_alarms)) == (90.0, taken, 1)


def test_a_verdict_leaves_those_on_its_neighbours():
    alarms = [alarm(10 + 0.9 * i, 10.3 + 0.9 * i) for i in range(5)]
    held = truth_of(marking.judge(site(), V, R, alarms, "nuisance"))
    assert len(held.verdicts) == 5
    assert set(verdicts_of(hold(alarms, held), held)) == {"nuisance"}


def test_a_verdict_survives_other_settings_and_meets_the_new_alarm():
    held = truth_of(marking.judge(site(), V, R, [alarm(10, 14)], "nuisance"))
    assert verdicts_of(hold([alarm(10.5, 12), alarm(10, 14, "zone-2"), alarm(40, 41)], held), held) == [
        "nuisance", "not judged", "not judged",
    ]  # fmt: skip


@given(
    st.lists(st.tuples(st.floats(0, 90), st.floats(0, 9), st.sampled_from(["real", "nuisance", "unsure"])), max_size=12)
)
def test_whatever_is_judged_the_last_word_counts(acts):
    held = site()
    for start, length, judgement in acts:
        held = marking.judge(held, V, R, [alarm(round(start, 2), round(start + length, 2))], judgement)
    if acts:
        start, length, judgement = acts[-1]
        last = alarm(round(start, 2), round(start + length, 2))
        told = verdicts_of(hold([last], truth_of(held)), truth_of(held))[0]
        assert told == judgement or (told == "real" and judgement != "real")  # a longer incident around it stays


def test_marked_spans_join_and_come_in_either_order():
    held = marking.mark_incident(site(), V, R, 20, 10)
    held = marking.mark_incident(held, V, R, 18, 25, "walks")
    assert spans(truth_of(held).incidents) == [(10, 25)]
    assert truth_of(held).incidents[0].name == "walks"
    held = marking.change_incident(held, V, R, 0, note="by the net loft")
    assert truth_of(held).incidents[0].note == "by the net loft"
    assert truth_of(marking.remove_incident(held, V, R, 0)).incidents == ()
    assert truth_of(marking.set_complete(held, V, R, True)).complete


# --- groups and quiet stretches -----------------------------------------------------------------------------------------


def like(item="a", **signs):
    return Like(item, Signs(**{**CALM.__dict__, **signs}), "speckle")


def test_like_alarms_are_one_group_and_the_odd_ones_come_first():
    noise = [like(strength=1.5 + 0.01 * i, lasts_s=0.2) for i in range(20)]
    people = [like(strength=8 + 0.1 * i, lasts_s=4, travelled_cells=12) for i in range(3)]
    found = grouped([*noise[:10], *people, *noise[10:], like("b"), Like("b")])
    first = found[0]
    assert sorted(first.members) == [10, 11, 12]
    assert all(set(group.members).isdisjoint(first.members) for group in found[1:])
    assert sorted(place for group in found for place in group.members) == list(range(25))
    assert {alarm.item for group in found for alarm in [group]} == {"a", "b"}
    assert found[-1].members == (24,)  # what is not looked at yet
    assert len([group for group in found if group.item == "a"]) <= -(-23 // ALARMS_A_GROUP)


def test_alarms_of_two_items_are_never_one_group():
    found = grouped([like("a"), like("b"), like("a"), like("b")])
    assert {(group.item, group.members) for group in found} == {("a", (0, 2)), ("b", (1, 3))}


def test_who_walked_unnoticed_is_suspicious_and_who_was_noticed_is_not():
    evidence = walk(
        lambda t: (10 + 10 * t, 20) if t < 3 else None, lambda t: (10 + 8 * (t - 6), 30) if t > 6 else None, frames=100
    )
    sights, names = Evaluator().tracks(evidence, Plan()), Evaluator().kinds(evidence, Plan())
    found = suspects(sights, names, evidence, [])
    assert len(found) == 2
    first = next(held for held in found if held.start_s < 1)
    assert first.end_s == pytest.approx(2.9, abs=1.3)
    assert first.travelled_percent > 20
    assert [held.start_s > 3 for held in suspects(sights, names, evidence, [(1.0, 2.0)])] == [True]
    sways = walk(lambda t: (45 + np.sin(5 * t), 20))
    held = Evaluator().tracks(sways, Plan()), Evaluator().kinds(sways, Plan())
    assert suspects(*held, sways, []) == []


# --- intervals ----------------------------------------------------------------------------------------------------------


def test_intervals_by_published_values():
    low, high = share_interval(8, 10)
    assert (low, high) == (pytest.approx(0.490, abs=0.001), pytest.approx(0.943, abs=0.001))
    low, high = rate_interval(5, 1)
    assert (low, high) == (pytest.approx(1.623, abs=0.001), pytest.approx(11.668, abs=0.001))
    assert rate_interval(0, 2)[0] == 0
    assert share_interval(0, 0) is None
    assert rate_interval(3, 0) is None


@given(st.integers(0, 50), st.integers(0, 50))
def test_an_interval_holds_its_rate_and_narrows_with_more(met, missed):
    of = met + missed
    if of:
        low, high = share_interval(met, of)
        assert 0 <= low <= met / of <= high <= 1
        more = share_interval(4 * met, 4 * of)
        assert more[1] - more[0] <= high - low + 1e-9


def test_intervals_draw_whole_recordings_since_what_is_missed_comes_in_clusters():
    def part(met, of, nuisances):
        missed = tuple("x" for _ in range(of - met))
        return Score(incidents=of, missed=missed, nuisances=nuisances, footage_s=3600.0)

    even, uneven = [part(8, 10, 5)] * 4, [part(10, 10, 0), part(10, 10, 0), part(2, 10, 20), part(10, 10, 0)]
    assert met_interval(even) == pytest.approx(share_interval(32, 40))
    assert met_interval(uneven)[0] < share_interval(32, 40)[0] - 0.1
    assert nuisance_interval(uneven)[1] > rate_interval(20, 4)[1] + 1
    assert met_interval(uneven) == met_interval(uneven)
    assert met_interval(even[:1]) == share_interval(8, 10)
    assert met_interval([]) is None


def test_hours_a_day_weigh_seconds_the_same_everywhere():
    weights = day_weights([(600.0, 14.0), (1200.0, 10.0)])
    assert sum(weight * footage for weight, footage in zip(weights, (600, 1200), strict=True)) == pytest.approx(1800)
    assert weights[0] / weights[1] == pytest.approx((14 / 600) / (10 / 1200))
    assert day_weights([(600.0, 14.0), (1200.0, None)]) == [1.0, 1.0]


# --- files --------------------------------------------------------------------------------------------------------------

ROW = {
    "view": "Slipway", "path": "slip.mkv", "tuning": "factory",
    "alarms": [{"item": "zone-1", "name": "Slip & co <1>", "kind": "zone", "onset_s": 1.0, "start_s": 1.2, "end_s": 3.0,
                "ended_by": "level", "start_frame": 12, "peak_percent": 4.5, "verdict": "real"}],
}  # fmt: skip


def test_alarms_as_csv_and_as_cues():
    header, first = alarms_csv([ROW, {"view": "x", "path": "gone.mkv", "error": "is not there"}]).splitlines()
    assert header.startswith("view,path,tuning,item,name,kind,start_at,onset_s,start_s,end_s")
    assert first == "Slipway,slip.mkv,factory,zone-1,Slip & co <1>,zone,,1.0,1.2,3.0,level,4.5,,real"
    text = webvtt(ROW, [Incident(name="walks", start_s=3661.5, end_s=3661.5)])
    assert text.startswith("WEBVTT\n\n00:00:01.200 --> 00:00:03.000\nSlip &amp; co &lt;1>: real\n")
    assert "01:01:01.500 --> 01:01:02.000\nincident: walks" in text


def write(tmp_path, name, held):
    path = tmp_path / name
    path.write_text(held if isinstance(held, str) else json.dumps(held))
    return path


def test_truth_is_read_from_csv_and_json_and_cut_at_the_end(tmp_path):
    path = write(tmp_path, "truth.csv", "name,start_s,end_s,item\nwalks,1,2.5,\nwaits,50,70,zone-1\n")
    found, notes = read_truth(path, 60.0, ["zone-1"])
    assert spans(found.incidents) == [(1, 2.5), (50, 60)]
    assert found.complete
    assert notes == ["incident 2 was cut at the recording's end"]
    rows = [{"name": f"n{i}", "start_s": i / 100, "end_s": i / 100 + 5} for i in range(5000)]  # overlapping, thousands
    found, _ = read_truth(write(tmp_path, "truth.json", {"incidents": rows}), 60.0, [])
    assert len(found.incidents) == 5000
    assert score([alarm(1, 2)], found, 60).incidents == 5000


@pytest.mark.parametrize(
    ("name", "text", "says"),
    [
        ("t.csv", "name,start_s,end_s\nwalks,5,3\n", "incident 1: .*before start_s"),
        ("t.csv", "name,start_s,end_s\nwalks,500,600\n", "starts at 500 s, after the recording's end"),
        ("t.csv", "name,start_s,end_s,item\nwalks,1,2,zone-9\n", "'zone-9', which is no zone or wire"),
        ("t.csv", "name,start_s\nwalks,1\n", "end_s"),
        ("t.json", "{", "is not JSON"),
        ("t.json", "7", "no list of incidents"),
        ("t.json", [{"name": "a", "start_s": 0, "end_s": 1}] * 10_001, "more than 10,000"),
    ],
)
def test_truth_that_makes_no_sense_is_refused_with_its_row(tmp_path, name, text, says):
    with pytest.raises(SiteError, match=says):
        read_truth(write(tmp_path, name, text), 60.0, ["zone-1"])


def test_truth_that_is_not_there_or_not_text_is_said(tmp_path):
    with pytest.raises(SiteError, match="cannot be read"):
        read_truth(tmp_path / "gone.csv", 60.0, [])
    (tmp_path / "raw.csv").write_bytes(b"\xff\xfe\x00\x81")
    with pytest.raises(SiteError, match="UTF-8"):
        read_truth(tmp_path / "raw.csv", 60.0, [])


def test_nothing_is_known_of_a_fresh_recording():
    assert not Truth().known
    assert truth_of(site()) == Truth()
